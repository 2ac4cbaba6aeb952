#![no_main]

use fordcross_fuzz::{library, take};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| take("a", bytes, library("csv")));
