//! The worked examples of the documents: profiles and a crossing that are in order, and what they make of a backup.

use crate::desk::Desk;
use rstest::rstest;
use std::fs;
use std::path::Path;

#[rstest]
#[case("stanzas", "backup.json", "stanzas@1", "plan@2", "backup.plan.yaml")]
#[case("code", "backup", "router@1", "course@2", "backup.course.conf")]
#[case("sides", "backup.json", "twins@1", "keen@2", "backup.keen.json")]
fn worked_examples_are_what_they_say(
    #[case] name: &str,
    #[case] backup: &str,
    #[case] from: &str,
    #[case] to: &str,
    #[case] result: &str,
) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/examples").join(name);
    let folder = folder.canonicalize().expect("an example");
    let desk = Desk::new();
    let at = folder.display();
    let checked = desk.run_to(0, &format!("profile check {at}")).out;
    assert!(checked.contains("no problems found"), "{checked}");
    desk.run_to(0, &format!("carry {at}/{backup} --from {from} --to {to} --profiles {at} -o out"));
    let extension = Path::new(result).extension().expect("it has one").to_string_lossy().into_owned();
    let expected =
        fs::read_to_string(folder.join(format!("expected.{extension}"))).expect("what is expected");
    assert_eq!(desk.read(&format!("out/{result}")), expected);
}
