//! What differs in a result that is read back, in words for a person: what was written, what was read, where, and by which
//! statement.

use super::facts::{Difference, ReadAt};
use crate::format::bundle::read_bundle;
use crate::language::profile::Profile;
use crate::language::typing::TypeId;
use crate::scan::inventory::{Inventory, Row, automaton_of};
use crate::text::source::{Source, Trace, Traced};
use crate::tree::{NodeId, Tree};

/// What was found instead of a node.
pub(super) enum Problem {
    /// Nothing more is to be said of what was found.
    Said(Difference),
    /// Something else is there: what, and where in the text.
    Other(String, u32),
    /// The value is another.
    OtherValue(String, u32),
    /// There is more than was written.
    More(String, u32),
    /// It is not there; so far the text was read.
    Missing(u32),
}

/// What differs, in words for a person.
pub(super) struct Shown<'s, 'a> {
    tree: &'s Tree<'s>,
    profile: &'s Profile,
    source: Source<'a>,
    statements: Vec<Traced>,
    /// The texts of all secrets: no line with one of them is shown.
    secrets: Vec<String>,
}

impl<'s, 'a> Shown<'s, 'a> {
    /// Where nothing differs nothing is gathered.
    pub(super) fn new(
        (tree, profile): (&'s Tree<'s>, &'s Profile),
        source: Source<'a>,
        is_same: bool,
    ) -> Self {
        let mut shown = Self { tree, profile, source, statements: Vec::new(), secrets: Vec::new() };
        if is_same {
            return shown;
        }
        let trace = Trace::default();
        let traced = Source { trace: Some(&trace), ..source };
        if profile.format().is_several() {
            drop(read_bundle(traced, &profile.members, None));
        } else {
            drop(profile.dialect.read(traced));
        }
        shown.statements = trace.statements();
        let mut automaton = automaton_of(profile, None);
        let reading = Inventory::new(tree, profile, &mut automaton);
        let is_secret =
            |row: &&Row| row.type_id(profile, &automaton).is_some_and(|ty| profile.types.is_secret(ty));
        let values = reading.rows.iter().filter(is_secret).map(|row| tree.value(row.node).trim().to_owned());
        shown.secrets = values.filter(|value| !value.is_empty()).collect();
        shown
    }

    pub(super) fn difference(&self, node: NodeId, ty: Option<TypeId>, problem: Problem) -> Difference {
        let is_secret = ty.is_some_and(|ty| self.profile.types.is_secret(ty));
        let hidden =
            |text: String| if is_secret || self.has_secret(&text) { "a secret".to_owned() } else { text };
        let tree = self.tree;
        let all_from = |text: String, from: usize| excerpt(&hidden(text), from);
        let all = |text: String| all_from(text, 0);
        let wrote = || {
            let (name, kind) = (tree.name(node), tree.kind(node));
            all(if kind.is_value() { format!("{name} = {}", tree.value(node)) } else { format!("{name}/") })
        };
        match problem {
            Problem::Said(difference) => difference,
            Problem::More(read, at) => Difference::HasMore { read: all(read), place: self.place(at) },
            Problem::Other(read, at) => {
                Difference::OtherNode { wrote: wrote(), read: all(read), place: self.place(at) }
            }
            Problem::OtherValue(read, at) => {
                let wrote = tree.value(node);
                let same =
                    wrote.chars().zip(read.chars()).take_while(|(ours, theirs)| ours == theirs).count();
                let (wrote, read) = (all_from(wrote.to_owned(), same), all_from(read, same));
                Difference::OtherValue { wrote, read, place: self.place(at) }
            }
            Problem::Missing(at) => Difference::Missing { wrote: wrote(), place: self.place(at) },
        }
    }

    fn has_secret(&self, text: &str) -> bool {
        self.secrets.iter().any(|secret| text.contains(secret.as_str()))
    }

    fn place(&self, at: u32) -> ReadAt {
        let at = at.min(self.source.text.len() as u32);
        let piece = self.source.piece_at(at);
        let from = piece.map_or(0, |piece| piece.span.start as usize);
        let before = &self.source.text[from..(at as usize).max(from)];
        let line = before.matches('\n').count() as u32 + 1;
        let start = from + before.rfind('\n').map_or(0, |newline| newline + 1);
        let text = self.source.text[start..].lines().next().unwrap_or_default().trim();
        let text = Some(text).filter(|text| !text.is_empty() && !self.has_secret(text));
        let text = text.map(|text| excerpt(text, 0));
        let next = self.statements.partition_point(|traced| traced.span.start <= at);
        let statement = next.checked_sub(1).and_then(|last| self.statements[last].shape.clone());
        let file = piece.map_or_else(|| "the result".to_owned(), |piece| format!("`{}`", piece.path));
        ReadAt { file: Some((file, line)), text, statement }
    }
}

/// So many characters of a text are shown in a sentence.
const SHOWN: usize = 80;
/// So many of them are before the place that matters.
const SHOWN_BEFORE: usize = 20;

/// A text as it is, or of a long one what is around its character number `from`.
fn excerpt(text: &str, from: usize) -> String {
    let characters = text.chars().count();
    if characters <= SHOWN {
        return text.to_owned();
    }
    let start = if from < SHOWN { 0 } else { from.min(characters) - SHOWN_BEFORE };
    let shown: String = text.chars().skip(start).take(SHOWN).collect();
    let before = if start > 0 { "…" } else { "" };
    let behind = if start + SHOWN < characters { "…" } else { "" };
    format!("{before}{}{behind} ({characters} characters)", shown.trim())
}
