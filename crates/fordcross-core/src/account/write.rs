//! Writing the ledger: one JSON object a line, in the order of the backup.
//!
//! Rows are written with care: at millions of settings they are a third of all work.

use super::fragments::Fragments;
use super::{LedgerInput, StepMade, rows_by_node};
use crate::ids::{RowId, StepId};
use crate::language::course::Leg;
use crate::language::profile::Profile;
use crate::language::typing::{Form, TypeId, Types};
use crate::ledger::fate::Fate;
use crate::ledger::{DecidedBy, Decision, Ledger, Note};
use crate::scan::automaton::Automaton;
use crate::scan::inventory::{Inventory, RowKind};
use crate::scan::locator::Labeler;
use crate::scan::secrets::Secrets;
use crate::text::json_string::write_string;
use crate::text::source::LineIndex;
use crate::tree::{Kind, NodeId, Tree};
use std::ops::Range;
use std::sync::Arc;

/// Makes the lines of `ledger.jsonl`. A copy of it makes others at the same time.
#[derive(Clone, Debug)]
pub struct LedgerWriter<'l> {
    course: &'l [Leg],
    /// The kind of a setting and that of an object, each with the backup's file, up to its line.
    begun: [Vec<u8>; 2],
    /// Where the file of the last row is in the whole text, and how many lines are before it.
    piece: Range<u32>,
    lines_before: u32,
    ledger: &'l Ledger,
    fragments: Fragments<'l>,
    /// The rows of each step with what labels them: the backup's first.
    sides: Vec<WrittenSide<'l>>,
    base: Option<BaseSide<'l>>,
    new_tree: &'l Tree<'l>,
    new_automaton: Automaton,
    new_labels: Labeler<'l, 'l>,
    lines: LineIndex<'l>,
    /// The line of the last row.
    line: usize,
    next_note: usize,
    untyped: Untyped,
    /// Those that are in texts are not shown.
    secrets: Secrets,
}

/// What is done with the values of settings that have no type, and so could be secrets.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Untyped {
    /// They are not written.
    Hide,
    /// They are, as a person asked.
    Show,
}

impl Untyped {
    /// Whether a value of a type is written: commands, like what has no type, only if that was asked for or they take no
    /// secret.
    fn shows(self, types: &Types, ty: TypeId, value: &str) -> bool {
        types.shows(ty, value) || self == Self::Show && !types.is_secret(ty)
    }
}

/// One step's old side.
#[derive(Clone, Debug)]
struct WrittenSide<'l> {
    tree: &'l Tree<'l>,
    reading: &'l Inventory,
    /// What the step decided; the whole ledger where there is one step.
    ledger: &'l Ledger,
    automaton: Automaton,
    labels: Labeler<'l, 'l>,
    /// The row of each node, for all steps but the first.
    rows: Arc<[Option<RowId>]>,
}

/// The base that everything was carried into.
#[derive(Clone, Debug)]
struct BaseSide<'l> {
    tree: &'l Tree<'l>,
    reading: &'l Inventory,
    labels: Labeler<'l, 'l>,
    lines: LineIndex<'l>,
}

impl<'l> LedgerWriter<'l> {
    pub(crate) fn new(reported: &LedgerInput<'l>) -> Self {
        let LedgerInput { backup, course, mapping, steps, trees, ledger, new_automaton, base } = *reported;
        let several = steps.len() > 1;
        let old_trees = std::iter::once(&backup.tree).chain(trees);
        let sides = steps
            .iter()
            .zip(old_trees)
            .zip(course)
            .enumerate()
            .map(|(number, ((step, tree), leg))| {
                let StepMade { automaton, reading, ledger: own } = step;
                let rows = if number == 0 { Vec::new() } else { rows_by_node(reading, tree) };
                let labels = Labeler::new(tree, &leg.old.schema, Some(&reading.ordinals), automaton);
                WrittenSide {
                    tree,
                    reading,
                    ledger: if several { own } else { ledger },
                    automaton: automaton.clone(),
                    labels,
                    rows: rows.into(),
                }
            })
            .collect();
        let new_tree = trees.last().expect("a tree after each step");
        let new = &course[course.len() - 1].new;
        let base = base.map(|(base, reading)| {
            let tree: &'l Tree<'l> = &base.tree;
            BaseSide {
                tree,
                reading,
                labels: Labeler::new(tree, &new.schema, Some(&reading.ordinals), new_automaton),
                lines: base.lines(),
            }
        });
        let of_backup =
            steps.first().map(|step| (&backup.tree, &course[0].old, &step.automaton, &step.reading));
        let of_base = base.as_ref().map(|base| (base.tree, new, new_automaton, base.reading));
        let secrets = Secrets::of(&of_backup.into_iter().chain(of_base).collect::<Vec<_>>());
        Self {
            base,
            line: 1,
            new_labels: Labeler::new(new_tree, &new.schema, None, new_automaton),
            lines: backup.lines(),
            course,
            piece: 0..0,
            lines_before: 0,
            begun: [Vec::new(), Vec::new()],
            ledger,
            fragments: Fragments::new(course, mapping, ledger),
            sides,
            new_tree,
            new_automaton: new_automaton.clone(),
            next_note: 0,
            untyped: Untyped::Hide,
            secrets,
        }
    }

    /// With the values of untyped settings, or without.
    #[must_use]
    pub fn untyped(self, untyped: Untyped) -> Self {
        Self { untyped, ..self }
    }

    fn old(&self) -> &'l Profile {
        &self.course[0].old
    }

    fn new_profile(&self) -> &'l Profile {
        &self.course[self.course.len() - 1].new
    }

    /// How many rows there are, those with an origin and those of a base among them.
    pub fn len(&self) -> usize {
        self.ledger.decisions.len() + self.ledger.origins.len() + self.ledger.replaced.len()
    }

    /// Whether there is nothing to write.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Appends some rows, each with its line end, to `out`.
    pub fn write_rows(&mut self, rows: Range<usize>, out: &mut Vec<u8>) {
        // Notes without a row come before all others.
        let before = |note: &Note| note.row.is_none_or(|row| row.index() < rows.start);
        self.next_note = self.ledger.notes.partition_point(before);
        let backup = self.ledger.decisions.len();
        for index in rows {
            if index < backup {
                self.backup_row(index, out);
            } else if index < backup + self.ledger.origins.len() {
                self.origin_row(index, index - backup, out);
            } else {
                self.base_row(index, index - backup - self.ledger.origins.len(), out);
            }
        }
    }

    /// Goes on to the file that a place is in.
    fn enter_piece(&mut self, start: u32) {
        let file = self.lines.file_at(start);
        for (kind, begun) in [&b",\"kind\":\"setting\",\"file\":"[..], b",\"kind\":\"object\",\"file\":"]
            .iter()
            .zip(&mut self.begun)
        {
            begun.clear();
            begun.extend_from_slice(kind);
            write_string(file, begun);
            begun.extend_from_slice(b",\"line\":");
        }
        (self.piece, self.lines_before) = match self.sides[0].tree.source().piece_at(start) {
            Some(piece) => (piece.span.start..piece.span.end.max(start + 1), self.lines.lines_before(piece)),
            None => (0..u32::MAX, 0),
        };
    }

    fn backup_row(&mut self, index: usize, out: &mut Vec<u8>) {
        let old = self.old();
        let row = self.sides[0].reading.rows[index];
        let decision = &self.ledger.decisions[index];
        let start = self.sides[0].tree.span(row.node).start;
        let position = self.lines.position_after(start, &mut self.line);
        if !self.piece.contains(&start) {
            self.enter_piece(start);
        }
        let side = &mut self.sides[0];
        out.extend_from_slice(b"{\"row\":");
        number(index as u32 + 1, out);
        out.extend_from_slice(&self.begun[row.kind as usize]);
        number(position.line - self.lines_before, out);
        out.extend_from_slice(b",\"column\":");
        number(position.column, out);
        out.extend_from_slice(b",\"locator\":");
        side.labels.write_label(row.node, &mut side.automaton, out);
        out.extend_from_slice(self.fragments.section(row.section()));
        let kind = row.type_id(old, &side.automaton);
        out.extend_from_slice(self.fragments.kind(kind));
        // The value of a secret is never written; that of what has no type only if it was asked for.
        match kind {
            Some(kind) if self.untyped.shows(&old.types, kind, side.tree.value(row.node)) => {
                out.extend_from_slice(b",\"value\":");
                write_value(&old.types.get(kind).form, side.tree.value(row.node), &self.secrets, out);
            }
            None if self.untyped == Untyped::Show && row.kind == RowKind::Setting => {
                out.extend_from_slice(b",\"value\":");
                write_string(side.tree.value(row.node), out);
            }
            _ => {}
        }
        out.extend_from_slice(self.fragments.decided(decision));
        // The reason why a rule could not carry a row is in its note.
        let note = self.ledger.notes.get(self.next_note).filter(|note| note.row == Some(RowId::new(index)));
        if let Some(note) =
            note.filter(|note| decision.fate == Fate::ByHand && !self.fragments.has_reason(decision, note))
        {
            out.extend_from_slice(b",\"why\":");
            write_string(&note.fact.to_string(), out);
        }
        if self.sides.len() > 1 {
            self.write_steps(RowId::new(index), out);
        }
        self.write_landings(decision, out);
        self.write_codes(index, out);
        out.extend_from_slice(b"}\n");
    }

    /// What each crossing of the course did, for a setting that goes through several.
    fn write_steps(&mut self, row: RowId, out: &mut Vec<u8>) {
        out.extend_from_slice(b",\"steps\":[");
        let mut rows = vec![row];
        for number in 0..self.sides.len() {
            if number > 0 {
                out.push(b',');
            }
            let mut next: Vec<RowId> = Vec::new();
            let mut places: Vec<NodeId> = Vec::new();
            let mut decision = Decision {
                fate: Fate::Carried,
                step: StepId::new(number),
                by: DecidedBy::Nothing,
                landings: (0, 0),
            };
            for &row in &rows {
                let own = &self.sides[number].ledger.decisions[row.index()];
                if own.fate >= decision.fate {
                    decision = own.clone();
                }
                let (from, to) = own.landings;
                let landings = &self.sides[number].ledger.landings[from as usize..to as usize];
                places.extend(landings.iter().map(|landing| landing.node));
            }
            out.extend_from_slice(b"{\"to\":");
            write_string(&self.course[number].crossing.to.to_string(), out);
            out.extend_from_slice(self.fragments.decided(&decision));
            out.extend_from_slice(b",\"locators\":[");
            for (index, &node) in places.iter().enumerate() {
                if index > 0 {
                    out.push(b',');
                }
                match self.sides.get_mut(number + 1) {
                    Some(side) => {
                        side.labels.write_label(node, &mut side.automaton, out);
                        next.extend(side.rows[node.index()]);
                    }
                    None => self.new_labels.write_label(node, &mut self.new_automaton, out),
                }
            }
            out.extend_from_slice(b"]}");
            if next.is_empty() {
                break;
            }
            rows = next;
        }
        out.push(b']');
    }

    fn write_landings(&mut self, decision: &Decision, out: &mut Vec<u8>) {
        let (from, to) = decision.landings;
        let mut before = &b",\"landings\":[{\"locator\":"[..];
        for landing in &self.ledger.landings[from as usize..to as usize] {
            out.extend_from_slice(before);
            before = b",{\"locator\":";
            self.new_labels.write_label(landing.node, &mut self.new_automaton, out);
            self.write_new_value(landing.node, out);
            out.extend_from_slice(self.fragments.landed(landing.fate));
        }
        out.extend_from_slice(if from == to { b",\"landings\":[]" } else { b"]" });
    }

    /// The value of a leaf of the result, unless it is a secret or has no type. To be called right
    /// after its label was made.
    fn write_new_value(&mut self, node: NodeId, out: &mut Vec<u8>) {
        let written_as = self.new_tree.kind(node);
        if written_as.is_branch() {
            return;
        }
        let new = self.new_profile();
        let kind: Option<TypeId> = self
            .new_labels
            .entry(&mut self.new_automaton)
            .and_then(|entry| new.schema[entry].what.setting())
            .filter(|&kind| self.untyped.shows(&new.types, kind, self.new_tree.value(node)));
        if let Some(kind) = kind {
            out.extend_from_slice(b",\"value\":");
            let value = self.new_tree.value(node);
            if written_as == Kind::Bare {
                out.extend_from_slice(value.as_bytes());
            } else if let Form::Text(_) = new.types.get(kind).form {
                write_string(&self.secrets.hidden_in(value), out);
            } else {
                write_string(value, out);
            }
        }
    }

    fn write_codes(&mut self, index: usize, out: &mut Vec<u8>) {
        let said =
            self.ledger.notes.get(self.next_note).is_some_and(|note| note.row == Some(RowId::new(index)));
        if !said {
            return;
        }
        out.extend_from_slice(b",\"findings\":[");
        while let Some(note) =
            self.ledger.notes.get(self.next_note).filter(|note| note.row == Some(RowId::new(index)))
        {
            if !out.ends_with(b"[") {
                out.push(b',');
            }
            write_string(note.fact.code().name(), out);
            self.next_note += 1;
        }
        out.push(b']');
    }

    fn origin_row(&mut self, index: usize, origin: usize, out: &mut Vec<u8>) {
        let row = &self.ledger.origins[origin];
        out.extend_from_slice(b"{\"row\":");
        number(index as u32 + 1, out);
        out.extend_from_slice(b",\"kind\":\"origin\",\"origin\":\"");
        out.extend_from_slice(row.origin.word().as_bytes());
        out.extend_from_slice(b"\",\"rule\":");
        write_string(&row.rule, out);
        out.extend_from_slice(b",\"landings\":[{\"locator\":");
        self.new_labels.write_label(row.node, &mut self.new_automaton, out);
        let node = row.node;
        self.write_new_value(node, out);
        out.extend_from_slice(b"}]}\n");
    }
}

impl LedgerWriter<'_> {
    /// A setting of the base that is not what it was.
    fn base_row(&mut self, index: usize, replaced: usize, out: &mut Vec<u8>) {
        let (node, outcome) = self.ledger.replaced[replaced];
        let new = self.new_profile();
        let untyped = self.untyped;
        let Some(base) = &mut self.base else { return };
        let position = base.lines.position(base.tree.span(node).start);
        out.extend_from_slice(b"{\"row\":");
        number(index as u32 + 1, out);
        out.extend_from_slice(b",\"kind\":\"base\",\"file\":");
        write_string(base.lines.file_at(base.tree.span(node).start), out);
        out.extend_from_slice(b",\"line\":");
        number(position.line, out);
        out.extend_from_slice(b",\"column\":");
        number(position.column, out);
        out.extend_from_slice(b",\"locator\":");
        base.labels.write_label(node, &mut self.new_automaton, out);
        let row = base.reading.setting_at(node);
        let kind = row.and_then(|row| row.type_id(new, &self.new_automaton));
        if let Some(kind) = kind.filter(|&kind| untyped.shows(&new.types, kind, base.tree.value(node))) {
            out.extend_from_slice(b",\"value\":");
            write_value(&new.types.get(kind).form, base.tree.value(node), &self.secrets, out);
        }
        out.extend_from_slice(b",\"outcome\":\"");
        out.extend_from_slice(outcome.word().as_bytes());
        out.extend_from_slice(b"\"}\n");
    }
}

/// Numbers of numeric types are written as numbers, all else as the backup spells it.
fn write_value(form: &Form, text: &str, secrets: &Secrets, out: &mut Vec<u8>) {
    let plain = !text.is_empty()
        && text.len() < 16
        && text.bytes().all(|b| b.is_ascii_digit())
        && (text.len() == 1 || !text.starts_with('0'));
    match form {
        Form::Integer { .. } | Form::Quantity(_) if plain => out.extend_from_slice(text.as_bytes()),
        Form::Text(_) => write_string(&secrets.hidden_in(text), out),
        Form::Command(shown) if shown.fit(text) => write_string(&secrets.hidden_in(text), out),
        _ => write_string(text, out),
    }
}

fn number(number: u32, out: &mut Vec<u8>) {
    out.extend_from_slice(itoa::Buffer::new().format(number).as_bytes());
}
