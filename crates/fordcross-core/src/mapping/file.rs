//! The map file: TOML that a person edits. What they wrote, comments too, stays when it is proposed
//! again; what was proposed is kept in a table of its own so that the two can be told apart.

use super::entry::EntryNumber;
use super::facts::MapFact;
use super::kind::{Mapped, Reading};
use super::proposal::{Destination, Grounds, Proposal};
use super::sides::{MapSides, MapUse};
use super::{Accepted, MapKind, Ports};
use crate::declaration::{Report, Section, Word};
use crate::finding::{Findings, Suggestion};
use crate::recognise::backup::Backup;
use crate::text::source::{LineIndex, Source};
use std::sync::Arc;

/// The newest form of map files.
pub(super) const FORMAT: i64 = 2;

/// What a map file says.
#[derive(Clone, Debug)]
pub struct MapFile {
    /// What is said of names, by kind, in the order of [`MapKind::ALL`].
    pub(super) kinds: Vec<Arc<dyn Mapped>>,
    /// The findings that a person passes.
    pub accepted: Vec<Accepted>,
}

impl Default for MapFile {
    fn default() -> Self {
        Self { kinds: shared(nothing()), accepted: Vec::new() }
    }
}

/// All kinds, with nothing said of any.
fn nothing() -> Vec<Box<dyn Mapped>> {
    MapKind::ALL.iter().map(|kind| kind.nothing()).collect()
}

fn shared(kinds: Vec<Box<dyn Mapped>>) -> Vec<Arc<dyn Mapped>> {
    kinds.into_iter().map(Arc::from).collect()
}

impl MapFile {
    /// What a file would say that says this of ports, and nothing else.
    pub fn of_ports(decided: impl IntoIterator<Item = (String, Destination)>) -> Self {
        let mut map = Self::default();
        let ports: Arc<dyn Mapped> = Arc::new(Ports::of(decided));
        map.kinds
            .iter_mut()
            .filter(|kind| kind.kind() == MapKind::Ports)
            .for_each(|kind| *kind = ports.clone());
        map
    }

    /// Proposes new names around what the file says, kind by kind in the order of [`MapKind::ALL`], each kind in the order of the
    /// backup. Findings do not stop the proposal.
    pub fn propose(&self, on: &Grounds<'_>, backup: &Backup<'_>) -> (Vec<Proposal>, Findings) {
        let (mut proposals, mut findings) = (Vec::new(), Findings::new());
        for kind in &self.kinds {
            let (proposed, found) = kind.propose(on, backup);
            proposals.extend(proposed);
            findings.extend(found);
        }
        (proposals, findings)
    }
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
    let accepted = read_accepted(&root);
    let mut kinds = nothing();
    if let Some(proposed) = root.section("proposed") {
        for kind in &mut kinds {
            if let Some(section) = proposed.section(kind.table()) {
                kind.read_proposed(&section);
            }
        }
        proposed.finish();
    }
    let mut reading = Reading { sides, purpose, lines: &lines, next: EntryNumber(0) };
    for kind in &mut kinds {
        if let Some(section) = root.section(kind.table()) {
            kind.read(&section, &mut reading);
        }
    }
    root.finish();
    if report.is_clean() {
        Ok(MapFile { kinds: shared(kinds), accepted })
    } else {
        Err(report.into_findings())
    }
}

/// Which of the two a map says something of.
#[derive(Clone, Copy)]
enum Side {
    Source,
    Target,
}

/// Whether a map is for this backup and target. Reports what it is for if it is not.
fn is_for(head: &Section<'_, '_>, sides: &MapSides<'_>) -> bool {
    let (from, to, unit) = (head.word("from"), head.word("to"), head.word("unit"));
    let format = head.integer("format");
    let report = head.report();
    let mut is_for_this = true;
    if let Some((format, span)) = format.filter(|(format, _)| !(1..=FORMAT).contains(format)) {
        report.add(span, MapFact::FormatUnknown { format, newest: FORMAT });
        is_for_this = false;
    }
    let (old, new) = sides.platforms;
    let sides_of_map = [(from, old, sides.old, Side::Source), (to, new, sides.new, Side::Target)];
    for (said, line, model, side) in sides_of_map {
        let Some(said) = said else { continue };
        let other_model = model_of(said.text).zip(model).filter(|(said, model)| *said != model.name);
        if platform_of(said.text) == line && other_model.is_none() {
            continue;
        }
        let here = match model {
            Some(model) => format!("{line}/{}", model.name),
            None => line.to_owned(),
        };
        let said_text = said.text.to_owned();
        report.add(
            said.span,
            match side {
                Side::Source => MapFact::OtherSource { said: said_text, here },
                Side::Target => MapFact::OtherTarget { said: said_text, here },
            },
        );
        is_for_this = false;
    }
    if let (Some(said), Some(unit)) = (unit, sides.unit)
        && said.text != unit
    {
        report.add(said.span, MapFact::OtherUnit { said: said.text.to_owned(), unit: unit.to_owned() });
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
            head.report().add(
                name.span,
                MapFact::KeyMeaningless {
                    name: name.text.to_owned(),
                    instead: Suggestion::among(name.text, known),
                },
            );
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
            section.report().add(reason.span, MapFact::NoReason);
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

/// The line of what is written like `--to`: `osier/8@2.1`.
fn platform_of(written: &str) -> &str {
    written.split(['/', '@']).next().unwrap_or(written)
}

/// The model of what is written like `--to`, if it names one.
fn model_of(written: &str) -> Option<&str> {
    let unit = written.split('@').next().unwrap_or(written);
    unit.split_once('/').map(|(_, model)| model)
}

#[cfg(test)]
#[path = "file_tests.rs"]
mod tests;
