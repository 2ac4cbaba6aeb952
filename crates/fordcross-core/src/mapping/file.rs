//! The map file: TOML that a person edits. What they wrote, comments too, stays when it is proposed
//! again; what was proposed is kept in a table of its own so that the two can be told apart.

use super::renames::{Renamed, parse_network};
use super::{Accepted, Addresses, LEAVE, OPEN, Paths, PortTarget};
use crate::declaration::{Report, Section, Word, as_word};
use crate::finding::{Code, Findings, did_you_mean};
use crate::language::profile::Model;
use crate::text::source::{LineIndex, Source};
use crate::tree::pattern::Pattern;
use ipnet::IpNet;
use rustc_hash::{FxHashMap, FxHashSet};
use toml::Spanned;
use toml::de::DeValue;

/// The newest form of map files.
pub(super) const FORMAT: i64 = 2;

/// What a map file says.
#[derive(Clone, Debug, Default)]
pub struct MapFile {
    /// What becomes of each port.
    pub ports: FxHashMap<String, PortTarget>,
    /// The line that says so.
    pub lines: FxHashMap<String, u32>,
    /// Paths that have new ones.
    pub paths: Paths,
    /// Addresses that have new ones.
    pub addresses: Addresses,
    /// The findings that a person passes.
    pub accepted: Vec<Accepted>,
    /// What was proposed when the file was written.
    proposed: FxHashMap<String, PortTarget>,
}

impl MapFile {
    /// What a person decided: what differs from what was proposed.
    pub fn by_person(&self) -> FxHashMap<String, PortTarget> {
        let decided = self.ports.iter().filter(|(old, target)| self.proposed.get(*old) != Some(target));
        decided.map(|(old, target)| (old.clone(), target.clone())).collect()
    }
}

/// What a map file is read for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MapUse {
    /// To be carried by: every word in it stands.
    Carry,
    /// To be proposed again: what only was proposed gives way to what a person wrote.
    ProposeAgain,
}

/// The two sides that a map is between.
#[derive(Clone, Copy, Debug)]
pub struct MapSides<'m> {
    /// The lines, the old one first.
    pub lines: (&'m str, &'m str),
    /// The unit that the backup is of, if it says so.
    pub unit: Option<&'m str>,
    /// The old model, if the line has models and it is known.
    pub old: Option<&'m Model>,
    /// The new model, if the line has models.
    pub new: Option<&'m Model>,
    /// The ports that the backup names.
    pub used: &'m [&'m str],
}

/// Reads a map file.
///
/// # Errors
/// All that is wrong with it: that it is for other lines, another model or another unit, ports that neither model has,
/// new ports that are given twice, paths that do not begin at the root, networks of another size, two that become one.
pub fn parse_map(source: Source<'_>, sides: &MapSides<'_>, purpose: MapUse) -> Result<MapFile, Findings> {
    let report = Report::new(source);
    let table = report.parse();
    let root = Section::new(&report, table.get_ref(), table.span().into());
    let lines = LineIndex::new(source);
    if root.section("map").is_some_and(|head| !is_for(&head, sides)) {
        return Err(report.into_findings());
    }
    let mut map = MapFile { accepted: read_accepted(&root), ..MapFile::default() };
    if let Some(proposed) = root.section("proposed") {
        if let Some(ports) = proposed.section("ports") {
            for (old_name, target) in ports.members() {
                if let Some(target) = port_target(&ports, target) {
                    map.proposed.insert(old_name.text.to_owned(), target.0);
                }
            }
        }
        proposed.finish();
    }
    if let Some(ports) = root.section("ports") {
        read_ports(&ports, sides, purpose, &lines, &mut map);
    }
    let mut number = 0;
    read_paths(&root, &lines, &mut number, &mut map.paths);
    read_addresses(&root, &lines, &mut number, &mut map.addresses);
    map.paths.put_in_order();
    map.addresses.put_in_order();
    root.finish();
    if report.is_clean() { Ok(map) } else { Err(report.into_findings()) }
}

/// Whether a map is for this backup and target; tells what it is for if it is not.
fn is_for(head: &Section<'_, '_>, sides: &MapSides<'_>) -> bool {
    let (from, to, unit) = (head.word("from"), head.word("to"), head.word("unit"));
    let format = head.integer("format");
    let report = head.report();
    let help = "name the map of this backup, or another file to have one proposed; what `[map]` says can be taken out";
    let mut is_for_this = true;
    if let Some((format, span)) = format.filter(|(format, _)| !(1..=FORMAT).contains(format)) {
        let message = format!("this map is of form {format}, and forms 1 to {FORMAT} are known");
        report.add(Code::ValueWrong, span, message).help("take a newer release of the program");
        is_for_this = false;
    }
    let (old, new) = sides.lines;
    let sides_of_map = [
        (from, old, sides.old, "backups of", "this one is of"),
        (to, new, sides.new, "results for", "this one is for"),
    ];
    for (said, line, model, what, this) in sides_of_map {
        let Some(said) = said else { continue };
        let other_model = model_of(said.text).zip(model).filter(|(said, model)| *said != model.name);
        if line_of(said.text) == line && other_model.is_none() {
            continue;
        }
        let here = match model {
            Some(model) => format!("{line}/{}", model.name),
            None => line.to_owned(),
        };
        let message = format!("this map is for {what} `{}`, and {this} `{here}`", said.text);
        report.add(Code::ValueWrong, said.span, message).help(help);
        is_for_this = false;
    }
    if let (Some(said), Some(unit)) = (unit, sides.unit)
        && said.text != unit
    {
        let message = format!("this map is for the unit `{}`, and the backup is of `{unit}`", said.text);
        report.add(Code::ValueWrong, said.span, message).help(help);
        is_for_this = false;
    }
    if is_for_this {
        // Only what can be read is asked about.
        report_unknown(head);
    }
    is_for_this
}

fn report_unknown(head: &Section<'_, '_>) {
    let known = ["format", "from", "to", "unit"];
    for (name, _) in head.members() {
        if !known.contains(&name.text) {
            head.report()
                .add(Code::KeyUnknown, name.span, format!("`{}` means nothing in `[map]`", name.text))
                .help(did_you_mean(name.text, known));
        }
    }
}

/// `[[accept]]`: findings that a person passes with a reason.
fn read_accepted(root: &Section<'_, '_>) -> Vec<Accepted> {
    let read = |section: Section<'_, '_>| {
        let finding = section.need_word("finding").map(|word| word.text.to_owned());
        let shows = section.need_word("shows").map(|word| word.text.to_owned());
        let reason = section.need_word("reason");
        let (by, on) = (section.word("by"), section.word("on"));
        if let Some(reason) = reason.filter(|reason| reason.text.trim().is_empty()) {
            section
                .report()
                .add(Code::ValueWrong, reason.span, "nothing is accepted without a reason")
                .help("say why the target takes it all the same");
        }
        section.finish();
        let text = |word: Word<'_>| word.text.to_owned();
        Some(Accepted {
            finding: finding?,
            shows: shows?,
            reason: reason?.text.to_owned(),
            by: by.map(text),
            on: on.map(text),
        })
    };
    root.sections("accept").into_iter().filter_map(read).collect()
}

/// What becomes of a port: a name, `leave`, `?`, or `{ action = "leave" }` where a new port is called so.
fn port_target<'t>(
    section: &Section<'t, '_>,
    value: &'t Spanned<DeValue<'_>>,
) -> Option<(PortTarget, Word<'t>)> {
    if let Some(word) = as_word(value) {
        return Some((PortTarget::from_word(word.text), word));
    }
    let table = section.as_section(value).filter(|_| value.get_ref().is_table());
    let target = table.and_then(|table| {
        let (to, action) = (table.word("to"), table.word("action"));
        table.finish();
        match (to, action) {
            (Some(to), None) => Some((PortTarget::New(to.text.to_owned()), to)),
            (None, Some(action)) => match action.text {
                LEAVE => Some((PortTarget::Leave, action)),
                "open" | OPEN => Some((PortTarget::Open, action)),
                _ => None,
            },
            _ => None,
        }
    });
    if target.is_none() {
        section.report().add(Code::ValueWrong, value.span().into(), "expected a string").help(format!(
            "write the name of a new port, `{LEAVE}` or `{OPEN}`, or `{{ action = \"{LEAVE}\" }}`"
        ));
    }
    target
}

fn read_ports(
    ports: &Section<'_, '_>,
    sides: &MapSides<'_>,
    purpose: MapUse,
    lines: &LineIndex<'_>,
    map: &mut MapFile,
) {
    let MapSides { old, new, .. } = *sides;
    let report = ports.report();
    let mut given: FxHashMap<String, &str> = FxHashMap::default();
    let of_model = old.iter().flat_map(|old| old.ports.iter().map(|port| port.name.as_str()));
    let mut known = FxHashSet::default();
    // Those of the model first.
    let listed: Vec<&str> =
        of_model.chain(sides.used.iter().copied()).filter(|name| known.insert(*name)).collect();
    let names: Vec<&str> =
        new.iter().flat_map(|new| new.ports.iter().map(|port| port.name.as_str())).collect();
    for (old_name, value) in ports.members() {
        // Without models nobody knows all ports, and one map may serve many hosts.
        if (old.is_some() || new.is_some()) && !known.contains(old_name.text) {
            report
                .add(
                    Code::PortUnknown,
                    old_name.span,
                    format!("the old unit has no port `{}`", old_name.text),
                )
                .help(did_you_mean(old_name.text, listed.iter().copied()));
        }
        let Some((meaning, word)) = port_target(ports, value) else { continue };
        if let PortTarget::New(name) = &meaning {
            if let Some(new) = new
                && !names.contains(&name.as_str())
            {
                let help = did_you_mean(name, names.iter().copied().chain([LEAVE, OPEN]));
                report
                    .add(Code::PortUnknown, word.span, format!("{} has no port `{name}`", new.title))
                    .help(help);
            } else if purpose == MapUse::ProposeAgain && map.proposed.get(old_name.text) == Some(&meaning) {
                // It will be proposed anew, around what a person wrote.
            } else if let Some(first) = given.insert(name.clone(), old_name.text) {
                report
                    .add(
                        Code::PortTwice,
                        word.span,
                        format!("the new port `{name}` is given to both `{first}` and `{}`", old_name.text),
                    )
                    .help(format!("give one of them another port, or `{LEAVE}`"));
            }
        }
        map.lines.insert(old_name.text.to_owned(), lines.position(old_name.span.start).line);
        map.ports.insert(old_name.text.to_owned(), meaning);
    }
}

/// The line of what is written like `--to`: `osier/8@2.1`.
fn line_of(written: &str) -> &str {
    written.split(['/', '@']).next().unwrap_or(written)
}

/// The model of what is written like `--to`, if it names one.
fn model_of(written: &str) -> Option<&str> {
    let unit = written.split('@').next().unwrap_or(written);
    unit.split_once('/').map(|(_, model)| model)
}

/// An entry of a table of new names: old, new, the line, and what it is not for.
struct Rename<'t> {
    old: Word<'t>,
    new: Word<'t>,
    line: u32,
    except: Vec<Pattern>,
}

/// Each old name of a table with its new one: a string, or `{ to = "…", except = ["PATH"] }`.
/// More entries of one kind than anybody writes: they are numbered in 16 bits.
const MOST_RENAMES: usize = 30_000;

fn each_rename<'t>(
    root: &Section<'t, '_>,
    lines: &LineIndex<'_>,
    table: &'static str,
    wanted: &str,
    mut take: impl FnMut(&Report<'_>, Rename<'t>),
) {
    let Some(section) = root.section(table) else { return };
    for (number, (old, value)) in section.members().into_iter().enumerate() {
        if number == MOST_RENAMES {
            let message = format!("`[{table}]` has more than {MOST_RENAMES} entries");
            section.report().add(Code::TooLarge, old.span, message).help("name whole networks and folders");
            return;
        }
        let line = lines.position(old.span.start).line;
        if let Some(new) = as_word(value) {
            take(section.report(), Rename { old, new, line, except: Vec::new() });
            continue;
        }
        let entry = section.as_section(value).filter(|_| value.get_ref().is_table()).and_then(|entry| {
            let to = entry.word("to");
            let words = entry.words("except").into_iter();
            let except = words.filter_map(|word| crate::declaration::parse_pattern(&entry, word)).collect();
            entry.finish();
            Some(Rename { old, new: to?, line, except })
        });
        match entry {
            Some(entry) => take(section.report(), entry),
            None => {
                section
                    .report()
                    .add(Code::ValueWrong, value.span().into(), format!("expected {wanted}, as a string"))
                    .help(
                        "or write `{ to = \"…\", except = [\"PATH\"] }` to leave some settings as they are",
                    );
            }
        }
    }
}

fn read_paths(root: &Section<'_, '_>, lines: &LineIndex<'_>, number: &mut u16, paths: &mut Paths) {
    let mut given: FxHashMap<&str, &str> = FxHashMap::default();
    each_rename(root, lines, "paths", "a path", |report, Rename { old, new, line, except }| {
        for path in [old, new].into_iter().filter(|path| !path.text.starts_with('/')) {
            report
                .add(Code::ValueWrong, path.span, format!("`{}` does not begin at the root", path.text))
                .help("write whole paths, such as `\"/srv/data\" = \"/mnt/data\"`");
        }
        if let Some(first) = given.insert(new.text.trim_end_matches('/'), old.text) {
            report
                .add(
                    Code::MapCollision,
                    new.span,
                    format!("both `{first}` and `{}` become `{}`", old.text, new.text),
                )
                .help("what lies in both would lie in one: give one of them another path");
        }
        paths.add(Renamed { old: old.text, new: new.text, number: *number, line, except });
        *number += 1;
    });
}

fn read_addresses(
    root: &Section<'_, '_>,
    lines: &LineIndex<'_>,
    number: &mut u16,
    addresses: &mut Addresses,
) {
    let mut given: FxHashMap<IpNet, IpNet> = FxHashMap::default();
    each_rename(root, lines, "addresses", "an address", |report, Rename { old, new, line, except }| {
        let read = |word: Word<'_>| {
            let network = parse_network(word.text);
            if network.is_none() {
                report
                    .add(Code::ValueWrong, word.span, format!("`{}` is no address and no network", word.text))
                    .help("write an address, or a network such as `192.0.2.0/24`");
            }
            network
        };
        let (Some(from), Some(to)) = (read(old), read(new)) else { return };
        if let Some(&first) = given.get(&to).filter(|first| **first != from) {
            let first = super::renames::spelled(first);
            let message = format!("both `{first}` and `{}` become `{}`", old.text, new.text);
            report
                .add(Code::MapCollision, new.span, message)
                .help("two old addresses would become one: give one of both another");
        }
        given.entry(to).or_insert(from);
        if let Err(why) = addresses.add(Renamed { old: from, new: to, number: *number, line, except }) {
            report
                .add(Code::MapLengths, new.span, why)
                .help("give a network one of the same length, and an address an address: masks, ranges and broadcasts would have to follow");
        }
        *number += 1;
    });
}

#[cfg(test)]
#[path = "file_tests.rs"]
mod tests;
