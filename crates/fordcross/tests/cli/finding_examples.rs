//! The example of each finding leads to just that finding.

use crate::desk::{Desk, WRACKHAVEN};
use fordcross_core::finding::{Code, ExampleIn};
use rstest::rstest;

const CROSSING: &str = "teasel-4.6-to-osier-2.1.crossing.toml";
const BASE: &str = r#"{"osier-export": {"release": "2.1", "model": "8"}, "system": {"display-minutes": 5}}"#;

/// The demo backup without what there is a finding of.
fn calm() -> String {
    let cut = |text: String, from: &str, to: &str| {
        let start = text.find(from).unwrap_or_else(|| panic!("{from}"));
        let end = start + text[start..].find(to).unwrap_or_else(|| panic!("{to}")) + to.len();
        text[..start].to_owned() + &text[end..]
    };
    let text = cut(WRACKHAVEN.to_owned(), "<panel-code>", "</panel-code>");
    let text = cut(text, "<tide-offset>", "</tide-offset>");
    let text = cut(text, "<foghorn", "</foghorn>");
    text.replace("<panel-dim>100", "<panel-dim>120").replace("<pace>1000", "<pace>auto")
}

/// Everything that is told when the files are used, some of them changed.
fn told(code: Option<Code>) -> String {
    let desk = Desk::new();
    let shipped = |file: &str| -> String {
        let profiles = fordcross_profiles::PROFILES.iter().map(|shipped| (shipped.file, shipped.text));
        let crossings = fordcross_profiles::CROSSINGS.iter().map(|shipped| (shipped.file, shipped.text));
        let found = profiles.chain(crossings).find(|(name, _)| *name == file);
        found.unwrap_or_else(|| panic!("{file}")).1.to_owned()
    };
    let mut files = [
        (ExampleIn::Backup, "gw.xml", calm()),
        (ExampleIn::Profile, "own/teasel.profile.toml", shipped("teasel.profile.toml")),
        (ExampleIn::NewProfile, "own/osier.profile.toml", shipped("osier.profile.toml")),
        (ExampleIn::Crossing, "own/teasel-4.6-to-osier-2.1.crossing.toml", shipped(CROSSING)),
        (ExampleIn::Base, "base.json", BASE.to_owned()),
        (ExampleIn::Map, "map.toml", String::new()),
    ];
    let mut line = "carry gw.xml -o out --profiles own --severity base-beyond=note".to_owned();
    let examples = code.map_or(&[][..], Code::examples);
    for (place, usual, text) in examples {
        match place {
            ExampleIn::Command => line = format!("{line} {text}"),
            ExampleIn::Base => line += " --base base.json",
            ExampleIn::Map => line += " --map map.toml",
            _ => {}
        }
        if let Some((_, name, whole)) = files.iter_mut().find(|(known, ..)| known == place) {
            assert!(whole.contains(usual), "{name} has no `{usual}`");
            *whole = if usual.is_empty() { (*text).to_owned() } else { whole.replace(usual, text) };
        }
    }
    if !line.contains("--to") {
        line += " --to osier/8@2.1";
    }
    for (_, name, text) in files {
        desk.write(name, text);
    }
    desk.run(&line).err + &desk.run("profile check own").err
}

#[test]
fn without_an_example_nothing_is_told() {
    assert_eq!(told(None), "");
}

#[rstest]
fn an_example_leads_to_its_finding(#[values(0, 1, 2, 3)] part: usize) {
    let silent = [
        Code::NotText,
        Code::TooLarge,
        Code::IniMalformed,
        Code::YamlMalformed,
        Code::TableMalformed,
        Code::StatementMalformed,
        Code::Locked,
        Code::ArchiveUnsafe,
        Code::PartsWrong,
        Code::HashDiffers,
        Code::SettingUnspoken,
        Code::FileMissing,
        Code::NothingIncluded,
        Code::IncludeTaken,
        Code::BaseOverrides,
        Code::OutsideConfiguration,
        Code::DataPassedOver,
        Code::LinkOutside,
        Code::LinkFollowed,
        Code::EntryUnreadable,
        Code::EntryPassedOver,
        Code::ResultDiffers,
    ];
    for code in Code::ALL.iter().skip(part).step_by(4) {
        assert_eq!(code.examples().is_empty(), silent.contains(code), "{}", code.name());
        if !silent.contains(code) {
            let told = told(Some(*code));
            // A rule of a profile has a code of its own, with the line in front.
            let printed = if *code == Code::RuleBroken { "osier/names-nothing" } else { code.name() };
            assert!(told.contains(&format!("[{printed}]")), "{}:\n{told}", code.name());
        }
    }
}

#[test]
fn a_finding_is_explained_with_its_example() {
    let ran = Desk::new().run_to(0, "finding port-left");
    assert!(ran.out.contains("example, in a map:\n    [ports]\n    p3 = \"leave\"\n"), "{}", ran.out);
}
