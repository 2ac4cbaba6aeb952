//! Tests.

use super::*;
use crate::language::library::ProfileFile;
use rstest::rstest;

const PROFILE: &str = r#"
language = 2
[profile]
platform = 'a'
title    = 'A'
format   = 'xml'
releases = ['1', '2 r1']
[detect]
contains = 'box'
release  = 'head/release'
model    = 'head/model'
[[model]]
name = 'm'
title = 'M'
[setting]
'head/release' = 'text'
'head/model' = 'text'
"#;

fn read(text: &str, treat_as: Option<&str>) -> Result<Identity, String> {
    let mut library = Library::default();
    library.add_profile(ProfileFile::read("a.profile.toml".into(), PROFILE.into()).expect("a profile"));
    let (tree, file) =
        super::read(Source::new("b", text), &library).map_err(|findings| findings[0].message().clone())?;
    let profile = file.parse().expect("a profile");
    identify(&tree, profile, treat_as)
        .map_err(|findings| findings.iter().map(Finding::message).collect::<Vec<_>>().join("; "))
}

#[rstest]
#[case("<box><head><release>1</release><model>m</model></head></box>", None, "1", Some("m"))]
#[case("<box><head><release> 2 r1 </release></head></box>", None, "2 r1", None)]
#[case("<box><head><release>9</release></head></box>", Some("2 r1"), "2 r1", None)]
#[case("<box/>", Some("1"), "1", None)]
fn recognises(
    #[case] text: &str,
    #[case] treat_as: Option<&str>,
    #[case] read_as: &str,
    #[case] model: Option<&str>,
) {
    let identity = read(text, treat_as).expect("recognised");
    assert_eq!((identity.read_as.as_str(), identity.model.as_deref()), (read_as, model));
}

#[rstest]
#[case("<crate/>", None, "it is XML with the root element `crate`")]
#[case("{\"x\": 1, \"y\": 2}", None, "it is JSON with 2 keys at its top: `x` and `y`")]
#[case("[1]", None, "it is JSON without an object at its top")]
#[case("[true]", None, "it is JSON without an object at its top")]
#[case("[one two]\nthree = 4", None, "it is plain text of 2 lines")]
#[case("", None, "it is an empty file")]
#[case("set x 1\nset y 2\n", None, "it is plain text of 2 lines")]
#[case("<box/>", None, "does not say which release")]
#[case(
    "<box><head><release>2</release><model>q</model></head></box>",
    None,
    "no release `2` in the profile of A; there is no model `q`"
)]
#[case("<box/>", Some("3"), "no release `3`")]
fn does_not_recognise(#[case] text: &str, #[case] treat_as: Option<&str>, #[case] reported: &str) {
    let message = read(text, treat_as).expect_err("refused");
    assert!(message.contains(reported), "{message}");
}
