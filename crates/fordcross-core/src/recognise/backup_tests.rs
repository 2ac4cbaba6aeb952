//! Tests.

use super::*;
use crate::language::library::ProfileFile;
use rstest::rstest;

const PROFILE: &str = r"
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
";

fn read(text: &str, treat_as: Option<&str>) -> Result<Identity, String> {
    let mut library = Library::default();
    library.add_profile(ProfileFile::read("a.profile.toml".into(), PROFILE.into()).expect("a profile"));
    let (tree, file) =
        crate::recognise::platform::read(crate::text::source::Source::new("b", text), &library, None)
            .map_err(|findings| findings[0].message().clone())?;
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

const CODES: &str = "[profile]\nplatform = 'PLATFORM'\ntitle = 'Code'\nformat = 'statements'\nreleases = ['1', '2']\n\
                     [detect]\ncontains = 'site'\nask-release = true\n[grammar]\n[block.top]\nunknown = 'refuse'\n\
                     statements = [['site {value}', 'site'], ['WORD {value}', 'WORD']]\n[setting]\nsite = 'text'\n\
                     WORD = 'text'\n";

/// Two platforms whose backups begin alike: one of `left`, one of `right` in a line.
#[rstest]
#[case("site a\nleft b\n", None, "left: the backup does not say which release of Code wrote it")]
#[case("site a\nleft b\n", Some("left@2"), "left@2")]
#[case("site a\n", None, "the backup can be one of `left` and `right`")]
#[case("site a\n", Some("right@1"), "right@1")]
#[case(
    "site a\nother\n",
    None,
    "the file is none of `left`: the platform has no such statement; the file is none of `right`: the platform has no such statement"
)]
#[case("site a\nleft b\n", Some("right@1"), "the platform has no such statement")]
#[case("site a\n", Some("wright"), "there is no profile for the platform `wright`")]
#[case("site a\n", Some("right@3"), "right: there is no release `3` in the profile of Code")]
fn each_platform_that_fits_is_tried(#[case] text: &str, #[case] said: Option<&str>, #[case] expected: &str) {
    let mut library = Library::default();
    for platform in ["left", "right"] {
        let text = format!("language = 2\n{}", CODES.replace("PLATFORM", platform).replace("WORD", platform));
        library.add_profile(ProfileFile::read(platform.into(), text).expect("a profile"));
    }
    let said: Option<crate::platform::ReadAs> = said.map(|said| said.parse().expect("a platform"));
    let all = |findings: Vec<Finding>| {
        findings.iter().map(|finding| finding.message().clone()).collect::<Vec<_>>().join("; ")
    };
    let found =
        match crate::platform::read(crate::text::source::Source::new("b", text), &library, said.as_ref()) {
            Err(findings) => all(findings),
            Ok((tree, file)) => {
                let release = said.as_ref().and_then(|said| said.release.as_deref());
                match Backup::new(tree, file.parse().expect("a profile"), release) {
                    Ok(backup) => format!("{}@{}", file.platform, backup.identity.read_as),
                    Err(findings) => format!("{}: {}", file.platform, all(findings)),
                }
            }
        };
    assert_eq!(found, expected);
}
