//! Crossings: the rules that take settings from one release to another.
//!
//! [`Crossing::parse`] checks the rules against the profiles of both sides, so that a crossing that
//! exists can be applied. Rules stand in the order of the file; the first that fits takes a setting.

mod check;
mod parse;
mod syntax;

pub use parse::crossing_sides;

use crate::pattern::Pattern;
use crate::shape::Shape;
use crate::source::Position;
use crate::typing::TypeId;

/// One side of a crossing.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Side {
    /// The platform line.
    pub line: String,
    /// The release.
    pub release: String,
}

impl std::fmt::Display for Side {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}@{}", self.line, self.release)
    }
}

impl Side {
    /// `LINE@RELEASE`.
    pub fn parse(text: &str) -> Option<Self> {
        let (line, release) = text.split_once('@')?;
        let ok = !line.is_empty() && !release.is_empty() && !line.contains('/');
        ok.then(|| Self { line: line.to_owned(), release: release.to_owned() })
    }
}

/// A checked crossing.
#[derive(Debug)]
pub struct Crossing {
    /// The file that it was read from, for the ledger and messages.
    pub file: String,
    /// Where it starts.
    pub from: Side,
    /// Where it leads.
    pub to: Side,
    /// Old ports and the new ones that take their part.
    pub(crate) equivalent_ports: Vec<(String, String)>,
    pub(crate) places: Vec<Place>,
    /// In the order of the file.
    pub(crate) rules: Vec<Rule>,
}

/// Where objects of the old side go on the new.
#[derive(Debug)]
pub(crate) struct Place {
    /// Depth of the scope below the outermost place.
    pub(crate) depth: usize,
    pub(crate) keys: Vec<KeyTest>,
    pub(crate) target: Vec<TargetStep>,
}

/// What a place asks of one key of its object.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum KeyTest {
    /// Anything; the key is the place's capture of this slot.
    Capture(usize),
    /// Just this.
    Literal(String),
    Any,
}

/// One step into the new tree.
#[derive(Clone, Debug)]
pub(crate) struct TargetStep {
    pub(crate) name: TargetName,
    /// A new entry of the list of that name.
    pub(crate) append: bool,
}

#[derive(Clone, Debug)]
pub(crate) enum TargetName {
    Literal(String),
    /// The value of a slot, as the type spells it.
    Slot {
        slot: usize,
        kind: Option<TypeId>,
    },
}

/// One rule.
#[derive(Debug)]
pub(crate) struct Rule {
    pub(crate) at: Position,
    /// The place that it stands in.
    pub(crate) place: Option<usize>,
    pub(crate) clauses: Vec<Clause>,
    /// How many slots there are: the captures of the place, then its own.
    pub(crate) slots: usize,
    pub(crate) action: Action,
}

/// One setting or object that a rule speaks of.
#[derive(Debug)]
pub(crate) struct Clause {
    /// From the outermost place down.
    pub(crate) pattern: Pattern,
    pub(crate) shape: Option<ClauseShape>,
    pub(crate) optional: bool,
    /// The slot of the whole value, where there is no shape.
    pub(crate) slot: Option<usize>,
}

#[derive(Debug)]
pub(crate) struct ClauseShape {
    pub(crate) shape: Shape,
    /// The slot of each capture, in order.
    pub(crate) slots: Vec<usize>,
    /// Types of the old profile that the captures themselves name.
    pub(crate) types: Vec<Option<TypeId>>,
}

#[derive(Debug)]
pub(crate) enum Action {
    /// The place itself: takes the object (clause 0) and the keys that its target uses.
    Place,
    Move(Vec<Target>),
    Drop {
        why: String,
    },
    ByHand {
        instruction: String,
    },
    Moot {
        why: String,
    },
}

/// What one firing of a rule writes: steps to a common place, then fields below it.
#[derive(Debug)]
pub(crate) struct Target {
    pub(crate) base: Vec<TargetStep>,
    pub(crate) fields: Vec<Field>,
}

#[derive(Debug)]
pub(crate) struct Field {
    pub(crate) path: Vec<TargetStep>,
    /// The type of the setting on the new side.
    pub(crate) kind: TypeId,
    pub(crate) template: Vec<Piece>,
}

/// A piece of what is written.
#[derive(Debug)]
pub(crate) enum Piece {
    Literal(String),
    Slot { slot: usize, table: Option<Table> },
}

/// Old values and the new ones that take their part.
#[derive(Clone, Debug, Default)]
pub(crate) struct Table {
    pub(crate) rows: Vec<(String, String)>,
    /// For `*`.
    pub(crate) otherwise: Option<String>,
}

impl Table {
    pub(crate) fn get(&self, old: &str) -> Option<&str> {
        let found = self.rows.iter().find(|(from, _)| from == old).map(|(_, to)| to);
        found.or(self.otherwise.as_ref()).map(String::as_str)
    }
}

impl Rule {
    /// Whether whatever a path of the pattern leads to is taken, with no condition on it.
    pub(crate) fn takes_all_of(&self, pattern: &Pattern, places: &[Place]) -> bool {
        let [clause] = self.clauses.as_slice() else {
            // A place takes its object and keys one by one.
            return matches!(self.action, Action::Place)
                && self.is_open(places)
                && self.clauses.iter().skip(1).any(|clause| clause.pattern.covers(pattern));
        };
        let open_shape = match &clause.shape {
            None => true,
            Some(shape) => shape.shape.as_capture().is_some(),
        };
        // A table without `*` gives values back that it does not list.
        let partial = match &self.action {
            Action::Move(targets) => targets.iter().flat_map(|target| &target.fields).any(|field| {
                field.template.iter().any(
                    |piece| matches!(piece, Piece::Slot { table: Some(table), .. } if table.otherwise.is_none()),
                )
            }),
            _ => false,
        };
        !matches!(self.action, Action::Place)
            && open_shape
            && !partial
            && self.is_open(places)
            && clause.pattern.covers(pattern)
    }

    fn is_open(&self, places: &[Place]) -> bool {
        self.place
            .is_none_or(|place| !places[place].keys.iter().any(|key| matches!(key, KeyTest::Literal(_))))
    }
}
