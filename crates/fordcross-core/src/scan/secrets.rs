//! Secrets that are where nobody declares them: a password that a person noted in a comment or a description.

use crate::language::profile::Profile;
use crate::scan::automaton::Automaton;
use crate::scan::inventory::{Inventory, RowKind};
use crate::tree::Tree;
use aho_corasick::{AhoCorasick, AhoCorasickKind, MatchKind};
use std::borrow::Cow;

/// Shorter values are only hidden where they are: elsewhere they would be anything.
pub(crate) const MIN_SECRET_LENGTH: usize = 4;
/// The same of values without a type, most of which are no secrets.
const TELLING_UNTYPED: usize = 8;

/// What is in the place of a secret in a text.
const HIDDEN: &str = "(hidden)";

/// A search for all of some values at once, the longest first.
pub(crate) fn search<'v>(values: impl Iterator<Item = &'v [u8]>) -> Option<AhoCorasick> {
    // A table of all states takes, for one value of like characters, the square of its length to make.
    let builder = &mut AhoCorasick::builder();
    builder.match_kind(MatchKind::LeftmostLongest).kind(Some(AhoCorasickKind::ContiguousNFA));
    // So many values that they cannot be searched for at once are no configuration's.
    builder.build(values).ok()
}

/// The secrets of a backup and of a base.
#[derive(Clone, Debug, Default)]
pub(crate) struct Secrets(Option<AhoCorasick>);

impl Secrets {
    /// Those of some trees, each with its profile and what was found in it.
    pub(crate) fn of(trees: &[(&Tree<'_>, &Profile, &Automaton, &Inventory)]) -> Self {
        let mut values: Vec<&str> = Vec::new();
        for &(tree, profile, automaton, reading) in trees {
            let settings = reading.rows.iter().filter(|row| row.kind == RowKind::Setting);
            values.extend(settings.filter_map(|row| {
                let least = match row.type_id(profile, automaton) {
                    Some(kind) if profile.types.shows(kind, tree.value(row.node)) => return None,
                    Some(_) => MIN_SECRET_LENGTH,
                    None => TELLING_UNTYPED,
                };
                let value = tree.value(row.node).trim();
                (value.len() >= least && !value.contains('\n')).then_some(value)
            }));
        }
        values.sort_unstable();
        values.dedup();
        if values.is_empty() {
            return Self(None);
        }
        Self(search(values.into_iter().map(str::as_bytes)))
    }

    /// A text with none of them in it.
    pub(crate) fn hidden_in<'t>(&self, text: &'t str) -> Cow<'t, str> {
        let Some(search) = self.0.as_ref().filter(|search| search.is_match(text)) else {
            return Cow::Borrowed(text);
        };
        let mut out = String::new();
        let mut done = 0;
        for found in search.find_iter(text) {
            out.push_str(&text[done..found.start()]);
            out.push_str(HIDDEN);
            done = found.end();
        }
        out.push_str(&text[done..]);
        Cow::Owned(out)
    }
}
