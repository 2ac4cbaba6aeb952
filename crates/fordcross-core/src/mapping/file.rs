//! The map file: TOML that a person edits. What they wrote, comments too, stays when it is proposed
//! again; what was proposed is kept in a table of its own so that the two can be told apart.

use super::renames::parse_network;
use super::{Addresses, LEAVE, OPEN, Paths, PortProposal, PortTarget};
use crate::finding::{Code, Findings, did_you_mean};
use crate::profile::Model;
use crate::source::{LineIndex, Source};
use crate::toml_file::{Report, Section, Word, as_word};
use rustc_hash::{FxHashMap, FxHashSet};
use toml_edit::{DocumentMut, Item, Table, value};

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
/// All that is wrong with it: that it is for other lines, ports that neither model has, new ports that are given
/// twice, paths that do not begin at the root, networks of another size.
pub fn parse_map(source: Source<'_>, sides: &MapSides<'_>, purpose: MapUse) -> Result<MapFile, Findings> {
    let MapSides { old, new, .. } = *sides;
    let report = Report::new(source);
    let table = report.parse();
    let root = Section::new(&report, table.get_ref(), table.span().into());
    let lines = LineIndex::new(source);
    if let Some(head) = root.section("map") {
        let (from, to) = (head.word("from"), head.word("to"));
        head.finish();
        let mut is_for_others = false;
        let (old, new) = sides.lines;
        for (said, line, what, this) in
            [(from, old, "backups of", "this one is of"), (to, new, "results for", "this one is for")]
        {
            let Some(said) = said.filter(|said| line_of(said.text) != line) else { continue };
            let message = format!("this map is for {what} `{}`, and {this} `{line}`", said.text);
            report.add(Code::ValueWrong, said.span, message).help(
                "name the map of this backup, or another file to have one proposed; what `[map]` says can be taken out",
            );
            is_for_others = true;
        }
        if is_for_others {
            return Err(report.into_findings());
        }
    }
    let mut map = MapFile::default();
    if let Some(proposed) = root.section("proposed") {
        if let Some(ports) = proposed.section("ports") {
            for (old_name, target) in ports.members() {
                if let Some(word) = as_word(target) {
                    map.proposed.insert(old_name.text.to_owned(), PortTarget::from_word(word.text));
                }
            }
        }
        proposed.finish();
    }
    let mut given: FxHashMap<&str, &str> = FxHashMap::default();
    if let Some(ports) = root.section("ports") {
        let of_model = old.iter().flat_map(|old| old.ports.iter().map(|port| port.name.as_str()));
        let mut known = FxHashSet::default();
        // Those of the model first.
        let listed: Vec<&str> =
            of_model.chain(sides.used.iter().copied()).filter(|name| known.insert(*name)).collect();
        let names: Vec<&str> =
            new.iter().flat_map(|new| new.ports.iter().map(|port| port.name.as_str())).collect();
        for (old_name, target) in ports.members() {
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
            let Some(word) = as_word(target) else {
                report
                    .add(Code::ValueWrong, target.span().into(), "expected a string")
                    .help(format!("write the name of a new port, `{LEAVE}` or `{OPEN}`"));
                continue;
            };
            let meaning = PortTarget::from_word(word.text);
            if let PortTarget::New(name) = &meaning {
                if let Some(new) = new
                    && !names.contains(&name.as_str())
                {
                    let help = did_you_mean(name, names.iter().copied().chain([LEAVE, OPEN]));
                    report
                        .add(Code::PortUnknown, word.span, format!("{} has no port `{name}`", new.title))
                        .help(help);
                } else if purpose == MapUse::ProposeAgain && map.proposed.get(old_name.text) == Some(&meaning)
                {
                    // It will be proposed anew, around what a person wrote.
                } else if let Some(first) = given.insert(word.text, old_name.text) {
                    report
                        .add(
                            Code::PortTwice,
                            word.span,
                            format!(
                                "the new port `{name}` is given to both `{first}` and `{}`",
                                old_name.text
                            ),
                        )
                        .help(format!("give one of them another port, or `{LEAVE}`"));
                }
            }
            map.lines.insert(old_name.text.to_owned(), lines.position(old_name.span.start).line);
            map.ports.insert(old_name.text.to_owned(), meaning);
        }
    }
    read_paths(&root, &mut map.paths);
    read_addresses(&root, &mut map.addresses);
    root.finish();
    if report.is_clean() { Ok(map) } else { Err(report.into_findings()) }
}

/// The line of what is written like `--to`: `osier/8@2.1`.
fn line_of(written: &str) -> &str {
    written.split(['/', '@']).next().unwrap_or(written)
}

/// Each old name of a table with its new one.
fn each_rename<'t>(
    root: &Section<'t, '_>,
    table: &'static str,
    wanted: &str,
    mut take: impl FnMut(&Report<'_>, Word<'t>, Word<'t>),
) {
    let Some(section) = root.section(table) else { return };
    for (old, new) in section.members() {
        match as_word(new) {
            Some(new) => take(section.report(), old, new),
            None => {
                let message = format!("expected {wanted}, as a string");
                section.report().add(Code::ValueWrong, new.span().into(), message);
            }
        }
    }
}

fn read_paths(root: &Section<'_, '_>, paths: &mut Paths) {
    each_rename(root, "paths", "a path", |report, old, new| {
        for path in [old, new].into_iter().filter(|path| !path.text.starts_with('/')) {
            report
                .add(Code::ValueWrong, path.span, format!("`{}` does not begin at the root", path.text))
                .help("write whole paths, such as `\"/srv/data\" = \"/mnt/data\"`");
        }
        paths.add(old.text, new.text);
    });
}

fn read_addresses(root: &Section<'_, '_>, addresses: &mut Addresses) {
    each_rename(root, "addresses", "an address", |report, old, new| {
        let read = |word: Word<'_>| {
            let network = parse_network(word.text);
            if network.is_none() {
                report
                    .add(Code::ValueWrong, word.span, format!("`{}` is no address and no network", word.text))
                    .help("write an address, or a network such as `192.0.2.0/24`");
            }
            network
        };
        if let (Some(from), Some(to)) = (read(old), read(new))
            && let Err(why) = addresses.add(from, to)
        {
            report
                .add(Code::ValueWrong, new.span, why)
                .help("give a network one of the same size, and an address an address");
        }
    });
}

/// Writes a map file with the proposals; `existing` is the file as the person left it.
pub fn write_map(proposals: &[PortProposal], from: &str, to: &str, existing: Option<&str>) -> String {
    let mut document: DocumentMut = existing.and_then(|text| text.parse().ok()).unwrap_or_default();
    if existing.is_none() {
        document.decor_mut().set_prefix(HEADER);
    }
    let head = table(&mut document, "map");
    head["from"] = value(from);
    head["to"] = value(to);
    let ports = table(&mut document, "ports");
    for proposal in proposals {
        let was = ports.get(&proposal.old).and_then(Item::as_str);
        if was == Some(proposal.target.word()) {
            continue;
        }
        ports[&proposal.old] = value(proposal.target.word());
        if let Some(written) = ports.get_mut(&proposal.old).and_then(Item::as_value_mut) {
            let settings = crate::finding::count(proposal.settings, "setting");
            written.decor_mut().set_suffix(format!("  # {}; {settings}", proposal.why));
        }
    }
    let proposed = table(&mut document, "proposed");
    proposed.decor_mut().set_prefix(PROPOSED_HEADER);
    proposed.set_implicit(false);
    let mut made = Table::new();
    for proposal in proposals.iter().filter(|proposal| !proposal.by_person) {
        made[&proposal.old] = value(proposal.target.word());
    }
    proposed["ports"] = Item::Value(toml_edit::Value::InlineTable(made.into_inline_table()));
    document.to_string()
}

const HEADER: &str = "\
# Fordcross map: what becomes of each old port on the new unit. Edit the table [ports]:
#   p3 = \"cu4\"      the settings of p3 go to the new port cu4; two ports can be swapped
#   p3 = \"leave\"    the settings that name p3 are left out, and listed as left out
#   p3 = \"?\"        not decided; nothing is written until it is
# Paths and addresses stay as they are, unless tables of their own say otherwise:
#   [paths]
#   \"/srv/old\" = \"/srv/new\"              and all that is below it; the longest path counts
#   [addresses]
#   \"192.0.2.0/24\" = \"198.51.100.0/24\"  and all that is in it; a single address counts more
# What you change stays when the map is proposed again.

";

const PROPOSED_HEADER: &str = "
# What was proposed, so that what you changed above can be told apart. Not for editing.
";

fn table<'d>(document: &'d mut DocumentMut, name: &str) -> &'d mut Table {
    if !document.contains_table(name) {
        let mut table = Table::new();
        if name != "map" {
            table.decor_mut().set_prefix("\n");
        }
        document.insert(name, Item::Table(table));
    }
    document[name].as_table_mut().expect("just made or found to be a table")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::profile::Port;
    use rstest::rstest;

    fn model(name: &str, ports: &[&str]) -> Model {
        let port =
            |name: &&str| Port { name: (*name).into(), medium: "copper".into(), speed: 1_000, role: None };
        Model {
            name: name.into(),
            title: name.into(),
            limits: Vec::new(),
            ports: ports.iter().map(port).collect(),
        }
    }

    fn proposal(old: &str, target: &str, by_person: bool) -> PortProposal {
        PortProposal {
            old: old.into(),
            target: PortTarget::from_word(target),
            why: "because".into(),
            by_person,
            settings: 2,
        }
    }

    fn parse(text: &str) -> Result<MapFile, Findings> {
        let (old, new) = (model("old", &["p1", "p2"]), model("new", &["c1", "c2"]));
        let sides = MapSides { lines: ("a", "b"), old: Some(&old), new: Some(&new), used: &["p1"] };
        parse_map(Source::new("map", text), &sides, MapUse::Carry)
    }

    #[test]
    fn what_a_person_wrote_is_told_apart_and_kept() {
        let text = write_map(&[proposal("p1", "c1", false), proposal("p2", "?", false)], "a", "b", None);
        assert!(parse(&text).expect("a map").by_person().is_empty());
        let edited = text
            .replacen("p2 = \"?\"", "# the crane\np2 = \"c1\"", 1)
            .replace("p1 = \"c1\"  #", "p1 = \"c2\"  #");
        let map = parse(&edited).expect("a map");
        assert_eq!(map.by_person().len(), 2);
        let again =
            write_map(&[proposal("p1", "c2", true), proposal("p2", "c1", true)], "a", "b", Some(&edited));
        assert!(again.contains("# the crane\np2 = \"c1\""), "{again}");
        assert!(again.contains("p1 = \"c2\""), "{again}");
        assert_eq!(parse(&again).expect("a map").by_person().len(), 2);
    }

    #[rstest]
    #[case("[ports]\np9 = 'c1'", Code::PortUnknown, "no port `p9`")]
    #[case("[ports]\np1 = 'c9'", Code::PortUnknown, "no port `c9`")]
    #[case("[ports]\np1 = 'c1'\np2 = 'c1'", Code::PortTwice, "both `p1` and `p2`")]
    #[case("[ports]\np1 = 3", Code::ValueWrong, "expected a string")]
    #[case("[paths]\n'srv' = '/x'", Code::ValueWrong, "does not begin at the root")]
    #[case("[addresses]\n'192.0.2.0/24' = '192.0.2.0/25'", Code::ValueWrong, "not of the same size")]
    #[case("[addresses]\n'192.0.2.300' = '192.0.2.1'", Code::ValueWrong, "no address and no network")]
    #[case(
        "[map]\nfrom = 'c@1'\n[ports]\neth0 = 'eth1'",
        Code::ValueWrong,
        "for backups of `c@1`, and this one is of `a`"
    )]
    #[case(
        "[map]\nfrom = 'a/8@1'\nto = 'c/8@1'",
        Code::ValueWrong,
        "for results for `c/8@1`, and this one is for `b`"
    )]
    #[case("[prots]\np1 = 'c1'", Code::KeyUnknown, "`prots`")]
    #[case("[ports\n", Code::TomlMalformed, "")]
    fn refuses(#[case] text: &str, #[case] code: Code, #[case] message: &str) {
        let findings = parse(text).expect_err("refused");
        assert_eq!(findings[0].code, code);
        assert!(findings[0].message.contains(message), "{}", findings[0].message);
    }

    #[test]
    fn ports_can_be_swapped() {
        let map = parse("[ports]\np1 = 'c2'\np2 = 'c1'").expect("a map");
        assert_eq!(map.ports["p1"], PortTarget::New("c2".into()));
    }
}
