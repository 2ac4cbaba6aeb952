//! Makes the index of the shipped profiles and crossings, so that the program recognises a backup
//! and finds a course without parsing any file that it does not need.

use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::{env, fs};

#[expect(clippy::disallowed_macros, reason = "it is how a build script speaks to cargo")]
fn main() {
    let root = PathBuf::from(env::var("CARGO_MANIFEST_DIR").expect("set by cargo")).join("platforms");
    println!("cargo::rerun-if-changed={}", root.display());
    let mut files = Vec::new();
    collect(&root, &mut files);
    files.sort();
    let (mut profiles, mut crossings, mut shared) = (String::new(), String::new(), String::new());
    for path in files {
        println!("cargo::rerun-if-changed={}", path.display());
        let text = fs::read_to_string(&path).unwrap_or_else(|error| panic!("{}: {error}", path.display()));
        let table: toml::Table = text.parse().unwrap_or_else(|error| panic!("{}: {error}", path.display()));
        let get = |section: &str, key: &str| -> String {
            let value = table.get(section).and_then(|section| section.get(key)).and_then(toml::Value::as_str);
            value
                .unwrap_or_else(|| panic!("{}: `{key}` is missing in [{section}]", path.display()))
                .to_owned()
        };
        let file = path.file_name().and_then(|name| name.to_str()).expect("names are UTF-8");
        let place = path.display().to_string();
        if file.ends_with(".profile.toml") {
            let (platform, marker) = (get("profile", "platform"), get("detect", "contains"));
            let format =
                if table.contains_key("file") { "several".to_owned() } else { get("profile", "format") };
            let _ = writeln!(
                profiles,
                "    ShippedProfile {{ file: {file:?}, text: include_str!({place:?}), platform: {platform:?}, format: {format:?}, marker: {marker:?} }},"
            );
        } else if file.ends_with(".shared.toml") {
            let _ =
                writeln!(shared, "    ShippedShared {{ file: {file:?}, text: include_str!({place:?}) }},");
        } else {
            let (from, to) = (get("crossing", "from"), get("crossing", "to"));
            let _ = writeln!(
                crossings,
                "    ShippedCrossing {{ file: {file:?}, text: include_str!({place:?}), from: {from:?}, to: {to:?} }},"
            );
        }
    }
    let index = format!(
        "/// All shipped profiles.\npub static PROFILES: &[ShippedProfile] = &[\n{profiles}];\n\n\
         /// All shipped crossings.\npub static CROSSINGS: &[ShippedCrossing] = &[\n{crossings}];\n\n\
         /// All shipped files that crossings include.\npub static SHARED: &[ShippedShared] = &[\n{shared}];\n"
    );
    let out = PathBuf::from(env::var("OUT_DIR").expect("set by cargo")).join("index.rs");
    fs::write(out, index).expect("cargo's folder can be written to");
}

const KINDS: [&str; 3] = [".profile.toml", ".crossing.toml", ".shared.toml"];

fn collect(folder: &Path, files: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).expect("the folder is there").flatten() {
        let path = entry.path();
        if path.is_dir() {
            collect(&path, files);
        } else if path.to_str().is_some_and(|name| KINDS.iter().any(|kind| name.ends_with(kind))) {
            files.push(path);
        }
    }
}
