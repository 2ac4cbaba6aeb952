//! Any base with anything in it.

use super::statements::{BLOCKS, KEYS, TABLE};
use super::*;
use proptest::prelude::*;

/// What is written of a base with something in it, if both can be read; it is well-formed in any case.
fn written(profile: &str, base: &str, made: &str) -> Option<String> {
    let profile = Profile::parse(Source::new("p", profile), Checking::Whole).expect("a profile");
    let mut automaton = crate::scan::inventory::automaton_of(&profile, None);
    let read = |text| profile.dialect.read(Source::new("t", text)).ok();
    let (base, made) = (read(base)?, read(made)?);
    let policy = BasePolicy::default();
    let wanted = Wanted { made: &made, implied: &FxHashSet::default(), profile: &profile, policy: &policy };
    let merged = merge(&base, &wanted, &mut automaton);
    let text = String::from_utf8_lossy(&merged.files[0].bytes).into_owned();
    let again = profile.dialect.read(Source::new("t", &text));
    let again = again.unwrap_or_else(|finding| panic!("{finding:?}\n{text}"));
    // A row of a table has all its columns, and a block of another kind may have the name of a branch.
    if !profile.format().traits().is_rectangular && profile.platform != "z" {
        assert_eq!(shown(&again, again.root()), shown(&merged.tree, merged.tree.root()), "{text}");
    }
    Some(text)
}

/// A line of a file of keys, or of one of blocks: what is set on it, if anything, and how it is there.
fn line() -> impl Strategy<Value = (Option<usize>, String)> {
    let value = prop_oneof!["[a-z0-9]{1,4}", "'[a-z #]{0,4}'"];
    let around = ("[ \t]{0,2}", "[ \t]{0,2}", prop_oneof![Just(""), Just("  # said of it"), Just("\t")]);
    prop_oneof![
        prop_oneof![Just(""), Just("# a = 1"), Just("   # more")].prop_map(|text| (None, text.to_owned())),
        (0..3_usize, value, around).prop_map(|(key, value, (before, after, behind))| {
            (Some(key), format!("{before}{}{after}= {value}{behind}", ["a", "b", "c"][key]))
        }),
    ]
}

proptest! {
    /// No base makes it panic, and nothing is changed where nothing is set.
    #[test]
    fn any_base_is_taken(text in "(zone |ramp |rule |mtu|quay|n |=|;|\\{|\\}|end\n|#|\"|,|<x>|</x>|\n|  |é|a){0,40}") {
        let words = BLOCKS.replace("nesting = \"braces\"", "close = \"end\"");
        let words = words.replace("end = \";\"\nend-needed = true\n", "");
        for (profile, made) in [
            (BLOCKS, "zone quay { mtu = 9; note = x; } ramp n width 3; rule let a;"),
            (words.as_str(), "zone quay\nmtu = 9\nend\nramp n width 3\n"),
            (KEYS, "a = 'x y'\nb = 1\n"),
            (TABLE, "name,path\nquay,a\n"),
            (INI, "[net]\nmtu = 9\n"),
            (XML, "<x s='1'><port id='a'/></x>"),
        ] {
            let _ = written(profile, &text, made);
            if profile != TABLE && profile != XML {
                prop_assert!(written(profile, &text, "").is_none_or(|written| written == text));
            }
        }
    }

    /// Whatever a base has and whatever is set in it: what is set is all that changes, and each other line is as
    /// it was and where it was. `merged` holds that the file reads back to what was wanted.
    #[test]
    fn other_lines_stay_as_they_are(
        lines in prop::collection::vec(line(), 0..12),
        set in prop::collection::btree_map(0..3_usize, "[a-z0-9]{1,4}|[a-z]( |')[a-z]", 0..3),
        returns in any::<bool>(),
        ends in any::<bool>(),
    ) {
        let mut base: String = lines.iter().map(|(_, line)| format!("{line}\n")).collect();
        if !ends {
            base.truncate(base.trim_end_matches('\n').len());
        }
        if returns {
            base = base.replace('\n', "\r\n");
        }
        let made: String = set
            .iter()
            .map(|(key, value)| format!("{} = '{}'\n", ["a", "b", "c"][*key], value.replace('\'', "''")))
            .collect();
        let (text, ..) = merged(KEYS, &base, &made, &BasePolicy::default());
        let mut written = text.lines();
        for (key, line) in lines.iter().filter(|(_, line)| ends || !line.is_empty()) {
            if key.is_none_or(|key| !set.contains_key(&key)) {
                prop_assert!(written.any(|written| written == line), "{line:?} of {base:?} is not in {text:?}");
            }
        }
    }
}
