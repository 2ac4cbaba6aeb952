//! The invariants on lines, crossings and backups that are generated together, with a plain oracle of
//! what must become of each setting.

use crate::small::{Made, carry_over};
use fordcross_core::crossing::Crossing;
use fordcross_core::finding::Code;
use fordcross_core::library::Checking;
use fordcross_core::mapping::{Destination, MapFile};
use fordcross_core::profile::Profile;
use fordcross_core::source::Source;
use proptest::prelude::*;
use serde_json::Value;
use std::fmt::Write as _;

/// What a crossing does with a setting.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Deed {
    Move,
    Drop,
    Moot,
    ByHand,
    Nothing,
}

/// A setting of the generated line: its kind decides type, values and what it becomes.
#[derive(Clone, Copy, Debug)]
struct Setting {
    kind: usize,
    deed: Deed,
}

/// Old type, new type, an old value, the new value that it must become; `#` stands for a number that
/// makes secrets and texts unique.
const KINDS: [(&str, &str, &str, &str, &str); 9] = [
    ("\"text\"", "\"text\"", "word #", "\"word #\"", "carried"),
    ("{ type = \"integer\", max = 9000 }", "{ type = \"integer\", max = 9000 }", "1500", "1500", "carried"),
    (
        "{ type = \"integer\", max = 9000 }",
        "{ type = \"integer\", max = 1000 }",
        "1500",
        "1000",
        "approximated",
    ),
    ("{ type = \"boolean\", on = \"yes\", off = \"no\" }", "\"boolean\"", "yes", "true", "recast"),
    (
        "{ type = \"duration\", unit = \"s\" }",
        "{ type = \"duration\", unit = \"min\" }",
        "900",
        "15",
        "recast",
    ),
    (
        "{ type = \"duration\", unit = \"s\" }",
        "{ type = \"duration\", unit = \"min\" }",
        "100",
        "2",
        "approximated",
    ),
    (
        "{ type = \"mac\", separator = \"-\" }",
        "\"mac\"",
        "00-00-5e-00-53-07",
        "\"00:00:5e:00:53:07\"",
        "recast",
    ),
    ("\"port\"", "\"port\"", "p2", "\"c1\"", "remapped"),
    ("\"secret\"", "\"secret\"", "secret#word", "\"secret#word\"", "carried"),
];
const SECRET: usize = 8;

#[derive(Clone, Debug)]
struct Line {
    settings: Vec<Setting>,
    /// For each object, which settings it has.
    objects: Vec<Vec<bool>>,
    /// Something that no profile knows.
    unknown: bool,
}

fn line() -> impl Strategy<Value = Line> {
    let deed = prop::sample::select(vec![
        Deed::Move,
        Deed::Move,
        Deed::Move,
        Deed::Drop,
        Deed::Moot,
        Deed::ByHand,
        Deed::Nothing,
    ]);
    let setting = (0..KINDS.len(), deed).prop_map(|(kind, deed)| Setting { kind, deed });
    prop::collection::vec(setting, 1..9).prop_flat_map(|settings| {
        let has = prop::collection::vec(any::<bool>(), settings.len());
        (Just(settings), prop::collection::vec(has, 0..6), any::<bool>())
            .prop_map(|(settings, objects, unknown)| Line { settings, objects, unknown })
    })
}

impl Line {
    fn profile(&self, line: &str, form: &str, new: bool) -> String {
        let (marker, at, brackets) =
            if new { ("new", "things", "[]") } else { ("old", "things/thing", "[{id}]") };
        let port = if new { "c1..c2" } else { "p1..p2" };
        let release = if new { "new/release" } else { "release" };
        let mut text = format!(
            "language = 2\n[profile]\nplatform = \"{line}\"\ntitle = \"{line}\"\nformat = \"{form}\"\nreleases = [\"1\"]\n\
             [detect]\ncontains = \"{marker}\"\nrelease = \"{release}\"\n[[model]]\nname = \"m\"\ntitle = \"m\"\nport = [{{ names = \"{port}\", medium = \"copper\", speed = \"1G\" }}]\n\
             [object]\n\"{at}{brackets}\" = {{}}\n[setting]\n\"{release}\" = \"text\"\n"
        );
        let _ = writeln!(text, "\"{at}/id\" = \"text\"");
        for (number, setting) in self.settings.iter().enumerate() {
            let kind = if new { KINDS[setting.kind].1 } else { KINDS[setting.kind].0 };
            let _ = writeln!(text, "\"{at}/s{number}\" = {kind}");
        }
        text
    }

    fn crossing(&self) -> String {
        let mut lists = [String::new(), String::new(), String::new(), String::new()];
        for (number, setting) in self.settings.iter().enumerate() {
            let (list, right) = match setting.deed {
                Deed::Move => (0, format!("s{number}")),
                Deed::Drop => (1, "no place".to_owned()),
                Deed::Moot => (2, "implied".to_owned()),
                Deed::ByHand => (3, "do it".to_owned()),
                Deed::Nothing => continue,
            };
            let _ = write!(lists[list], "[\"s{number}\", \"{right}\"], ");
        }
        let [moved, dropped, moot, by_hand] = lists;
        format!(
            "language = 2\n[crossing]\nfrom = \"old@1\"\nto = \"new@1\"\n[[place]]\nmoot = [[\"release\", \"its own\"]]\n[[place]]\nfrom = \"things/thing\"\nto = \"things[]\"\n\
             move = [[\"id\", \"id\"], {moved}]\ndrop = [{dropped}]\nmoot = [{moot}]\nby-hand = [{by_hand}]\n"
        )
    }

    fn backup(&self) -> String {
        let mut text = "<old release=\"1\"><things>".to_owned();
        for (object, has) in self.objects.iter().enumerate() {
            let _ = write!(text, "<thing id=\"t{object}\">");
            for (number, setting) in self.settings.iter().enumerate().filter(|(number, _)| has[*number]) {
                let value = KINDS[setting.kind].2.replace('#', &format!("{object}x{number}"));
                let _ = write!(text, "<s{number}>{value}</s{number}>");
            }
            text.push_str(if has.contains(&true) { "</thing>" } else { "<s-none/></thing>" });
        }
        let unknown = if self.unknown { "<odd>mystery</odd>" } else { "" };
        text + "</things>" + unknown + "</old>"
    }

    /// What must become of the setting of one object: fate and, where it lands, the new value.
    fn expected(&self, object: usize, number: usize) -> (&'static str, Option<Value>) {
        let setting = self.settings[number];
        match setting.deed {
            Deed::Move => {
                let (.., value, fate) = KINDS[setting.kind];
                let value = value.replace('#', &format!("{object}x{number}"));
                (fate, Some(serde_json::from_str(&value).expect("JSON")))
            }
            Deed::Drop => ("dropped", None),
            Deed::Moot => ("moot", None),
            Deed::ByHand => ("by-hand", None),
            Deed::Nothing => ("unmatched", None),
        }
    }
}

fn make(line: &Line) -> Made {
    let (old_text, new_text, crossing_text, backup_text) = (
        line.profile("old", "xml", false),
        line.profile("new", "json", true),
        line.crossing(),
        line.backup(),
    );
    let parse = |text| {
        Profile::parse(Source::new("a.profile.toml", text), Checking::Whole)
            .unwrap_or_else(|f| panic!("{text}\n{f:?}"))
    };
    let (old, new) = (parse(&old_text), parse(&new_text));
    let source = Source::new("a.crossing.toml", &crossing_text);
    let crossing = Crossing::parse(source, &old, &new, Checking::Whole, &[])
        .unwrap_or_else(|f| panic!("{crossing_text}\n{f:?}"));
    let map = MapFile::of_ports([("p2".to_owned(), Destination::New("c1".into()))]);
    carry_over(&backup_text, old, new, crossing, &map)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// Invariants 1 and 4: one row a setting with the fate that its rule demands, the result holds just
    /// what the ledger says, and reads back to it.
    #[test]
    fn each_setting_becomes_what_its_rule_says(line in line()) {
        let made = make(&line);
        prop_assert!(!made.has(Code::ResultDiffers), "{:?}", made.findings);
        let result: Value = serde_json::from_str(&made.result).expect("JSON");
        // An element without child elements is a setting, whoever expected one there.
        let mut settings = 1 + usize::from(line.unknown) + usize::from(line.objects.is_empty());
        for (object, has) in line.objects.iter().enumerate() {
            settings += 1 + has.iter().filter(|has| **has).count().max(1);
            for number in (0..has.len()).filter(|number| has[*number]) {
                let locator = format!("things/thing[t{object}]/s{number}");
                let rows: Vec<&Value> = made.rows.iter().filter(|row| row["locator"] == *locator).collect();
                prop_assert_eq!(rows.len(), 1, "{}", locator);
                let (fate, value) = line.expected(object, number);
                prop_assert_eq!(&rows[0]["fate"], fate, "{}", rows[0]);
                prop_assert_eq!(rows[0]["landings"].as_array().map(Vec::len), Some(usize::from(value.is_some())));
                prop_assert_eq!(result["things"][object].get(format!("s{number}")), value.as_ref());
            }
        }
        prop_assert_eq!(made.rows.iter().filter(|row| row["kind"] == "setting").count(), settings);
        prop_assert_eq!(made.rows.iter().filter(|row| row["kind"] == "object").count(), line.objects.len());
    }

    /// Invariant 2: the same input, the same bytes.
    #[test]
    fn the_same_input_makes_the_same_bytes(line in line()) {
        let (first, second) = (make(&line), make(&line));
        prop_assert_eq!(first.ledger, second.ledger);
        prop_assert_eq!(first.result, second.result);
        prop_assert_eq!(first.findings, second.findings);
    }

    /// Invariants 5 and 6: no typed reference to an old port is left, and no secret leaves the result.
    #[test]
    fn old_ports_and_secrets_stay_where_they_belong(line in line()) {
        let made = make(&line);
        prop_assert!(!made.result.contains("\"p2\""), "{}", made.result);
        for text in [&made.ledger, &format!("{:?}", made.findings)] {
            prop_assert!(!text.contains("secret0x") && !text.contains("secret1x") && !text.contains("mystery"), "{}", text);
        }
        let carried = line.objects.iter().any(|has| {
            has.iter().zip(&line.settings).any(|(has, setting)| *has && setting.kind == SECRET && setting.deed == Deed::Move)
        });
        prop_assert_eq!(made.result.contains("secret"), carried);
    }
}
