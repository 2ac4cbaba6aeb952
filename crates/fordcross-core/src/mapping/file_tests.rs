//! Tests.

use super::*;
use crate::finding::Code;
use crate::language::profile::Model;
use crate::language::profile::Port;
use crate::mapping::{Destination, MapContents, Proposal, UsedNames, write_map};
use rstest::rstest;

fn model(name: &str, ports: &[&str]) -> Model {
    let port = |name: &&str| Port { name: (*name).into(), medium: "copper".into(), speed: 1_000, role: None };
    Model {
        name: name.into(),
        title: name.into(),
        limits: Vec::new(),
        ports: ports.iter().map(port).collect(),
    }
}

fn ports(map: &MapFile) -> Ports {
    map.kinds.iter().find_map(|kind| kind.as_any().downcast_ref::<Ports>()).cloned().expect("all kinds")
}

fn proposal(old: &str, target: &str, by_person: bool) -> Proposal {
    Proposal {
        kind: MapKind::Ports,
        old: old.into(),
        target: Destination::from_word(target),
        why: "because".into(),
        by_person,
        settings: 2,
    }
}

fn parse(text: &str) -> Result<MapFile, Findings> {
    let (old, new) = (model("old", &["p1", "p2"]), model("new", &["c1", "c2"]));
    let sides =
        MapSides { platforms: ("a", "b"), unit: Some("u"), old: Some(&old), new: Some(&new), used: &["p1"] };
    parse_map(Source::new("map", text), &sides, MapUse::Carry)
}

#[test]
fn what_a_person_wrote_is_told_apart_and_kept() {
    let write = |proposals: &[Proposal], existing: Option<&str>| {
        let used = UsedNames::default();
        write_map(&MapContents { proposals, from: "a", to: "b", unit: Some("u"), used: &used }, existing)
    };
    let text = write(&[proposal("p1", "c1", false), proposal("p2", "?", false)], None);
    assert!(ports(&parse(&text).expect("a map")).by_person().is_empty());
    let edited = text
        .replacen("p2 = \"?\"", "# the crane\np2 = \"c1\"", 1)
        .replace("p1 = \"c1\"  #", "p1 = \"c2\"  #")
        .replace("because; 2 settings", "the quay; 2 boats");
    let map = parse(&edited).expect("a map");
    assert_eq!(ports(&map).by_person().len(), 2);
    let again = write(&[proposal("p1", "c2", true), proposal("p2", "c1", true)], Some(&edited));
    assert!(again.contains("# the crane\np2 = \"c1\""), "{again}");
    // What they wrote behind it stays, what we did is made anew.
    assert!(again.contains("p1 = \"c2\"  # the quay; 2 boats"), "{again}");
    assert_eq!(ports(&parse(&again).expect("a map")).by_person().len(), 2);
}

#[rstest]
#[case("[ports]\np9 = 'c1'", Code::PortUnknown, "no port `p9`")]
#[case("[ports]\np1 = 'c9'", Code::PortUnknown, "no port `c9`")]
#[case("[ports]\np1 = 'c1'\np2 = 'c1'", Code::PortTwice, "both `p1` and `p2`")]
#[case("[ports]\np1 = 3", Code::ValueWrong, "expected a string")]
#[case("[paths]\n'srv' = '/x'", Code::ValueWrong, "` is not an absolute path")]
#[case("[addresses]\n'192.0.2.0/24' = '192.0.2.0/25'", Code::MapLengths, "the two networks differ in size")]
#[case(
    "[addresses]\n'192.0.2.7' = '192.0.2.9'\n'192.0.2.8' = '192.0.2.9'",
    Code::MapCollision,
    "both `192.0.2.7`"
)]
#[case("[paths]\n'/a' = '/x'\n'/b' = '/x/'", Code::MapCollision, "both `/a` and `/b`")]
#[case("[addresses]\n'192.0.2.7' = { except = ['a/b'] }", Code::ValueWrong, "expected an address")]
#[case("[map]\nfrom = 'a/other@1'", Code::ValueWrong, "and this is one of `a/old`")]
#[case("[map]\nunit = 'v'", Code::ValueWrong, "and the backup is of `u`")]
#[case("[map]\nformat = 3", Code::ValueWrong, "this version reads formats 1 to 2")]
#[case("[map]\nfrm = 'a'", Code::KeyUnknown, "`frm`")]
#[case("[[accept]]\nfinding = 'x'\nshows = '0'\nreason = ' '", Code::ValueWrong, "`reason` is empty")]
#[case("[ports]\np1 = { action = 'go' }", Code::ValueWrong, "expected a string")]
#[case("[addresses]\n'192.0.2.300' = '192.0.2.1'", Code::ValueWrong, "` is neither an address nor a network")]
#[case(
    "[map]\nfrom = 'c@1'\n[ports]\neth0 = 'eth1'",
    Code::ValueWrong,
    "for backups of `c@1`, and this is one of `a/old`"
)]
#[case(
    "[map]\nfrom = 'a/old@1'\nto = 'c/8@1'",
    Code::ValueWrong,
    "for the target `c/8@1`, and this target is `b/new`"
)]
#[case("[prots]\np1 = 'c1'", Code::KeyUnknown, "`prots`")]
#[case("[ports\n", Code::TomlMalformed, "")]
fn refuses(#[case] text: &str, #[case] code: Code, #[case] message: &str) {
    let findings = parse(text).expect_err("refused");
    assert_eq!(findings[0].code(), code);
    assert!(findings[0].message().contains(message), "{}", findings[0].message());
}

#[test]
fn ports_can_be_swapped() {
    let map = parse("[ports]\np1 = 'c2'\np2 = 'c1'").expect("a map");
    assert_eq!(ports(&map).decided()["p1"], Destination::New("c2".into()));
}
