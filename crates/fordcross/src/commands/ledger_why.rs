//! `ledger --why`: how a setting came to where it is, hop by hop: the rules in full, the values, what the map replaced.

use crate::arguments::{General, Ledger};
use crate::commands::carry::{LEDGER, MAP};
use crate::files::{MAX_OWN, read_own};
use crate::library;
use crate::output::{BOLD, DIM, Printer, clean};
use crate::receipt::RunningHash;
use crate::result_folder::RECEIPT;
use crate::status::{Failed, Status};
use fordcross_core::account::row::{Landing, Row};
use fordcross_core::fate::Fate;
use fordcross_core::library::Library;
use serde_json::value::RawValue;
use serde_json::{Value, json};
use std::io::BufRead;
use wildmatch::WildMatch;

/// What is needed to say why.
struct Told {
    library: Library,
    /// The files that went into the result, each with its hash.
    inputs: Vec<(String, String)>,
    /// Old and new names, paths and addresses by the map, each with the name of its table.
    map: Vec<(String, String, String)>,
}

pub(crate) fn why(
    general: &General,
    options: &Ledger,
    locator: &str,
    rows: &mut dyn BufRead,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    let told = Told::new(general, options)?;
    let pattern = WildMatch::new(locator);
    let mut found = 0;
    let mut line = String::new();
    while rows
        .read_line(&mut line)
        .map_err(|error| Failed::file(&options.folder.join(LEDGER), "read", &error))?
        > 0
    {
        if let Ok(row) = Row::read(line.trim_end()) {
            let places = row.landings().iter().map(|landing| &landing.locator);
            if row.locator.iter().chain(places).any(|place| pattern.matches(place)) {
                if general.json {
                    serde_json::to_writer(&mut *printer.out, &told.as_json(&row))
                        .map_err(std::io::Error::from)?;
                    printer.line("")?;
                } else {
                    if found > 0 {
                        printer.line("")?;
                    }
                    told.print(printer, &row)?;
                }
                found += 1;
            }
        }
        line.clear();
    }
    if found == 0 {
        let help = "name it as the ledger does, with `*` for any text: `*/mtu`";
        return Err(Failed::usage(format!("no row has an old or a new locator like `{locator}`")).help(help));
    }
    Ok(Status::Done)
}

impl Told {
    fn new(general: &General, options: &Ledger) -> Result<Self, Failed> {
        let library = library::load(&general.profiles)?;
        let receipt = read_own(&options.folder.join(RECEIPT), MAX_OWN)?;
        let receipt: Value = serde_json::from_str(&receipt).unwrap_or_default();
        let text = |value: &Value| value.as_str().map(str::to_owned);
        let inputs = receipt["inputs"].as_array().into_iter().flatten();
        let inputs =
            inputs.filter_map(|input| Some((text(&input["file"])?, text(&input["blake3"])?))).collect();
        let map = read_own(&options.folder.join(MAP), MAX_OWN)?;
        let map: toml::Table = map.parse().unwrap_or_default();
        let tables = ["ports", "paths", "addresses"].into_iter();
        let entries =
            tables.filter_map(|name| Some((name, map.get(name)?.as_table()?))).flat_map(|(name, table)| {
                table.iter().filter_map(move |(old, new)| {
                    Some((name.to_owned(), old.clone(), new.as_str()?.to_owned()))
                })
            });
        Ok(Self { library, inputs, map: entries.collect() })
    }

    fn print(&self, printer: &mut Printer<'_>, row: &Row<'_>) -> Result<(), Failed> {
        let landings = row.landings();
        let head = row.locator.as_deref().or_else(|| landings.first().map(|landing| &*landing.locator));
        printer.line(&format!("{BOLD}{}{BOLD:#}", clean(head.unwrap_or_default())))?;
        if let (Some(file), Some(line)) = (&row.file, row.line) {
            printer.line(&format!("  in {}:{line}", clean(file)))?;
        }
        let is = row
            .value
            .map(shown)
            .or_else(|| (row.type_name.as_deref() == Some("secret")).then(|| "(secret)".into()));
        if let Some(value) = &is {
            let ty = row.type_name.as_deref().map(|ty| format!(" ({ty})")).unwrap_or_default();
            printer.line(&format!("  value {}{ty}", clean(value)))?;
        }
        let outcome = row.outcome();
        let fate = Fate::ALL.iter().find(|fate| fate.word() == outcome);
        let about = fate.map(|fate| format!(": {}", fate.about())).unwrap_or_default();
        printer.line(&format!("  {outcome}{about}"))?;
        match &row.steps {
            Some(steps) => {
                for (number, step) in (1..).zip(steps) {
                    printer.line(&format!("\n  {number}. to {}: {}", clean(&step.to), clean(&step.fate)))?;
                    self.rule(printer, step.rule.as_deref(), step.why.as_deref())?;
                    for locator in &step.locators {
                        printer.line(&format!("     → {}", clean(locator)))?;
                    }
                }
            }
            None => {
                printer.line("")?;
                self.rule(printer, row.rule.as_deref(), row.why.as_deref())?;
            }
        }
        for landing in landings {
            // What is joined with others, or is in several places, was not this alone.
            let old = is.as_deref().filter(|_| landings.len() == 1 && outcome != Fate::Folded.word());
            print_landing(printer, landing, old)?;
        }
        if landings.is_empty() {
            printer.line("     → nowhere in the result")?;
        }
        self.map_entries(printer, row)?;
        for code in row.findings.iter().flatten() {
            printer.line(&format!("     finding {code}: `fordcross finding {code}` says more"))?;
        }
        Ok(())
    }

    fn as_json(&self, row: &Row<'_>) -> Value {
        let steps = row.steps.iter().flatten().filter_map(|step| step.rule.as_deref());
        let rules = row.rule.as_deref().into_iter().chain(steps);
        let rule = |rule: &str| json!({ "rule": rule, "text": self.text_of(rule).join("\n") });
        let entry =
            |(table, old, new): &(String, String, String)| json!({ "table": table, "old": old, "new": new });
        json!({
            "row": serde_json::to_value(row).unwrap_or_default(),
            "rules": rules.map(rule).collect::<Vec<_>>(),
            "map": self.entries_of(row).map(entry).collect::<Vec<_>>(),
        })
    }

    /// A rule in full, with the reason that it gives.
    fn rule(&self, printer: &mut Printer<'_>, rule: Option<&str>, why: Option<&str>) -> Result<(), Failed> {
        match rule {
            Some(rule) => {
                printer.line(&format!("     by {}", clean(rule)))?;
                for line in self.text_of(rule) {
                    printer.line(&format!("{DIM}       {}{DIM:#}", clean(&line)))?;
                }
            }
            None => printer.line("     by no rule: the path is in both releases, or no rule covers it")?,
        }
        if let Some(why) = why {
            printer.line(&format!("     because {}", clean(why)))?;
        }
        Ok(())
    }

    /// The lines of a rule, by its file and line.
    fn text_of(&self, rule: &str) -> Vec<String> {
        let Some((file, line)) =
            rule.rsplit_once(':').and_then(|(file, line)| Some((file, line.parse::<usize>().ok()?)))
        else {
            return Vec::new();
        };
        let profiles = self.library.profiles().iter().map(|known| (&known.file, &known.text));
        let crossings = self.library.crossings().iter().map(|known| (&known.file, &known.text));
        let shared = self.library.shared().iter().map(|(name, text)| (name, text));
        let Some((_, text)) = profiles.chain(crossings).chain(shared).find(|(name, _)| **name == file) else {
            return vec!["(the file is not at hand: name its folder with --profiles)".to_owned()];
        };
        let mut hash = RunningHash::default();
        hash.add(text.as_bytes());
        let now = hash.entry("crossing", file).hash().to_owned();
        if self.inputs.iter().any(|(name, hash)| name == file && *hash != now) {
            return vec!["(the file is not what it was when this result was made)".to_owned()];
        }
        whole_rule(text, line)
    }

    /// What of the map the row has in it.
    fn map_entries(&self, printer: &mut Printer<'_>, row: &Row<'_>) -> Result<(), Failed> {
        for (table, old, new) in self.entries_of(row) {
            printer.line(&format!("     the map: [{table}] \"{}\" = \"{}\"", clean(old), clean(new)))?;
        }
        Ok(())
    }

    /// The entries of the map that are behind a row that was remapped.
    fn entries_of(&self, row: &Row<'_>) -> impl Iterator<Item = &(String, String, String)> {
        let is_remapped = |fate: Option<&str>| fate == Some(Fate::Remapped.word());
        let fates = row.landings().iter().map(|landing| landing.fate.as_deref());
        let is_mapped = fates.chain([row.fate.as_deref()]).any(is_remapped);
        let before =
            [row.locator.as_deref().unwrap_or_default().to_owned(), row.value.map(shown).unwrap_or_default()];
        let is_in =
            move |(_, old, _): &&(String, String, String)| before.iter().any(|text| has_word(text, old));
        self.map.iter().filter(move |_| is_mapped).filter(is_in)
    }
}

/// Whether a text has another in it, and no letter or digit beside it.
fn has_word(text: &str, word: &str) -> bool {
    let is_apart = |c: Option<char>| c.is_none_or(|c| !c.is_alphanumeric());
    text.match_indices(word).any(|(at, _)| {
        is_apart(text[..at].chars().next_back()) && is_apart(text[at + word.len()..].chars().next())
    })
}

fn shown(value: &RawValue) -> String {
    match serde_json::from_str(value.get()) {
        Ok(Value::String(text)) => text,
        _ => value.get().to_owned(),
    }
}

/// The lines of a rule that begins in a line: as far as its brackets go.
fn whole_rule(text: &str, line: usize) -> Vec<String> {
    let mut lines = Vec::new();
    let mut depth = 0_i32;
    let mut quote = None;
    let mut from = line.saturating_sub(1);
    // A rule that goes over lines is known by that of its left side.
    let all: Vec<&str> = text.lines().collect();
    if from > 0
        && all.get(from - 1).is_some_and(|before| before.trim() == "[" || before.trim_end().ends_with("[["))
    {
        from -= 1;
    }
    for text in all.into_iter().skip(from).take(LONGEST_RULE) {
        for c in text.chars() {
            match (quote, c) {
                (Some(open), c) if c == open => quote = None,
                (None, '"' | '\'') => quote = Some(c),
                (None, '#') => break,
                (None, '[' | '{') => depth += 1,
                (None, ']' | '}') => depth -= 1,
                _ => {}
            }
        }
        lines.push(text.trim().to_owned());
        if depth <= 0 && quote.is_none() {
            break;
        }
    }
    lines
}

/// The most lines of a rule that are shown.
const LONGEST_RULE: usize = 12;

/// Prints where a row landed, with what its value was.
fn print_landing(printer: &mut Printer<'_>, landing: &Landing<'_>, old: Option<&str>) -> Result<(), Failed> {
    let value = landing.value.map(shown);
    let value = match (&value, old) {
        (Some(new), Some(old)) if new != old && old != "(secret)" => {
            format!(" = {new}, which was {old}")
        }
        (Some(new), _) => format!(" = {new}"),
        (None, _) => String::new(),
    };
    let fate = landing.fate.as_deref().map(|fate| format!("   {fate}")).unwrap_or_default();
    printer.line(&format!("     → {}{}{fate}", clean(&landing.locator), clean(&value)))?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("a\n[\"b\", \"c\"],\nd", 2, &["[\"b\", \"c\"],"])]
    #[case("move = [\n  [\"b ]\",\n   \"c\"],\n]", 2, &["[\"b ]\",", "\"c\"],"])]
    #[case("move = [\n  [\n    \"b\",\n    \"c\",\n  ],\n]", 3, &["[", "\"b\",", "\"c\",", "],"])]
    #[case("\"x\" = { a = 1 } # [", 1, &["\"x\" = { a = 1 } # ["])]
    fn a_rule_ends_with_its_brackets(#[case] text: &str, #[case] line: usize, #[case] expected: &[&str]) {
        assert_eq!(whole_rule(text, line), expected);
    }

    #[rstest]
    #[case("links/link[p1]/mtu", "p1", true)]
    #[case("links/link[p10]/mtu", "p1", false)]
    #[case("p1.20", "p1", true)]
    fn a_name_is_found_as_a_word(#[case] text: &str, #[case] word: &str, #[case] expected: bool) {
        assert_eq!(has_word(text, word), expected);
    }
}
