#![no_main]

use fordcross_fuzz::{carried, shipped, way};
use libfuzzer_sys::fuzz_target;

const BACKUP: &[u8] = include_bytes!("../seeds/map-backup.xml");

// A map that a person edited, for a gateway.
fuzz_target!(|text: &str| carried(shipped(), way(0), BACKUP, None, Some(text)));
