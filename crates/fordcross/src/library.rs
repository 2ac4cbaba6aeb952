//! The shipped profiles and crossings with those of the person's own folders.

use crate::files::{MAX_OWN, files_below, read_own};
use crate::sources::Sources;
use crate::status::Failed;
use etcetera::{BaseStrategy as _, choose_base_strategy};
use fordcross_core::Format;
use fordcross_core::crossing::Side;
use fordcross_core::library::{Checking, CrossingFile, Library, ProfileFile};
use std::borrow::Cow;
use std::path::PathBuf;

/// Where a person's own profiles and crossings are, beside those in folders that are named: `fordcross/profiles` in the
/// configuration folder of the platform (XDG Base Directory Specification; `%APPDATA%` on Windows).
fn own_folder() -> Option<PathBuf> {
    let strategy = choose_base_strategy().ok()?;
    Some(strategy.config_dir().join("fordcross").join("profiles")).filter(|folder| folder.is_dir())
}

/// Gathers the library. Shipped files are known by their index; a person's own are checked whole, and come before them: those of
/// folders that are named before those of the person's own folder.
pub(crate) fn load(folders: &[PathBuf]) -> Result<Library, Failed> {
    let mut library = Library::default();
    for shipped in fordcross_profiles::PROFILES {
        let form = Format::named(shipped.format).expect("a test checks all that ships");
        let (file, text, line, marker) = (shipped.file, shipped.text, shipped.platform, shipped.marker);
        library.add_profile(ProfileFile::shipped(file, text, line, form, marker));
    }
    for shipped in fordcross_profiles::CROSSINGS {
        let (Some(from), Some(to)) = (Side::parse(shipped.from), Side::parse(shipped.to)) else { continue };
        library.add_crossing(CrossingFile {
            file: Cow::Borrowed(shipped.file),
            text: Cow::Borrowed(shipped.text),
            from,
            to,
            checking: Checking::Shipped,
        });
    }
    for shipped in fordcross_profiles::SHARED {
        library.add_shared(shipped.file, shipped.text);
    }
    let mut findings = Vec::new();
    let mut sources = Sources::default();
    let mut own_crossings = Vec::new();
    for folder in own_folder().iter().chain(folders) {
        for path in files_below(folder)? {
            let name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
            if name.ends_with(".profile.toml") {
                let text = read_own(&path, MAX_OWN)?;
                sources.add(&name, &text);
                match ProfileFile::read(name, text) {
                    Ok(profile) => library.add_profile(profile),
                    Err(problems) => findings.extend(problems),
                }
            } else if name.ends_with(".shared.toml") {
                let text = read_own(&path, MAX_OWN)?;
                sources.add(&name, &text);
                library.add_shared(name, text);
            } else if name.ends_with(".crossing.toml") {
                let text = read_own(&path, MAX_OWN)?;
                sources.add(&name, &text);
                match CrossingFile::read(name, text) {
                    Ok(crossing) => own_crossings.push(crossing),
                    Err(problems) => findings.extend(problems),
                }
            }
        }
    }
    // The rules of a crossing are checked against both profiles, so all of these come first.
    if findings.is_empty() {
        for crossing in &own_crossings {
            findings.extend(check(&library, crossing));
        }
    }
    if !findings.is_empty() {
        return Err(Failed::Findings(findings, sources));
    }
    own_crossings.into_iter().for_each(|crossing| library.add_crossing(crossing));
    Ok(library)
}

fn check(library: &Library, crossing: &CrossingFile) -> Vec<fordcross_core::finding::Finding> {
    let profile =
        |line: &str| library.profile(line).map_err(|finding| vec![*finding]).and_then(ProfileFile::parse);
    let checked = profile(&crossing.from.platform)
        .and_then(|old| profile(&crossing.to.platform).map(|new| (old, new)))
        .and_then(|(old, new)| {
            let at = |profile: &fordcross_core::profile::Profile, release: &str| {
                profile.at(release).map_err(|finding| vec![*finding])
            };
            crossing.parse(&at(old, &crossing.from.release)?, &at(new, &crossing.to.release)?, library)
        });
    checked.err().unwrap_or_default()
}
