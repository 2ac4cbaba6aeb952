//! One breach of one rule.

use crate::language::profile::{Breach, OwnRuleId, Profile};
use crate::scan::surroundings::Seen;
use crate::tree::NodeId;

/// What of a rule is broken.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Part {
    /// This, by its number among what is required, is not there.
    Required(u16, String),
    /// The first is there without the second.
    Needs(String, String),
    AtMostOne(Vec<String>),
    AtLeastOne(Vec<String>),
    /// Without this it would be wider than it was.
    Narrowed(Option<String>),
    /// So many are there.
    Count(u64),
    /// What they would be in is not there at all.
    NothingToCountIn(String),
    /// Another has the same.
    Unique,
    /// Another has the same name.
    UniqueName,
    /// It names nothing that is there: what it should name.
    Reference {
        of: String,
        /// It is the name of the setting or object that refers, not a value.
        is_key: bool,
    },
    /// A check does not hold.
    Check,
    /// A check has no answer here: why.
    Undecided(String),
}

impl Part {
    /// The code of such a breach, without that of the platform; `None` for a check, which has its own.
    pub(crate) fn code(&self) -> Option<&'static str> {
        Some(match self {
            Self::Required(..) => "required",
            Self::Needs(..) => "needs",
            Self::AtMostOne(_) => "at-most-one",
            Self::AtLeastOne(_) => "at-least-one",
            Self::Narrowed(_) => "narrowed",
            Self::Count(_) | Self::NothingToCountIn(_) => "count",
            Self::Unique | Self::UniqueName => "twice",
            Self::Reference { .. } => "names-nothing",
            Self::Check | Self::Undecided(_) => return None,
        })
    }
}

/// One breach.
#[derive(Clone, Debug)]
pub(crate) struct Breached {
    pub(crate) rule: OwnRuleId,
    pub(crate) part: Part,
    /// The object or setting that breaks it.
    pub(crate) node: NodeId,
    pub(crate) breach: Breach,
    /// What goes, where something does: the smallest thing that can.
    pub(crate) takes: Vec<NodeId>,
    /// What was looked at.
    pub(crate) seen: Vec<Seen>,
    /// What is the same as another's, where one must be one of a kind: that other.
    pub(crate) other: Option<NodeId>,
}

impl Breached {
    /// `osier/required`
    pub(crate) fn code(&self, profile: &Profile) -> String {
        let own = match (self.part.code(), self.rule) {
            (Some(code), _) => code,
            (None, OwnRuleId::Check(id)) => profile.rules.checks[id.index()].code.as_str(),
            (None, _) => "check",
        };
        format!("{}/{own}", profile.platform)
    }
}
