//! What the right side of a rule writes as a value or a name.

use super::captures::{Captures, INDEX, KIND};
use super::facts::CrossingFact;
use super::reader::Reader;
use super::{Piece, Table};
use crate::declaration::{Word, inside};
use crate::finding::Suggestion;
use crate::ids::LookUpId;
use crate::language::expression::OperandKind;
use crate::language::profile::{Lookup, PathStep, What};
use crate::notation::{self, Detail, Map, Part};
use crate::text::source::Span;
use crate::tree::pattern::Step;

/// `{a -> as-is}`: the map has no say in it.
const AS_IS: &str = "as-is";

impl Reader<'_, '_> {
    pub(super) fn template(
        &self,
        word: Word<'_>,
        parts: &[Part],
        captures: &mut Captures,
    ) -> Option<Vec<Piece>> {
        let mut pieces = self.pieces(word, parts, captures)?;
        if pieces.is_empty() {
            pieces.push(Piece::Literal(String::new()));
        }
        Some(pieces)
    }

    fn pieces(&self, word: Word<'_>, parts: &[Part], captures: &mut Captures) -> Option<Vec<Piece>> {
        let mut pieces: Vec<Piece> = Vec::new();
        for part in parts {
            let span = inside(word, self.report.source, part.at().start, part.at().end);
            let piece = match part {
                Part::Plain(plain) => Piece::Literal(plain.text.clone()),
                Part::Expression(expression) => {
                    Piece::Expression(self.expression(&expression.text, span, captures, OperandKind::Unknown))
                }
                Part::Capture(capture) => {
                    let piece = self.captured(capture, span, captures)?;
                    if capture.optional { Piece::Optional(vec![piece]) } else { piece }
                }
                Part::Group(group) => match group.choices.as_slice() {
                    [only] if !group.repeated => {
                        let inner = self.pieces(word, &only.parts, captures)?;
                        if !group.optional {
                            pieces.extend(inner);
                            continue;
                        }
                        Piece::Optional(inner)
                    }
                    _ => {
                        self.report.add(span, CrossingFact::ChoiceWritten);
                        return None;
                    }
                },
                Part::Any(_) | Part::Or(_) => {
                    let sign = if matches!(part, Part::Any(_)) { '*' } else { '|' };
                    self.report.add(span, CrossingFact::SignWritten { sign });
                    return None;
                }
            };
            match (pieces.last_mut(), piece) {
                (Some(Piece::Literal(last)), Piece::Literal(text)) => last.push_str(&text),
                (_, piece) => pieces.push(piece),
            }
        }
        Some(pieces)
    }

    /// What a capture of the right side writes.
    fn captured(&self, capture: &notation::Capture, span: Span, captures: &mut Captures) -> Option<Piece> {
        let name = capture.name.as_str();
        let map = match &capture.detail {
            Detail::None => None,
            Detail::Map(map) => Some(map),
            Detail::Type(_) | Detail::OneOf(_) => {
                self.report.add(span, CrossingFact::DetailWritten);
                return None;
            }
        };
        if capture.list.is_some() {
            self.report.add(span, CrossingFact::DetailWritten);
            return None;
        }
        if let Some(text) = captures.take_fixed(name) {
            let Some(map) = map else { return Some(Piece::Literal(text)) };
            let table = self.table(map, span)?;
            let found = table.get(&text).map(str::to_owned);
            if found.is_none() {
                self.report.add(span, CrossingFact::NotInTable { value: text });
            }
            return found.map(Piece::Literal);
        }
        if name == KIND && !captures.knows(KIND) {
            self.needs_kinds(captures, span)?;
            let table = match map {
                Some(map) => Some(self.table(map, span)?),
                None => None,
            };
            return Some(Piece::Kind { table });
        }
        if map.is_none() {
            if let Some(text) = self.constant(name, captures) {
                return Some(Piece::Literal(text.to_owned()));
            }
            if name == INDEX && !captures.knows(INDEX) {
                return Some(Piece::Index);
            }
        }
        let slot = self.slot(name, span, captures)?;
        Some(match map {
            None => Piece::Slot { slot, table: None },
            Some(Map::Named(table)) if table == AS_IS => Piece::AsIs { slot },
            Some(Map::Named(table)) if self.look_ups.iter().any(|look_up| look_up.name == *table) => {
                Piece::LookUp { slot, look_up: self.look_up_named(table)? }
            }
            Some(map) => Piece::Slot { slot, table: Some(self.table(map, span)?) },
        })
    }

    /// The text of a constant that no capture hides.
    fn constant(&self, name: &str, captures: &Captures) -> Option<&str> {
        let known = self.constants.iter().find(|(known, _)| known == name && !captures.knows(name));
        known.map(|(_, text)| text.as_str())
    }

    /// The kinds that the old profile declares for the objects at a path.
    pub(super) fn kinds_of(&self, path: &[Step]) -> Vec<String> {
        let steps: Vec<PathStep<'_>> = path.iter().map(PathStep::from).collect();
        let Lookup::Declared(entry) = self.old.schema.find(&steps) else { return Vec::new() };
        match &self.old.schema[entry].what {
            What::Object { kinds, .. } => kinds.iter().map(|(name, _)| name.clone()).collect(),
            What::Setting { .. } => Vec::new(),
        }
    }

    /// Whether the old profile declares kinds for the objects of the place.
    fn needs_kinds(&self, captures: &Captures, span: Span) -> Option<()> {
        let reported = !self.kinds_of(&captures.above).is_empty();
        if !reported {
            self.report.add(span, CrossingFact::KindsUntold { title: self.old.title.clone() });
        }
        reported.then_some(())
    }

    fn look_up_named(&self, name: &str) -> Option<LookUpId> {
        self.look_ups.iter().position(|look_up| look_up.name == name).map(LookUpId::new)
    }

    /// A table that is written on the spot, or the one of that name.
    fn table(&self, map: &Map, span: Span) -> Option<Table> {
        let name = match map {
            Map::Rows(rows) => return Some(Table::new(rows.iter().cloned())),
            Map::Named(name) => name,
        };
        if let Some(table) = self.tables.get(name) {
            return Some(table.clone());
        }
        let look_ups = self.look_ups.iter().map(|look_up| look_up.name.as_str());
        let known: Vec<&str> = self.tables.keys().map(String::as_str).chain(look_ups).collect();
        self.report.add(
            span,
            CrossingFact::TableUnknown { name: name.clone(), instead: Suggestion::among(name, known) },
        );
        None
    }
}
