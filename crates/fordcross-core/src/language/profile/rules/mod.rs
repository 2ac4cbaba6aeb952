//! What makes a configuration of a platform valid, beyond the types of its settings: what must be there, what must be one
//! of a kind, what must name something, and checks for all else.
//!
//! Presence is at the object, what a value must be among others at the setting, everything else in a check.
//! [`crate::judge`] judges by them.

mod checks;
mod facts;
mod read;

pub(super) use checks::read_checks;
pub(super) use read::{RawObjectRule, RawRules, read_object_rule, read_setting_rule};

use crate::ids::OwnRule;
use crate::language::expression::Expression;
use crate::tree::pattern::Pattern;
use std::sync::Arc;

/// All rules of one platform, or of one release of it.
#[derive(Clone, Debug, Default)]
pub(crate) struct Rules {
    pub(crate) objects: Vec<ObjectRule>,
    pub(crate) settings: Vec<SettingRule>,
    pub(crate) checks: Vec<Check>,
}

/// The codes of all that is no check, with what each says.
pub(crate) const PART_CODES: [(&str, &str); 8] = [
    ("required", "an object lacks a part without which there is no such object"),
    ("needs", "a setting is there without another that it means nothing without"),
    ("at-most-one", "an object has more than one of several settings that exclude one another"),
    ("at-least-one", "an object has none of several settings of which it needs one"),
    ("narrowed", "an object lost a part without which it would be wider than it was meant"),
    ("count", "there are more or fewer of something than the platform allows"),
    ("twice", "two things have the same value where it must be unique"),
    ("names-nothing", "a setting refers to something that does not exist"),
];

/// The number of a rule among those of its kind in one [`Rules`].
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) enum OwnRuleId {
    Object(OwnRule),
    /// How many objects of a rule there are, asked of what they are in.
    Count(OwnRule),
    Setting(OwnRule),
    Check(OwnRule),
}

/// What becomes of what breaks a rule, the mildest first.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) enum Breach {
    /// It is written, and a note says so.
    Notes,
    /// It is written, and a warning says so.
    Warns,
    /// It is taken out, and with it what cannot be without it.
    Goes,
    /// Nothing is written at all.
    Blocks,
}

impl Breach {
    pub(crate) const WORDS: [(&'static str, Self); 4] =
        [("notes", Self::Notes), ("warns", Self::Warns), ("goes", Self::Goes), ("blocks", Self::Blocks)];
}

/// What the unit that a backup is from makes of a breach.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum OldMeaning {
    /// It refuses it: a backup of a unit that worked has none.
    #[default]
    Refused,
    /// It takes it and does nothing with it.
    Ignored,
    /// Of several the last one counts.
    Last,
    /// It takes it, and does what it says.
    Taken,
}

impl OldMeaning {
    pub(crate) const WORDS: [(&'static str, Self); 4] = [
        ("refused", Self::Refused),
        ("ignored", Self::Ignored),
        ("last", Self::Last),
        ("taken", Self::Taken),
    ];
}

/// The profile's own words for a breach.
#[derive(Clone, Debug, Default)]
pub(crate) struct Wording {
    pub(crate) text: Option<String>,
    pub(crate) remedy: Option<String>,
}

/// What every rule has.
#[derive(Clone, Debug)]
pub(crate) struct Head {
    /// What it holds for.
    pub(crate) pattern: Pattern,
    /// The first and the last release that have it, by their places in the profile's list.
    pub(crate) releases: (usize, usize),
    /// The line of the profile that says it.
    pub(crate) line: u32,
    /// What becomes of a breach, and what the old unit makes of one.
    pub(crate) breach: Breach,
    pub(crate) old: OldMeaning,
    /// What one such object is called: `fixed lease`.
    pub(crate) noun: Option<String>,
}

/// What objects of a path must have.
#[derive(Clone, Debug)]
pub(crate) struct ObjectRule {
    pub(crate) head: Head,
    pub(crate) required: Vec<Required>,
    /// This one not without that one.
    pub(crate) needs: Vec<(String, String)>,
    pub(crate) at_most_one: Vec<Vec<String>>,
    pub(crate) at_least_one: Vec<Vec<String>>,
    /// What makes it less: if one that the backup gives does not arrive, neither does the object.
    pub(crate) narrows: Option<Narrows>,
    /// How many there are in what they are in.
    pub(crate) count: Option<Bounds>,
    pub(crate) unique: Option<Unique>,
    /// What its name is the name of.
    pub(crate) key_refers_to: Option<Referent>,
    /// When it lets somebody or something in, and when it keeps out.
    pub(crate) grants_if: Option<Arc<Expression>>,
    pub(crate) restricts_if: Option<Arc<Expression>>,
}

/// A part without which there is no such object.
#[derive(Clone, Debug)]
pub(crate) struct Required {
    pub(crate) path: String,
    pub(crate) when: Option<Arc<Expression>>,
    pub(crate) breach: Option<Breach>,
    pub(crate) wording: Wording,
}

/// The parts without which an object would be wider than it was meant.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Narrows {
    All,
    These(Vec<String>),
}

/// At least and at most so many.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Bounds {
    pub(crate) least: u64,
    pub(crate) most: u64,
}

/// No two alike among all that use the same word.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Unique {
    pub(crate) among: String,
    /// The part of the value that must be one of a kind; else the whole.
    pub(crate) part: Option<String>,
    /// Only among those of one object of this path.
    pub(crate) within: Option<Pattern>,
}

/// What values name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Referent {
    /// An object of this path.
    Objects(Pattern),
    /// A port of the model, or one on it; or else an object of this path.
    ModelPort(Option<Pattern>),
}

impl Referent {
    pub(crate) fn objects(&self) -> Option<&Pattern> {
        match self {
            Self::Objects(pattern) => Some(pattern),
            Self::ModelPort(or) => or.as_ref(),
        }
    }
}

impl std::fmt::Display for Referent {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Objects(pattern) => write!(f, "{pattern}"),
            Self::ModelPort(None) => f.write_str("model port"),
            Self::ModelPort(Some(or)) => write!(f, "model port|{or}"),
        }
    }
}

/// What values of a setting must be among others.
#[derive(Clone, Debug)]
pub(crate) struct SettingRule {
    pub(crate) head: Head,
    pub(crate) refers_to: Option<Referent>,
    pub(crate) key_refers_to: Option<Referent>,
    pub(crate) unique: Option<Unique>,
    /// The name of the setting is one of a kind, where names are free.
    pub(crate) key_unique: Option<Unique>,
    /// How many there are in one object.
    pub(crate) count: Option<Bounds>,
}

/// Whatever else there is.
#[derive(Clone, Debug)]
pub(crate) struct Check {
    pub(crate) head: Head,
    /// Whether it is about the whole, and not about each of several.
    pub(crate) of_whole: bool,
    /// `lease-outside-subnet`
    pub(crate) code: String,
    pub(crate) that: Condition,
    pub(crate) when: Option<Arc<Expression>>,
    /// Whose fault it is; else all that was looked at.
    pub(crate) about: Vec<String>,
    pub(crate) wording: Wording,
}

/// What a check asks for.
#[derive(Clone, Debug)]
pub(crate) enum Condition {
    /// This holds.
    Holds(Arc<Expression>),
    /// These settings are together one of a kind.
    Unique(Vec<String>),
}

impl Rules {
    /// Only what one release has.
    pub(crate) fn at(&self, release: usize) -> Self {
        let there = |head: &Head| (head.releases.0..=head.releases.1).contains(&release);
        Self {
            objects: self.objects.iter().filter(|rule| there(&rule.head)).cloned().collect(),
            settings: self.settings.iter().filter(|rule| there(&rule.head)).cloned().collect(),
            checks: self.checks.iter().filter(|rule| there(&rule.head)).cloned().collect(),
        }
    }

    /// Each rule that is about nodes of a path, with the path.
    pub(crate) fn patterns(&self) -> impl Iterator<Item = (OwnRuleId, Pattern)> {
        let objects = self.objects.iter().zip((0..).map(OwnRule::new)).flat_map(|(rule, id)| {
            let pattern = &rule.head.pattern;
            let above = || Pattern { steps: pattern.steps[..pattern.steps.len() - 1].to_vec() };
            let counted =
                rule.count.filter(|_| !pattern.steps.is_empty()).map(|_| (OwnRuleId::Count(id), above()));
            [Some((OwnRuleId::Object(id), pattern.clone())), counted].into_iter().flatten()
        });
        let settings = self.settings.iter().zip((0..).map(OwnRule::new));
        let settings = settings.map(|(rule, id)| (OwnRuleId::Setting(id), rule.head.pattern.clone()));
        let checks = self.checks.iter().zip((0..).map(OwnRule::new)).filter(|(check, _)| !check.of_whole);
        objects
            .chain(settings)
            .chain(checks.map(|(rule, id)| (OwnRuleId::Check(id), rule.head.pattern.clone())))
    }

    pub(crate) fn head(&self, id: OwnRuleId) -> &Head {
        match id {
            OwnRuleId::Object(id) | OwnRuleId::Count(id) => &self.objects[id.index()].head,
            OwnRuleId::Setting(id) => &self.settings[id.index()].head,
            OwnRuleId::Check(id) => &self.checks[id.index()].head,
        }
    }

    /// What the setting of a pattern names.
    pub(crate) fn refers_to(&self, pattern: &Pattern) -> Option<&Referent> {
        self.settings.iter().find(|rule| rule.head.pattern.covers(pattern))?.refers_to.as_ref()
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.objects.is_empty() && self.settings.is_empty() && self.checks.is_empty()
    }
}
