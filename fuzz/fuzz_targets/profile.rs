#![no_main]

use fordcross_core::library::ProfileFile;
use libfuzzer_sys::fuzz_target;

// A person's own profile: any text gives findings or a profile.
fuzz_target!(|text: &str| {
    let _ = ProfileFile::read("a.profile.toml".into(), text.into());
});
