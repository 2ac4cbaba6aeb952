#![no_main]

use fordcross_core::library::CrossingFile;
use fordcross_fuzz::shipped;
use libfuzzer_sys::fuzz_target;

// A person's own crossing: any text gives findings or a crossing.
fuzz_target!(|text: &str| {
    let Ok(file) = CrossingFile::read("a.crossing.toml".into(), text.into()) else { return };
    let side = |side: &fordcross_core::crossing::Side| {
        let profile = shipped().profile(&side.platform).ok()?.parse().ok()?;
        profile.at(&side.release).ok()
    };
    if let (Some(old), Some(new)) = (side(&file.from), side(&file.to)) {
        let _ = file.parse(&old, &new, shipped());
    }
});
