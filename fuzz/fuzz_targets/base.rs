#![no_main]

use fordcross_fuzz::{carried, shipped, way};
use libfuzzer_sys::fuzz_target;

// Into a base: the first byte says over which crossing, a zero parts backup and base.
fuzz_target!(|bytes: &[u8]| {
    let Some((first, rest)) = bytes.split_first() else { return };
    let mut parts = rest.splitn(2, |byte| *byte == 0);
    if let (Some(backup), Some(base)) = (parts.next(), parts.next()) {
        carried(shipped(), way(*first), backup, Some(base), None);
    }
});
