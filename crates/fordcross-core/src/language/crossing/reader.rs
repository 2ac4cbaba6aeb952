//! What is known of a crossing while it is read.

use super::{Ask, LookUp, Place, Rule, Table};
use crate::declaration::Report;
use crate::ids::PlaceId;
use crate::language::checking::Checking;
use crate::language::expression::NamedExpressions;
use crate::language::profile::Profile;
use crate::text::source::{LineIndex, Span};
use crate::tree::pattern::Pattern;
use rustc_hash::FxHashMap;

/// A crossing that is being read, with the profiles of both sides.
pub(super) struct Reader<'r, 's> {
    pub(super) report: &'r Report<'s>,
    pub(super) lines: LineIndex<'s>,
    pub(super) checking: Checking,
    pub(super) old: &'r Profile,
    pub(super) new: &'r Profile,
    pub(super) tables: FxHashMap<String, Table>,
    pub(super) constants: Vec<(String, String)>,
    pub(super) expressions: NamedExpressions,
    pub(super) always_pinned: Vec<Pattern>,
    pub(super) asks: Vec<Ask>,
    /// Names of places, with their numbers; several may share one.
    pub(super) place_names: Vec<(String, PlaceId)>,
    pub(super) places: Vec<Place>,
    pub(super) look_ups: Vec<LookUp>,
    pub(super) rules: Vec<(Span, Rule)>,
}
