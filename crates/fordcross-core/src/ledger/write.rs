//! Writing the ledger: one JSON object a line, in the order of the backup.
//!
//! Rows are written with care: at millions of settings they are a third of all work.

use super::{DecidedBy, Decision, Ledger};
use crate::automaton::Automaton;
use crate::crossing::{Action, Crossing};
use crate::json::write_string;
use crate::locator::Labeler;
use crate::mapping::{Mapping, PortTarget};
use crate::profile::Profile;
use crate::reading::{Reading, RowKind};
use crate::source::LineIndex;
use crate::tree::{Kind, NodeId, Tree};
use crate::typing::{Form, TypeId};

/// Makes the lines of `ledger.jsonl`, one row at a time.
#[derive(Debug)]
pub struct LedgerWriter<'l> {
    old: &'l Profile,
    new: &'l Profile,
    crossing: &'l Crossing,
    mapping: &'l Mapping,
    reading: &'l Reading,
    ledger: &'l Ledger,
    tree: &'l Tree<'l>,
    new_tree: &'l Tree<'l>,
    automaton: &'l mut Automaton,
    new_automaton: &'l mut Automaton,
    labels: Labeler<'l, 'l>,
    new_labels: Labeler<'l, 'l>,
    lines: LineIndex<'l>,
    next: usize,
    next_note: usize,
}

impl<'l> LedgerWriter<'l> {
    #[expect(clippy::too_many_arguments, reason = "all that one carry made, borrowed once")]
    pub(crate) fn new(
        tree: &'l Tree<'l>,
        old: &'l Profile,
        new: &'l Profile,
        crossing: &'l Crossing,
        mapping: &'l Mapping,
        reading: &'l Reading,
        ledger: &'l Ledger,
        new_tree: &'l Tree<'l>,
        automaton: &'l mut Automaton,
        new_automaton: &'l mut Automaton,
    ) -> Self {
        Self {
            labels: Labeler::new(tree, &old.schema, Some(&reading.ordinals), automaton),
            new_labels: Labeler::new(new_tree, &new.schema, None, new_automaton),
            lines: LineIndex::new(tree.source().text),
            old,
            new,
            crossing,
            mapping,
            reading,
            ledger,
            tree,
            new_tree,
            automaton,
            new_automaton,
            next: 0,
            next_note: 0,
        }
    }

    /// Appends the next row with its line end to `out`; says whether there was one.
    pub fn next_row(&mut self, out: &mut Vec<u8>) -> bool {
        let index = self.next;
        self.next += 1;
        if index < self.ledger.decisions.len() {
            self.backup_row(index, out);
            return true;
        }
        let origin = index - self.ledger.decisions.len();
        if origin < self.ledger.origins.len() {
            self.origin_row(index, origin, out);
            return true;
        }
        false
    }

    fn backup_row(&mut self, index: usize, out: &mut Vec<u8>) {
        let row = self.reading.rows[index];
        let decision = self.ledger.decisions[index].clone();
        let position = self.lines.position(self.tree.span(row.node).start);
        out.extend_from_slice(b"{\"row\":");
        number(index as u64 + 1, out);
        out.extend_from_slice(match row.kind {
            RowKind::Setting => b",\"kind\":\"setting\",\"file\":",
            RowKind::Object => b",\"kind\":\"object\",\"file\":",
        });
        write_string(self.tree.source().name, out);
        out.extend_from_slice(b",\"line\":");
        number(u64::from(position.line), out);
        out.extend_from_slice(b",\"column\":");
        number(u64::from(position.column), out);
        out.extend_from_slice(b",\"locator\":");
        write_string(self.labels.label(row.node, self.automaton), out);
        out.extend_from_slice(b",\"section\":");
        write_string(self.old.section_name(row.section), out);
        let kind = row.type_id(self.old, self.automaton);
        if let Some(kind) = kind {
            out.extend_from_slice(b",\"type\":");
            write_string(&self.old.types.get(kind).name, out);
        }
        // The value of a secret is never written, nor that of what has no type and could be one.
        if let Some(kind) = kind.filter(|&kind| !self.old.types.is_secret(kind)) {
            out.extend_from_slice(b",\"value\":");
            write_value(&self.old.types.get(kind).form, self.tree.value(row.node), out);
        }
        out.extend_from_slice(b",\"fate\":\"");
        out.extend_from_slice(decision.fate.word().as_bytes());
        out.push(b'"');
        self.decided_by(&decision, out);
        self.write_landings(&decision, out);
        self.write_codes(index, out);
        out.extend_from_slice(b"}\n");
    }

    fn decided_by(&self, decision: &Decision, out: &mut Vec<u8>) {
        let why = match decision.by {
            DecidedBy::Rule(rule) => {
                let rule = &self.crossing.rules[rule as usize];
                out.extend_from_slice(b",\"rule\":\"");
                out.extend_from_slice(self.crossing.file.as_bytes());
                out.push(b':');
                number(u64::from(rule.at.line), out);
                out.push(b'"');
                match &rule.action {
                    Action::Drop { why } | Action::Moot { why } => Some(why.as_str()),
                    Action::ByHand { instruction } => Some(instruction.as_str()),
                    Action::Place | Action::Move(_) => None,
                }
            }
            DecidedBy::Map(port) => {
                let name = &self.ledger.ports[port as usize];
                out.extend_from_slice(b",\"rule\":");
                write_string(&self.mapping.rule(name), out);
                let why = match self.mapping.port(name) {
                    PortTarget::Leave => format!("the map leaves the port {name} out"),
                    _ => format!("the map has no partner for the port {name}"),
                };
                out.extend_from_slice(b",\"why\":");
                write_string(&why, out);
                None
            }
            DecidedBy::Nothing => None,
        };
        if let Some(why) = why {
            out.extend_from_slice(b",\"why\":");
            write_string(why, out);
        }
    }

    fn write_landings(&mut self, decision: &Decision, out: &mut Vec<u8>) {
        let (from, to) = decision.landings;
        out.extend_from_slice(b",\"landings\":[");
        for landing in &self.ledger.landings[from as usize..to as usize] {
            if !out.ends_with(b"[") {
                out.push(b',');
            }
            out.extend_from_slice(b"{\"locator\":");
            write_string(self.new_labels.label(landing.node, self.new_automaton), out);
            self.write_new_value(landing.node, out);
            out.extend_from_slice(b",\"fate\":\"");
            out.extend_from_slice(landing.fate.word().as_bytes());
            out.extend_from_slice(b"\"}");
        }
        out.push(b']');
    }

    /// The value of a leaf of the result, unless it is a secret or has no type. To be called right
    /// after its label was made.
    fn write_new_value(&mut self, node: NodeId, out: &mut Vec<u8>) {
        if self.new_tree.kind(node).is_branch() {
            return;
        }
        let kind: Option<TypeId> = self
            .new_labels
            .entry(self.new_automaton)
            .and_then(|entry| self.new.schema.entries[entry as usize].what.setting())
            .filter(|&kind| !self.new.types.is_secret(kind));
        if kind.is_some() {
            out.extend_from_slice(b",\"value\":");
            let value = self.new_tree.value(node);
            if self.new_tree.kind(node) == Kind::Bare {
                out.extend_from_slice(value.as_bytes());
            } else {
                write_string(value, out);
            }
        }
    }

    fn write_codes(&mut self, index: usize, out: &mut Vec<u8>) {
        out.extend_from_slice(b",\"findings\":[");
        while let Some(note) = self.ledger.notes.get(self.next_note).filter(|note| note.row as usize == index)
        {
            if !out.ends_with(b"[") {
                out.push(b',');
            }
            write_string(note.code.name(), out);
            self.next_note += 1;
        }
        out.push(b']');
    }

    fn origin_row(&mut self, index: usize, origin: usize, out: &mut Vec<u8>) {
        let row = &self.ledger.origins[origin];
        out.extend_from_slice(b"{\"row\":");
        number(index as u64 + 1, out);
        out.extend_from_slice(b",\"kind\":\"origin\",\"origin\":\"");
        out.extend_from_slice(row.origin.word().as_bytes());
        out.extend_from_slice(b"\",\"rule\":");
        write_string(&row.rule, out);
        out.extend_from_slice(b",\"landings\":[{\"locator\":");
        write_string(self.new_labels.label(row.node, self.new_automaton), out);
        let node = row.node;
        self.write_new_value(node, out);
        out.extend_from_slice(b"}]}\n");
    }
}

/// Numbers of numeric types are written as numbers, all else as the backup spells it.
fn write_value(form: &Form, text: &str, out: &mut Vec<u8>) {
    let plain = !text.is_empty()
        && text.len() < 16
        && text.bytes().all(|b| b.is_ascii_digit())
        && (text.len() == 1 || !text.starts_with('0'));
    match form {
        Form::Integer { .. } | Form::Duration { .. } if plain => out.extend_from_slice(text.as_bytes()),
        _ => write_string(text, out),
    }
}

fn number(mut number: u64, out: &mut Vec<u8>) {
    let mut digits = [0; 20];
    let mut at = digits.len();
    loop {
        at -= 1;
        digits[at] = b'0' + (number % 10) as u8;
        number /= 10;
        if number == 0 {
            break;
        }
    }
    out.extend_from_slice(&digits[at..]);
}
