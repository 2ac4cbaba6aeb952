//! `survey` of a folder, or of several files: a list, newest first.

use crate::desk::{Desk, WRACKHAVEN};
use rstest::rstest;
use serde_json::Value;

/// A folder of backups as they gather, among other things.
fn desk() -> Desk {
    let desk = Desk::new();
    desk.write("all/november.xml", WRACKHAVEN);
    desk.write("all/old/copy.xml", WRACKHAVEN);
    desk.write("all/old/august.xml", WRACKHAVEN.replace("2026-11-02", "2026-08-01"));
    let tomorrow =
        WRACKHAVEN.replace("2026-11-02", "2026-11-26").replace("kind=\"full\"", "kind=\"settings-only\"");
    desk.write("all/tomorrow.xml", tomorrow);
    desk.write("all/notes.txt", "the key is under the mat\n");
    desk
}

#[test]
fn a_folder_is_a_list_newest_first() {
    let ran = desk().run_to(0, "survey all --today 2026-11-25 --json");
    let reported: Value = serde_json::from_str(&ran.out).expect("JSON");
    let results = reported["results"].as_array().expect("a list");
    let shown: Vec<String> = results
        .iter()
        .filter(|item| item["why"].is_null())
        .map(|item| {
            let words = |list: &Value| {
                list.as_array().expect("words").iter().filter_map(Value::as_str).collect::<Vec<_>>().join(" ")
            };
            format!("{} {} {}", item["file"].as_str().expect("a file"), item["unit"], words(&item["remarks"]))
        })
        .collect();
    assert_eq!(
        shown,
        [
            "all/tomorrow.xml \"gw-wrackhaven\" future partial",
            "all/november.xml \"gw-wrackhaven\" newest-whole",
            "all/old/copy.xml \"gw-wrackhaven\" same",
            "all/old/august.xml \"gw-wrackhaven\" stale",
        ]
    );
    assert_eq!(results[4]["file"], "all/notes.txt");
}

#[rstest]
#[case("survey all --stale-after 200", 0, "all/old/august.xml", "stale")]
#[case("survey all --each", 1, "gw-wrackhaven", "newest full backup of its unit")]
#[case("survey gw.xml all/notes.txt", 1, "1 file could not be read as a backup", "under the mat")]
fn what_is_told_can_be_chosen(
    #[case] line: &str,
    #[case] status: i32,
    #[case] reported: &str,
    #[case] untold: &str,
) {
    let ran = desk().run_to(status, &format!("{line} --today 2026-11-25"));
    let all = ran.reported;
    assert!(all.contains(reported) && !all.contains(untold), "{all}");
}
