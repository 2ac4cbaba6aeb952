//! A backup as it was read: each setting and object, with its value and the statement that it is from.

use crate::language::profile::Profile;
use crate::recognise::backup::Backup;
use crate::scan::inventory::{Inventory, RowKind, automaton_of};
use crate::scan::locator::Labeler;
use crate::text::source::{Position, Trace, Traced};

/// One setting or object as it was read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Read {
    /// The file that it is in, and where.
    pub file: String,
    /// Its line and column there.
    pub at: Position,
    /// Its locator.
    pub locator: String,
    /// Its value; none of an object, and none of a secret.
    pub value: Option<String>,
    /// It is a secret.
    pub is_secret: bool,
    /// It is an object.
    pub is_object: bool,
    /// The profile declares it.
    pub is_known: bool,
    /// The statement that it is from, where the format has statements.
    pub statement: Statement,
}

/// Which statement something is from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Statement {
    /// The format has none.
    None,
    /// One of this shape.
    Shape(String),
    /// One that no shape of the profile fits.
    Unknown,
}

/// What was read, in the order of the backup. `trace` was taken down while that was read.
pub fn listing(backup: &Backup<'_>, profile: &Profile, trace: &Trace) -> Vec<Read> {
    let tree = &backup.tree;
    let mut automaton = automaton_of(profile, None);
    let reading = Inventory::new(tree, profile, &mut automaton);
    let mut labels = Labeler::new(tree, &profile.schema, Some(&reading.ordinals), &automaton);
    let statements = trace.statements();
    let lines = backup.lines();
    let mut read = Vec::with_capacity(reading.rows.len());
    for row in &reading.rows {
        let span = tree.span(row.node);
        let entry = automaton.accepted(row.accept).entry;
        let ty = row.type_id(profile, &automaton);
        let is_object = row.kind == RowKind::Object;
        let is_secret = ty.is_some_and(|ty| profile.types.is_secret(ty));
        let value = (!is_object && !is_secret).then(|| tree.value(row.node).to_owned());
        let location = crate::finding::Location::indexed(&lines, span);
        read.push(Read {
            file: location.file,
            at: location.at,
            locator: labels.label(row.node, &mut automaton).to_owned(),
            value,
            is_secret,
            is_object,
            is_known: entry.is_some(),
            statement: statement_at(&statements, span.start),
        });
    }
    read
}

/// The statement that a place is in: the last that begins before it or there.
fn statement_at(statements: &[Traced], offset: u32) -> Statement {
    let next = statements.partition_point(|traced| traced.span.start <= offset);
    match next.checked_sub(1).map(|last| &statements[last].shape) {
        None => Statement::None,
        Some(Some(shape)) => Statement::Shape(shape.clone()),
        Some(None) => Statement::Unknown,
    }
}
