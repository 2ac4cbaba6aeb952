//! Writing the map file. What a person wrote stays as it is, comments too; what is ours is written anew.

use super::file::FORMAT;
use super::seen::UsedOfKind;
use super::{Proposal, UsedNames};
use crate::finding::count;
use std::fmt::Write as _;
use toml_edit::{Decor, DocumentMut, Item, Table, Value, value};

/// What a map file is written from.
#[derive(Clone, Copy, Debug)]
pub struct MapContents<'m> {
    /// What becomes of each port.
    pub proposals: &'m [Proposal],
    /// The old unit, written like `--to`, and the target.
    pub from: &'m str,
    /// The target.
    pub to: &'m str,
    /// What the old unit is called.
    pub unit: Option<&'m str>,
    /// The paths and addresses of the backup, to be mapped by a person.
    pub used: &'m UsedNames,
}

/// Writes a map file; `existing` is the file as the person left it.
pub fn write_map(contents: &MapContents<'_>, existing: Option<&str>) -> String {
    let mut document: DocumentMut = existing.and_then(|text| text.parse().ok()).unwrap_or_default();
    if existing.is_none() {
        document.decor_mut().set_prefix(HEADER);
    }
    let head = table(&mut document, "map");
    head["format"] = value(FORMAT);
    head["from"] = value(contents.from);
    head["to"] = value(contents.to);
    if let Some(unit) = contents.unit {
        head["unit"] = value(unit);
    }
    let ports = table(&mut document, "ports");
    for proposal in contents.proposals {
        let was = ports.get(&proposal.old).and_then(Item::as_str);
        // A table says the same, and more plainly.
        let is_table = ports.get(&proposal.old).is_some_and(|item| item.as_str().is_none());
        if !is_table && was != Some(proposal.target.word()) {
            let kept = ports.get(&proposal.old).and_then(Item::as_value).map(|value| value.decor().clone());
            ports[&proposal.old] = value(proposal.target.word());
            if let (Some(kept), Some(written)) =
                (kept, ports.get_mut(&proposal.old).and_then(Item::as_value_mut))
            {
                *written.decor_mut() = kept;
            }
        }
        let Some(written) = ports.get_mut(&proposal.old).and_then(Item::as_value_mut) else { continue };
        if is_ours(written.decor()) {
            let text = format!("  # {}{}", proposal.why, suffix(proposal));
            written.decor_mut().set_suffix(text);
        }
    }
    let proposed = table(&mut document, "proposed");
    proposed.decor_mut().set_prefix(format!("{}{PROPOSED_HEADER}", used_names(contents.used)));
    proposed.set_implicit(false);
    let mut made = Table::new();
    for proposal in contents.proposals.iter().filter(|proposal| !proposal.by_person) {
        made[&proposal.old] = value(proposal.target.word());
    }
    proposed["ports"] = Item::Value(Value::InlineTable(made.into_inline_table()));
    document.to_string()
}

/// The end of a comment of ours, by which it is known again.
fn suffix(proposal: &Proposal) -> String {
    format!("; {}", count(proposal.settings, "setting"))
}

/// Whether a comment behind a value is one that we wrote, or there is none.
fn is_ours(decor: &Decor) -> bool {
    let text = decor.suffix().and_then(|suffix| suffix.as_str()).unwrap_or("").trim();
    let Some((_, settings)) = text.rsplit_once("; ") else { return text.is_empty() };
    let number = settings.strip_suffix(" settings").or_else(|| settings.strip_suffix(" setting"));
    text.starts_with('#') && number.is_some_and(|number| number.parse::<usize>().is_ok())
}

/// The most paths, and addresses, that are listed.
const MAX_LISTED: usize = 60;

/// The paths and addresses of the backup as comments: nothing is mapped that nobody asked for.
fn used_names(used: &UsedNames) -> String {
    let mut out = String::new();
    for UsedOfKind { table, invitation, names: all } in used.0.iter().filter(|kind| !kind.names.is_empty()) {
        let _ = writeln!(
            out,
            "\n# Of the backup, with the number of settings; take a line into [{table}] to give it {invitation}:"
        );
        for name in all.iter().take(MAX_LISTED) {
            let mark = name.mark.as_ref().map_or_else(String::new, |mark| format!("; {mark}"));
            let quoted = Value::from(name.name.as_str());
            let _ = writeln!(
                out,
                "#   {} = \"\"  # {}{mark}",
                quoted.to_string().trim(),
                count(name.settings, "setting")
            );
        }
        if all.len() > MAX_LISTED {
            let _ = writeln!(out, "#   and {} more", all.len() - MAX_LISTED);
        }
    }
    out
}

const HEADER: &str = "\
# Fordcross map: what becomes of each old port on the new unit. Edit the table [ports]:
#   p3 = \"cu4\"      the settings of p3 go to the new port cu4; two ports can be swapped
#   p3 = \"leave\"    what names p3 is left out, with what cannot be without it
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
