//! Mistakes planted in a profile and in a crossing: all are told at once, each at its exact place.

use crate::desk::Desk;

const CROSSING: &str =
    include_str!("../../../fordcross-profiles/platforms/osier/teasel-4.6-to-osier-2.1.crossing.toml");
const PROFILE: &str = include_str!("../../../fordcross-profiles/platforms/teasel/teasel.profile.toml");

/// What is in the file, what is put there, with `«»` around what must be underlined, the code and
/// what must be told.
type Planted = (&'static str, &'static str, &'static str, &'static str);

const IN_A_CROSSING: &[Planted] = &[
    (
        "[\"name\",        \"hostname\"]",
        "[\"«nam»\",        \"hostname\"]",
        "locator-unknown",
        "has no `nam` here",
    ),
    ("same    = [\"domain\"]", "same    = [\"«domian»\"]", "locator-unknown", "has no `domian` here"),
    (
        "[\"on\",         \"enabled\"]",
        "[\"on = {x}\",     \"enabled = «{y}»\"]",
        "capture-unknown",
        "capture is named `y`",
    ),
    (
        "{s -> outer=outside, inner=inside, service=service}",
        "«{s -> sides}»",
        "value-wrong",
        "no table `sides`",
    ),
    ("from = \"addresses/route\"", "«form» = \"addresses/route\"", "key-unknown", "unknown key `form`"),
    ("[\"hold\", \"minutes\"]", "[\"hold\", \"«minutes[]»\"]", "locator-unknown", "this is not a list"),
    ("{ip -> subnet}", "«{ip -> subnets}»", "value-wrong", "no table `subnets`"),
    ("\"!given('at')\"", "«\"!gven('at')\"»", "expression-wrong", "no function `gven`"),
    (
        "[\"near\",   \"local-network\"]",
        "[\"near\",   \"local-network\"], [«\"near\"», \"remote-network\"]",
        "rule-hidden",
        "always takes this first",
    ),
    (
        "[\"pem\", \"certificate\"]",
        "[\"pem = {a}/«{b}»\", \"certificate = {a}\"]",
        "capture-unused",
        "`b` is never used",
    ),
    (
        "[crossing]\n",
        "[crossing]\nshared = [«\"no.shared.toml\"»]\n",
        "include-missing",
        "no file `no.shared.toml`",
    ),
    (
        "[\"panel-dim\",   \"display-minutes\"]",
        "[\"panel-dim\",   \"«resolvers[]»\"]",
        "types-differ",
        "` can never become one of type `",
    ),
    (
        "[\"time-zone\",   \"timezone\"]",
        "[«\"time-zone\"»,   \"location\"]",
        "conflicting-rules",
        "line 35 also writes `location`",
    ),
];

const IN_A_PROFILE: &[Planted] = &[
    (
        "title        = \"Teasel gateway\"",
        "«titel» = \"Teasel gateway\"",
        "key-unknown",
        "did you mean `title`?",
    ),
    ("max = 4094", "max = «\"4094\"»", "value-wrong", "expected a whole number"),
    (
        "\"resolver[]\"     = \"address\"",
        "\"resolver[]\"     = «\"adress\"»",
        "type-unknown",
        "did you mean `address`?",
    ),
    ("unit = \"min\"", "unit = «\"minute\"»", "value-wrong", "`minute` is not a valid value of `unit`"),
    ("names = \"p1..p8\"", "names = «\"p1..8\"»", "value-wrong", "p1..8"),
    (
        "\"addresses/route[{to}]\"",
        "«\"addresses/route[{too}]\"»",
        "locator-unknown",
        "this is not a setting of the object",
    ),
    (
        "\"bookings/booking[{mac}]\"          = { until = \"4.1\"",
        "\"bookings/booking[{mac}]\" = { until = «\"4.3\"»",
        "value-wrong",
        "4.3",
    ),
    (
        "[\"{protocol:protocol}/{port:port-number}\"]",
        "[\"{protocol:protocol}/«{port:port-number»\"]",
        "rule-malformed",
        "not closed with `}`",
    ),
    ("greeting         = \"text\"", "«name»           = \"text\"", "toml-malformed", "exists twice"),
    (
        "default = { \"4.1\" = \"1492\", \"4.6\" = \"1500\" }",
        "default = { «\"4.0\"» = \"1492\", \"4.6\" = \"1500\" }",
        "value-wrong",
        "lists no release `4.0`",
    ),
    (
        "name = \"name\"",
        "name = { type = \"name\", refers-to = «\"users/usr\"» }",
        "locator-unknown",
        "the objects at `users/usr` have no names",
    ),
    (
        "\"links/link[{id}]\"                 = {}",
        "\"links/link[{id}]\"                 = { kind = { own = «\"giveen('pace')\"» } }",
        "expression-wrong",
        "no function `giveen`",
    ),
    (
        "\"foghorn\"                          = {}",
        "\"foghorn\"                          = { inherits = { defaults = «\"foghorn\"» } }",
        "value-wrong",
        "circular inheritance: `foghorn` → `foghorn`",
    ),
    (
        "type = \"shape\", shapes = [\n",
        "type = «\"shapes\"», shapes = [\n",
        "type-unknown",
        "did you mean `shape`?",
    ),
];

fn all_are_found(file: &str, text: &str, planted: &[Planted]) {
    let mut wrong = text.to_owned();
    for (find, put, ..) in planted {
        assert!(wrong.contains(find), "{find}");
        wrong = wrong.replacen(find, put, 1);
    }
    // Where the marked parts begin once the marks are out of the way.
    let mut places = Vec::new();
    while let Some(start) = wrong.find('«') {
        let line_start = wrong[..start].rfind('\n').map_or(0, |at| at + 1);
        let place = (wrong[..start].matches('\n').count() + 1, wrong[line_start..start].chars().count() + 1);
        let end = wrong.find('»').expect("marks come in pairs");
        places.push((wrong[start + '«'.len_utf8()..end].to_owned(), place));
        wrong = wrong.replacen('«', "", 1).replacen('»', "", 1);
    }
    let desk = Desk::new();
    desk.write(&format!("own/{file}"), &wrong);
    let ran = desk.run_to(3, "profile check own");
    for (_, put, code, reported) in planted {
        let marked = put.split(['«', '»']).nth(1).expect("a mark");
        let (_, (line, column)) = places.iter().find(|(text, _)| text == marked).expect("a place");
        let place = format!("{file}:{line}:{column}");
        let block = ran
            .reported
            .split("\n\n")
            .find(|block| block.contains(&format!("{place}\n")) || block.contains(&format!("{place} ")));
        let block = block.unwrap_or_else(|| panic!("{place} {marked}\n{}", ran.reported));
        assert!(block.contains(code) && block.contains(reported), "{code} {reported}\n{block}");
    }
}

#[test]
fn all_mistakes_of_a_crossing_are_found() {
    all_are_found("own.crossing.toml", CROSSING, IN_A_CROSSING);
}

#[test]
fn all_mistakes_of_a_profile_are_found() {
    all_are_found("own.profile.toml", PROFILE, IN_A_PROFILE);
}
