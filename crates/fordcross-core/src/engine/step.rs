//! One crossing with the tree that it is applied to.

use super::names::NameBook;
use crate::ids::StepId;
use crate::language::course::Leg;
use crate::language::profile::Profile;
use crate::mapping::{Exempt, Mapping};
use crate::scan::inheritance::Inheritance;
use crate::text::charset::Charset;
use crate::tree::{NodeId, Tree};
use rustc_hash::FxHashMap;

/// Which old defaults are written out where the new ones are others.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum PinnedDefaults {
    /// Each: the new system does what the old one did.
    #[default]
    All,
    /// Those that do not weaken it, by what its profile says.
    Safe,
    /// None.
    None,
}

/// One crossing with the tree that it is applied to.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Step<'i, 'a> {
    /// Its place in the course, from 0.
    pub(crate) number: StepId,
    pub(crate) tree: &'i Tree<'a>,
    pub(crate) leg: &'i Leg,
    /// The model that the new tree says it is for.
    pub(crate) model: Option<&'i str>,
    /// The map, in the one step that maps.
    pub(crate) mapping: Option<&'i Mapping>,
    /// What a person answered to what crossings ask.
    pub(crate) answers: &'i [(String, String)],
    pub(crate) names: &'i NameBook,
    /// What objects of the old tree inherit, where that is kept.
    pub(crate) inheritance: Option<&'i Inheritance>,
    /// Of two configurations, the one that is not carried.
    pub(crate) not_chosen: Option<NodeId>,
    /// What the result is written in; UTF-8 but in the last step.
    pub(crate) charset: Charset,
    /// Entries of the map that have no say in some settings.
    pub(crate) exempt: &'i Exempt,
    /// What the old unit ignored by a rule of its own, with the line of that.
    pub(crate) ignored: &'i FxHashMap<NodeId, u32>,
    /// What it makes goes into a base, which can say otherwise where both defaults are the same.
    pub(crate) into_base: bool,
    /// Which old defaults are written out.
    pub(crate) pins: PinnedDefaults,
    pub(crate) threads: Threads,
}

/// How many threads apply a crossing to a large backup.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Threads {
    /// One, which does all.
    One,
    /// A second one evaluates plain rules for rows that the first has not come to.
    #[default]
    Two,
}

impl<'i> Step<'i, '_> {
    pub(crate) fn old(&self) -> &'i Profile {
        &self.leg.old
    }

    pub(crate) fn new_profile(&self) -> &'i Profile {
        &self.leg.new
    }

    /// Whether what objects inherit is written out in each. Unless the crossing says otherwise it is
    /// kept within a platform, where the new release inherits as the old one does.
    pub(crate) fn flattens(&self) -> bool {
        self.leg.crossing.flattens.unwrap_or(self.leg.old.platform != self.leg.new.platform)
    }
}
