#![no_main]

use fordcross_fuzz::{carried, shipped, way};
use libfuzzer_sys::fuzz_target;

// Over the shipped crossings: the first byte says which.
fuzz_target!(|bytes: &[u8]| {
    if let Some((first, backup)) = bytes.split_first() {
        carried(shipped(), way(*first), backup, None, None);
    }
});
