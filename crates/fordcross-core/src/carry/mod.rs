//! Carrying: a backup, a crossing and a map make a new configuration and its ledger.
//!
//! 1. The first walk ([`crate::reading`]) finds settings, objects and the rules that speak of each.
//! 2. [`apply`] takes rule by rule what they ask for into a new tree.
//! 3. The new tree is written in the receiving line's form.
//! 4. [`read_back`] reads those bytes as the receiving line would and compares them with the ledger.

mod apply;
mod bar;
mod draft;
mod read_back;
mod value;

use crate::automaton::Automaton;
use crate::backup::Backup;
use crate::crossing::Crossing;
use crate::fate::{Fate, Origin};
use crate::finding::{Code, Finding, Findings, Place, Severity, count};
use crate::json::write_json;
use crate::ledger::{DecidedBy, Ledger, LedgerWriter};
use crate::locator::Labeler;
use crate::mapping::{Mapping, PortProposal, PortTarget};
use crate::profile::{FileForm, Model, Profile};
use crate::reading::{Reading, RowKind, automaton_of};
use crate::source::LineIndex;
use crate::tree::Tree;

/// All that a carry depends on.
#[derive(Clone, Copy, Debug)]
pub struct CarryInput<'i, 'a> {
    /// The backup.
    pub backup: &'i Backup<'a>,
    /// The profile that it is read under.
    pub old: &'i Profile,
    /// The profile of the receiving line.
    pub new: &'i Profile,
    /// The receiving model, for lines that have models.
    pub model: Option<&'i Model>,
    /// The receiving release.
    pub release: &'i str,
    /// The rules.
    pub crossing: &'i Crossing,
    /// What becomes of each port, with why; for messages.
    pub proposals: &'i [PortProposal],
    /// The same, to be looked up.
    pub mapping: &'i Mapping,
}

/// What a carry made.
#[derive(Debug)]
pub struct Carried<'i, 'a> {
    input: CarryInput<'i, 'a>,
    automaton: Automaton,
    new_automaton: Automaton,
    reading: Reading,
    new_tree: Tree<'a>,
    ledger: Ledger,
    /// The new configuration in the receiving line's form; empty if it is blocked.
    pub result: Vec<u8>,
    /// What a person should know, blockers first, then in the order of the backup.
    pub findings: Findings,
}

/// Carries a backup over.
pub fn carry<'i, 'a>(input: CarryInput<'i, 'a>) -> Carried<'i, 'a> {
    let mut automaton = automaton_of(input.old, Some(input.crossing));
    let reading = Reading::new(&input.backup.tree, input.old, &mut automaton);
    let (new_tree, ledger) = apply::apply(&input, &automaton, &reading);
    let new_automaton = automaton_of(input.new, None);
    let mut carried = Carried {
        input,
        automaton,
        new_automaton,
        reading,
        new_tree,
        ledger,
        result: Vec::new(),
        findings: Vec::new(),
    };
    carried.findings = carried.gather_findings();
    if !carried.is_blocked() {
        let mut result = Vec::new();
        match input.new.form {
            FileForm::Json => write_json(&carried.new_tree, &mut result),
            FileForm::Xml => carried.findings.push(
                Finding::new(Code::ResultDiffers, "files in the form `xml` cannot be written yet")
                    .help("choose a receiving line whose form is `json`"),
            ),
        }
        let differences = read_back::read_back(
            &result,
            &input,
            &carried.new_tree,
            &carried.ledger,
            &mut carried.new_automaton,
        );
        carried.findings.splice(0..0, differences);
        if !carried.is_blocked() {
            carried.result = result;
        }
    }
    carried.findings.sort_by_key(|finding| finding.severity);
    carried
}

/// How many settings and objects of one section had one fate.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FateCount {
    /// The section.
    pub section: String,
    /// The fate.
    pub fate: Fate,
    /// Settings.
    pub settings: usize,
    /// Objects.
    pub objects: usize,
}

impl Carried<'_, '_> {
    /// Whether nothing may be imported.
    pub fn is_blocked(&self) -> bool {
        self.findings.iter().any(|finding| finding.severity == Severity::Blocker)
    }

    /// Counts by section, in the order of the profile, and by fate, the mildest first.
    pub fn counts(&self) -> Vec<FateCount> {
        let sections = self.input.old.sections.len();
        let mut table = vec![[(0, 0); Fate::ALL.len()]; sections + 1];
        for (row, decision) in self.reading.rows.iter().zip(&self.ledger.decisions) {
            let cell = &mut table[row.section.map_or(sections, usize::from)][decision.fate as usize];
            match row.kind {
                RowKind::Setting => cell.0 += 1,
                RowKind::Object => cell.1 += 1,
            }
        }
        let mut counts = Vec::new();
        for (section, cells) in table.iter().enumerate() {
            let name = self.input.old.section_name((section < sections).then_some(section as u16));
            for (&fate, &(settings, objects)) in Fate::ALL.iter().zip(cells) {
                if settings + objects > 0 {
                    counts.push(FateCount { section: name.to_owned(), fate, settings, objects });
                }
            }
        }
        counts
    }

    /// How many settings of the result have an origin of each kind instead of a setting of the backup.
    pub fn origins(&self) -> Vec<(Origin, usize)> {
        let added = self.ledger.origins.iter().filter(|row| row.origin == Origin::Added).count();
        if added > 0 { vec![(Origin::Added, added)] } else { Vec::new() }
    }

    /// How many comments the backup has; they are not carried into a form without comments.
    pub fn comments(&self) -> usize {
        self.reading.comments
    }

    /// The ledger's rows, ready to be written one by one.
    pub fn ledger_rows(&mut self) -> LedgerWriter<'_> {
        LedgerWriter::new(
            &self.input.backup.tree,
            self.input.old,
            self.input.new,
            self.input.crossing,
            self.input.mapping,
            &self.reading,
            &self.ledger,
            &self.new_tree,
            &mut self.automaton,
            &mut self.new_automaton,
        )
    }

    fn gather_findings(&mut self) -> Findings {
        let tree = &self.input.backup.tree;
        let source = tree.source();
        let lines = LineIndex::new(source.text);
        let mut labels =
            Labeler::new(tree, &self.input.old.schema, Some(&self.reading.ordinals), &self.automaton);
        let mut findings = Vec::new();
        for (number, name) in self.ledger.ports.iter().enumerate() {
            let by_map = |(index, decision): (usize, &crate::ledger::Decision)| {
                (decision.by == DecidedBy::Map(number as u32)).then_some(index)
            };
            let mut rows = self.ledger.decisions.iter().enumerate().filter_map(by_map);
            let Some(first) = rows.next() else { continue };
            let is_setting = |&row: &usize| self.reading.rows[row].kind == RowKind::Setting;
            let settings = std::iter::once(first).chain(rows).filter(is_setting).count();
            let node = self.reading.rows[first].node;
            let mut finding = match self.input.mapping.port(name) {
                PortTarget::Leave => Finding::new(
                    Code::PortLeft,
                    format!(
                        "the map leaves the port `{name}` out, and with it {}",
                        count(settings, "setting")
                    ),
                ),
                _ => {
                    let why = self.input.proposals.iter().find(|proposal| proposal.old == *name);
                    let why = why.map_or("the map does not name it", |proposal| proposal.why.as_str());
                    Finding::new(
                        Code::PortOpen,
                        format!("the port `{name}` has {} and no partner: {why}", count(settings, "setting")),
                    )
                    .help(format!("give it one in the map, `{name} = \"…\"` under [ports], or `\"leave\"` to leave its settings out"))
                }
            };
            finding.place = Some(Place::indexed(source.name, &lines, tree.span(node)));
            finding.locator = Some(labels.label(node, &mut self.automaton).to_owned());
            findings.push(finding);
        }
        for note in &self.ledger.notes {
            let node = self.reading.rows[note.row as usize].node;
            let mut finding = Finding::new(note.code, note.message.as_ref());
            finding.place = Some(Place::indexed(source.name, &lines, tree.span(node)));
            finding.locator = Some(labels.label(node, &mut self.automaton).to_owned());
            finding.help = note.help.as_deref().map(str::to_owned);
            if let DecidedBy::Rule(rule) = self.ledger.decisions[note.row as usize].by {
                let line = self.input.crossing.rules[rule as usize].at.line;
                finding.rule = Some(format!("{}:{line}", self.input.crossing.file));
            }
            findings.push(finding);
        }
        findings
    }
}
