#![no_main]

use fordcross_core::backup::Backup;
use fordcross_core::platform::read;
use fordcross_core::redact::redact;
use fordcross_core::source::Source;
use fordcross_fuzz::{hiding, shipped};
use libfuzzer_sys::fuzz_target;

// The first byte says what is kept. A copy has as many lines, and is made alike again.
fuzz_target!(|text: &str| {
    let bits = text.bytes().next().unwrap_or_default();
    let text = text.get(1..).unwrap_or_default();
    let Ok((tree, file)) = read(Source::new("a", text), shipped(), None) else { return };
    let profile = file.parse().expect("it ships");
    let Ok(backup) = Backup::new(tree, profile, profile.releases.last().map(|release| release.name.as_str()))
    else {
        return;
    };
    let copy = redact(&backup, profile, &hiding(bits));
    assert_eq!(copy, redact(&backup, profile, &hiding(bits)));
    if let [file] = copy.files.as_slice() {
        assert_eq!(file.bytes.iter().filter(|byte| **byte == b'\n').count(), text.matches('\n').count());
    }
});
