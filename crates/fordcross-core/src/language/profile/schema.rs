//! What a platform's configurations can hold: settings with types, objects with keys.

use crate::ids::EntryId;
use crate::language::expression::Expression;
use crate::language::typing::TypeId;
use crate::tree::pattern::{Pattern, Step};
use std::ops::Index;
use std::sync::Arc;

/// The declarations of one profile.
#[derive(Clone, Debug, Default)]
pub(crate) struct Schema {
    pub(crate) entries: Vec<Entry>,
}

/// One declaration.
#[derive(Clone, Debug)]
pub(crate) struct Entry {
    pub(crate) pattern: Pattern,
    pub(crate) what: What,
    /// The first and the last release that have it, by their places in the profile's list.
    pub(crate) releases: (usize, usize),
    /// What it is to the unit, each with when it is that.
    pub(crate) roles: Vec<(Role, Option<Arc<Expression>>)>,
    /// Its values are secrets: where a backup has a branch in place of one, what that holds may be, too.
    pub(crate) is_secret: bool,
}

/// What a setting or object is to the unit that has it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Role {
    /// It must not be live twice.
    Identity,
    /// It is bound to the unit or its disk.
    Installation,
    /// A person who may change everything logs in by it.
    AdminLogin,
    /// The unit is managed under it.
    ManagementAddress,
    /// It lets those in who manage the unit.
    ManagementAccess,
    /// All that is not near is reached by it.
    DefaultRoute,
    /// It lets somebody or something in.
    GrantsAccess,
    /// It keeps somebody or something out.
    RestrictsAccess,
    /// One of several that are gone through in their order.
    FilterRule,
    /// It ties the unit to its partner.
    Redundancy,
}

impl Role {
    pub(crate) const WORDS: [(&'static str, Self); 10] = [
        ("identity", Self::Identity),
        ("installation", Self::Installation),
        ("admin-login", Self::AdminLogin),
        ("management-address", Self::ManagementAddress),
        ("management-access", Self::ManagementAccess),
        ("default-route", Self::DefaultRoute),
        ("grants-access", Self::GrantsAccess),
        ("restricts-access", Self::RestrictsAccess),
        ("filter-rule", Self::FilterRule),
        ("redundancy", Self::Redundancy),
    ];

    /// What carries it, for people: `the default route`.
    pub(crate) fn about(self) -> &'static str {
        match self {
            Self::Identity => "what must not be live twice",
            Self::Installation => "what is bound to the unit",
            Self::AdminLogin => "an administrator's login",
            Self::ManagementAddress => "the management address",
            Self::ManagementAccess => "the management access",
            Self::DefaultRoute => "the default route",
            Self::GrantsAccess => "what grants access",
            Self::RestrictsAccess => "what restricts access",
            Self::FilterRule => "a filter rule",
            Self::Redundancy => "the link to the partner",
        }
    }
}

#[derive(Clone, Debug)]
pub(crate) enum What {
    Setting {
        ty: TypeId,
        /// What it means that the setting is given several times in one place.
        repeats: Repeats,
        /// In XML it is an attribute, not an element.
        attribute: bool,
        /// It makes the unit itself: a name, an address. A second unit must not have the same.
        identity: bool,
        /// What holds where it is omitted, each from one release on.
        defaults: Vec<(usize, String)>,
        /// The same where it depends on the object: the first whose condition holds. Seen from the object.
        defaults_if: Vec<(String, Option<Arc<Expression>>)>,
        /// Values that do less to protect the system than what newer releases do by themselves.
        weakens: Vec<String>,
        /// Addresses, paths and ports in it are those of the map. They are not where others give them out.
        mapped: bool,
    },
    Object {
        /// The settings, directly inside the object, that tell it from its like.
        keys: Vec<String>,
        /// The name of the element or member is the key, of this type.
        name: Option<TypeId>,
        /// There may be several.
        many: bool,
        /// The kinds of such objects, each with what holds for one; the first that holds is its kind.
        kinds: Vec<(String, Arc<Expression>)>,
        /// What it says of itself to a person who looks.
        traits: Box<ObjectTraits>,
        inherits: Option<Inherits>,
        /// What it means that an object of the same keys is there again.
        repeats: Repeats,
        /// In what order what is in it is written.
        order: Vec<String>,
    },
}

/// What it means that something is given several times in one place.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Repeats {
    /// The platform has it once; nothing is known of a second.
    #[default]
    No,
    /// Each counts: a setting that is a list.
    All,
    /// The first counts.
    First,
    /// The last counts.
    Last,
    /// Of objects: they are one, with the settings of all.
    Merge,
    /// The platform refuses a second.
    Error,
}

impl Repeats {
    pub(crate) const OF_SETTINGS: [(&'static str, Self); 3] =
        [("error", Self::Error), ("first", Self::First), ("last", Self::Last)];
    pub(crate) const OF_OBJECTS: [(&'static str, Self); 4] =
        [("first", Self::First), ("last", Self::Last), ("merge", Self::Merge), ("error", Self::Error)];
}

/// Where objects have settings from that are not given in them. The nearest wins: what an object names,
/// what that names, the block.
#[derive(Clone, Debug)]
pub(crate) struct Inherits {
    /// The setting, directly in the object, that names another.
    pub(crate) named_by: Option<String>,
    /// The path of the objects that it names one of; none for its own like. If the object is in one of
    /// those itself, it inherits from what is in the named one as it does.
    pub(crate) of: Option<Vec<String>>,
    /// Of what can be given several times it has what is inherited besides its own.
    pub(crate) adds: bool,
    /// Which of several parents counts.
    pub(crate) wins: Wins,
    /// The path of the one object that all inherit from.
    pub(crate) block: Option<Vec<String>>,
}

/// Which of several parents counts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Wins {
    #[default]
    First,
    Last,
}

/// What an object says of itself to a person who looks at a backup or a base.
#[derive(Clone, Debug, Default)]
pub(crate) struct ObjectTraits {
    /// Settings below its branches, each as `[branch, *, …]`: what they name of these is before them.
    pub(crate) named_first: Vec<Vec<String>>,
    /// How many bytes its name has at most.
    pub(crate) longest_name: Option<usize>,
    /// The kinds of such objects that are ports, which the configuration itself makes.
    pub(crate) makes_port: Vec<String>,
    /// Whom or what an object of the kind lets in, if it does.
    pub(crate) admits: Option<Admits>,
    /// A setting of the object and the values with which it is there and does nothing.
    pub(crate) disabled_if: Option<(String, Vec<String>)>,
    /// The setting that says until when it is good.
    pub(crate) expires: Option<String>,
    /// It is a part of the system with a release of its own, which this setting says.
    pub(crate) component: Option<String>,
}

/// Why an object of a base is worth a look even where the backup says nothing of it.
#[derive(Clone, Debug)]
pub(crate) struct Admits {
    /// `a user`, `an allowing rule`.
    pub(crate) what: String,
    /// A setting of the object and the values with which it lets in; always, if there is none.
    pub(crate) only_if: Option<(String, Vec<String>)>,
}

impl What {
    /// The type of a setting.
    pub(crate) fn setting(&self) -> Option<TypeId> {
        match self {
            Self::Setting { ty, .. } => Some(*ty),
            Self::Object { .. } => None,
        }
    }

    /// Whether what is in it is of the map.
    pub(crate) fn is_mapped(&self) -> bool {
        !matches!(self, Self::Setting { mapped: false, .. })
    }

    /// What holds in a release where the setting is omitted, if that depends on nothing.
    pub(crate) fn default_at(&self, release: usize) -> Option<&str> {
        match self {
            Self::Setting { defaults, .. } => {
                defaults.iter().rev().find(|(from, _)| *from <= release).map(|(_, value)| value.as_str())
            }
            Self::Object { .. } => None,
        }
    }

    pub(crate) fn repeats(&self) -> Repeats {
        match self {
            Self::Setting { repeats, .. } | Self::Object { repeats, .. } => *repeats,
        }
    }

    /// A setting of which each one that is given counts.
    pub(crate) fn is_list(&self) -> bool {
        matches!(self, Self::Setting { repeats: Repeats::All, .. })
    }

    /// Whether there can be several of it.
    pub(crate) fn can_be_several(&self) -> bool {
        match self {
            Self::Setting { .. } => self.is_list(),
            Self::Object { keys, name, many, .. } => *many || !keys.is_empty() || name.is_some(),
        }
    }

    pub(crate) fn is_object(&self) -> bool {
        matches!(self, Self::Object { .. })
    }
}

impl Schema {
    /// Only what one release has.
    pub(crate) fn at(&self, release: usize) -> Self {
        let there = |entry: &&Entry| (entry.releases.0..=entry.releases.1).contains(&release);
        Self { entries: self.entries.iter().filter(there).cloned().collect() }
    }

    /// The declaration of a pattern: the one with just this, or else the first that declares it with others.
    pub(crate) fn same(&self, pattern: &Pattern) -> Option<EntryId> {
        let position =
            |is_it: &dyn Fn(&Pattern) -> bool| self.entries.iter().position(|entry| is_it(&entry.pattern));
        position(&|known| known == pattern)
            .or_else(|| position(&|known| known.covers(pattern)))
            .map(EntryId::new)
    }
}

/// Whether a schema knows a path.
pub(crate) enum Lookup {
    /// Exactly this is declared.
    Declared(EntryId),
    /// Something below it is.
    Above,
    /// Not known from this step on, with the names that could have been there.
    Unknown { depth: usize, known: Vec<String> },
}

impl Schema {
    /// Looks a path up, step by step. A wildcard of the path fits a wildcard of the schema only.
    pub(crate) fn find(&self, path: &[PathStep<'_>]) -> Lookup {
        let mut level: Vec<(&[Step], EntryId)> = self
            .entries
            .iter()
            .enumerate()
            .map(|(index, entry)| (entry.pattern.steps.as_slice(), EntryId::new(index)))
            .collect();
        for (at, step) in path.iter().enumerate() {
            let next: Vec<_> = level
                .iter()
                .filter_map(|&(steps, index)| match (steps.split_first()?, step) {
                    ((Step::Below, _), _) => Some((steps, index)),
                    ((Step::Names(names), rest), PathStep::Name(name)) if names.iter().any(|n| n == name) => {
                        Some((rest, index))
                    }
                    ((Step::Names(names), rest), PathStep::OneOf(possible))
                        if names.iter().any(|name| possible.contains(name)) =>
                    {
                        Some((rest, index))
                    }
                    ((Step::Any, rest), _) | ((Step::Names(_), rest), PathStep::Whatever) => {
                        Some((rest, index))
                    }
                    _ => None,
                })
                .collect();
            if next.is_empty() {
                let mut known: Vec<String> = Vec::new();
                for (steps, _) in level {
                    if let Some(Step::Names(names)) = steps.first() {
                        known.extend(
                            names.iter().filter(|name| !known.contains(name)).cloned().collect::<Vec<_>>(),
                        );
                    }
                }
                return Lookup::Unknown { depth: at, known };
            }
            level = next;
        }
        // An exact name says more than a wildcard.
        let exactness = |index: EntryId| {
            let steps = &self[index].pattern.steps;
            let names = steps.iter().filter(|step| matches!(step, Step::Names(_))).count();
            (names, steps.last() != Some(&Step::Below))
        };
        level
            .iter()
            .filter(|(rest, _)| matches!(rest, [] | [Step::Below]))
            .map(|&(_, index)| index)
            .max_by_key(|&index| (exactness(index), std::cmp::Reverse(index)))
            .map_or(Lookup::Above, Lookup::Declared)
    }
}

impl Index<EntryId> for Schema {
    type Output = Entry;

    fn index(&self, id: EntryId) -> &Entry {
        &self.entries[id.index()]
    }
}

/// One step of a path that is looked up.
#[derive(Clone, Copy, Debug)]
pub(crate) enum PathStep<'p> {
    Name(&'p str),
    /// A name that is only known when the rule is applied, but is one of these.
    OneOf(&'p [String]),
    /// A name that is only known when the rule is applied.
    Any,
    /// Whatever is there, declared by its name or not.
    Whatever,
}

impl<'p> PathStep<'p> {
    /// A step as it is written: a name, or `*`.
    pub(crate) fn named(text: &'p str) -> Self {
        if text == "*" { Self::Any } else { Self::Name(text) }
    }

    /// The steps that a path of an expression has, seen from an object: `..` leads out of it, and `*` is
    /// whatever is there.
    pub(crate) fn from_here(above: &'p [Step], path: &'p str) -> Vec<Self> {
        let mut steps: Vec<Self> = above.iter().map(Self::from).collect();
        for name in path.split('/') {
            match name {
                ".." => {
                    steps.pop();
                }
                "*" => steps.push(Self::Whatever),
                name => steps.push(Self::Name(name)),
            }
        }
        steps
    }
}

impl<'p> From<&'p Step> for PathStep<'p> {
    fn from(step: &'p Step) -> Self {
        match step {
            Step::Names(names) if names.len() > 1 => Self::OneOf(names),
            Step::Names(names) => Self::Name(&names[0]),
            Step::Any | Step::Below => Self::Any,
        }
    }
}
