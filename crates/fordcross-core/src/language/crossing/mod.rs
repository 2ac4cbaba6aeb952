//! Crossings: the rules that take settings from one release to another.
//!
//! [`Crossing::parse`] checks the rules against the profiles of both sides, so that a crossing that
//! exists can be applied. Rules are in the order of the file; the first that fits takes a setting.

mod beside;
mod captures;
mod check;
mod facts;
mod left;
mod numbers;
mod parse;
mod places;
mod reader;
mod reads;
mod right;
mod rows;
mod rule;
mod steps;
mod summary;
mod tables;
mod template;
mod value;

pub(crate) use crate::ids::{ClauseId, RuleId};
pub use parse::crossing_sides;
pub(crate) use reads::{Read, ReadFrom, ReadSetting, ReadStep};
pub use summary::{Effect, Summary};
pub(crate) use template::{Field, Piece, Start, Table, Target, TargetName, TargetStep};

use crate::finding::Findings;
use crate::ids::{PlaceId, SlotId};
use crate::language::expression::Expression;
use crate::language::expression::{Operand, OperandKind};
use crate::language::phase::Phase;
use crate::language::typing::TypeId;
use crate::text::shape::Shape;
use crate::text::source::Position;
use crate::tree::pattern::Pattern;

/// One side of a crossing.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Side {
    /// The platform line.
    pub platform: String,
    /// The release.
    pub release: String,
}

impl std::fmt::Display for Side {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}@{}", self.platform, self.release)
    }
}

impl Side {
    /// `LINE@RELEASE`.
    pub fn parse(text: &str) -> Option<Self> {
        let (platform, release) = text.split_once('@')?;
        let ok = !platform.is_empty() && !release.is_empty() && !platform.contains('/');
        ok.then(|| Self { platform: platform.to_owned(), release: release.to_owned() })
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
    pub(crate) look_ups: Vec<LookUp>,
    /// What the backup does not hold and a person is asked for.
    pub asks: Vec<Ask>,
    pub(crate) requirements: Vec<Requirement>,
    pub(crate) steps: Vec<WorkStep>,
    pub(crate) notices: Vec<Notice>,
    pub(crate) base: BasePolicy,
    /// Whether what objects inherit is written out in each; what is usual, if it does not say.
    pub(crate) flattens: Option<bool>,
    /// Which old defaults are written out where a setting is not given.
    pub(crate) pins: Pins,
    /// Settings of the old side whose defaults are written out in any case.
    pub(crate) always_pinned: Vec<Pattern>,
    /// Texts that expressions and templates know by name.
    pub(crate) constants: Vec<(String, String)>,
    /// What is worth a look in the file, though it can be used.
    pub warnings: Findings,
}

/// Which old defaults are written out where a setting is not given.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Pins {
    /// Those that both profiles know and that differ.
    #[default]
    Differing,
    /// All that the new profile does not say the same of.
    All,
    /// None.
    None,
}

impl Pins {
    pub(crate) const WORDS: [(&'static str, Self); 3] =
        [("changed", Self::Differing), ("all", Self::All), ("none", Self::None)];
}

/// What becomes of collections of a base that the crossing writes into. What neither list names is
/// merged where its entries have keys, and replaced where nothing tells them apart.
#[derive(Debug, Default)]
pub(crate) struct BasePolicy {
    /// Only what the crossing writes is there then.
    pub(crate) replace: Vec<Pattern>,
    /// What the crossing writes is put beside what is there; entries without keys behind it.
    pub(crate) merge: Vec<Pattern>,
}

/// Finds the object of a place by a network that holds an address.
#[derive(Debug)]
pub(crate) struct LookUp {
    pub(crate) name: String,
    pub(crate) place: PlaceId,
    /// Gives the network of an object of that place.
    pub(crate) network: Expression,
    /// Gives what is found; else it is the name that the object has now.
    pub(crate) gives: Option<Expression>,
}

/// A fact that the backup does not hold.
#[derive(Debug)]
pub struct Ask {
    /// Its name, as expressions use it.
    pub fact: String,
    /// What is taken where nobody answers.
    pub default: String,
    /// Why it is asked, and where to find it.
    pub why: String,
    /// Where it is of no use to know it, it is not asked.
    pub(crate) when: Option<Expression>,
    pub(crate) at: Position,
    pub(crate) kind: OperandKind,
}

impl Ask {
    /// Whether an answer is of the type that is asked for.
    pub fn takes(&self, answer: &str) -> bool {
        match self.kind {
            OperandKind::Integer => answer.trim().parse::<i64>().is_ok(),
            OperandKind::Boolean => matches!(answer.trim(), "true" | "yes" | "false" | "no"),
            OperandKind::Text | OperandKind::List | OperandKind::Unknown => true,
        }
    }

    /// What an answer is, for people.
    pub fn wanted(&self) -> &'static str {
        match self.kind {
            OperandKind::Integer => "a whole number",
            OperandKind::Boolean => "yes or no",
            OperandKind::Text | OperandKind::List | OperandKind::Unknown => "a text",
        }
    }
}

/// What must hold for the crossing to be taken at all.
#[derive(Debug)]
pub(crate) struct Requirement {
    pub(crate) that: Expression,
    pub(crate) why: String,
    pub(crate) at: Position,
}

/// A step of the work around the import.
#[derive(Debug)]
pub(crate) struct WorkStep {
    pub(crate) phase: Phase,
    pub(crate) text: String,
    pub(crate) when: Option<Expression>,
}

/// Something that a person should know about the crossing.
#[derive(Debug)]
pub(crate) struct Notice {
    pub(crate) text: String,
    pub(crate) when: Option<Expression>,
    pub(crate) at: Position,
}

impl Crossing {
    /// The rule that a place itself is.
    pub(crate) fn place_rule(&self, place: PlaceId) -> &Rule {
        self.rules.iter().find(|rule| rule.is_place(place)).expect("each place is a rule")
    }

    /// The crossing without rules from a release to itself: only the model changes, or nothing does.
    pub(crate) fn identity(side: &Side) -> Self {
        Self {
            file: format!("{side} to itself"),
            from: side.clone(),
            to: side.clone(),
            equivalent_ports: Vec::new(),
            places: Vec::new(),
            rules: Vec::new(),
            look_ups: Vec::new(),
            asks: Vec::new(),
            requirements: Vec::new(),
            steps: Vec::new(),
            notices: Vec::new(),
            base: BasePolicy::default(),
            flattens: None,
            pins: Pins::default(),
            always_pinned: Vec::new(),
            constants: Vec::new(),
            warnings: Vec::new(),
        }
    }
}

/// Where objects of the old side go on the new.
#[derive(Debug)]
pub(crate) struct Place {
    pub(crate) from: Pattern,
    pub(crate) when: Option<Expression>,
    /// Depth of the scope below the outermost place.
    pub(crate) depth: usize,
    pub(crate) keys: Vec<LevelKeys>,
    /// The object of another place that it goes into, where it leads on from that.
    pub(crate) start: Option<Start>,
    /// The path from there, or from the top.
    pub(crate) target: Vec<TargetStep>,
    /// The paths from the top in any case: one, or as many as the places have that it leads on from.
    pub(crate) ways: Vec<Vec<TargetStep>>,
    /// It says where its objects go. Else it only holds rules.
    pub(crate) takes: bool,
    /// What makes objects one.
    pub(crate) merge: Option<Merge>,
}

/// Objects of a place that become one.
#[derive(Clone, Debug)]
pub(crate) struct Merge {
    /// The number of the table that says so: all its places are joined together.
    pub(crate) table: usize,
    /// Settings of the old side: objects with the same values there become one. None with `but`.
    pub(crate) by: Vec<String>,
    /// Paths below the object on the new side: objects that are equal in all else become one, with what is there of each.
    pub(crate) but: Vec<Pattern>,
}

impl Place {
    /// What is known where its objects go is only known when a rule is applied.
    pub(crate) fn is_by_kind(&self) -> bool {
        self.ways.len() > 1 || self.ways.iter().flatten().any(TargetStep::is_by_kind)
    }

    /// How many steps of its target are the same for all objects, from the top.
    pub(crate) fn common_steps(&self) -> usize {
        let is_common = |step: &&TargetStep| matches!(step.name, TargetName::Literal(_)) && !step.append;
        self.target.iter().take_while(is_common).count()
    }
}

/// What a place asks of the keys of its object, or of one that holds it.
#[derive(Clone, Debug)]
pub(crate) struct LevelKeys {
    /// How many levels above the object.
    pub(crate) up: usize,
    /// There is one test, and it is of the name; else each is of a key setting.
    pub(crate) by_name: bool,
    pub(crate) tests: Vec<KeyTest>,
}

/// What a place asks of one key of its object.
#[derive(Clone, Debug)]
pub(crate) enum KeyTest {
    /// Anything; the key is the place's capture of this slot.
    Capture(SlotId),
    /// Just this.
    Literal(String),
    /// Text of that shape; its captures are the place's, in order.
    Shaped(ClauseShape),
    Any,
}

/// One rule.
#[derive(Debug)]
pub(crate) struct Rule {
    pub(crate) at: Position,
    /// The place that it is in.
    pub(crate) place: Option<PlaceId>,
    pub(crate) clauses: Vec<Clause>,
    /// What it reads, and leaves to others.
    pub(crate) reads: Vec<Read>,
    /// How many slots there are: the captures of the place, then its own.
    pub(crate) slots: usize,
    /// The names of the slots, as expressions use them.
    pub(crate) names: Vec<String>,
    /// Names that are texts wherever it is applied.
    pub(crate) fixed: Vec<(String, Operand)>,
    /// Something is captured twice and must be the same both times.
    pub(crate) is_bound_twice: bool,
    /// A table that captures are put through can lack a value: the rule does not fit then.
    pub(crate) asks_tables: bool,
    pub(crate) when: Option<Expression>,
    pub(crate) action: Action,
}

/// One setting or object that a rule speaks of.
#[derive(Debug)]
pub(crate) struct Clause {
    /// From the outermost place down.
    pub(crate) pattern: Pattern,
    pub(crate) shape: Option<ClauseShape>,
    pub(crate) optional: bool,
    /// It speaks of the object itself, that it is there.
    pub(crate) presence: bool,
    /// The slot of the whole value, where there is no shape.
    pub(crate) slot: Option<SlotId>,
    /// What names on the way are made of, where the pattern does not say all.
    pub(crate) names: Vec<NameShape>,
    /// Which of several is meant, from 1, each with the number of steps that lead there.
    pub(crate) numbers: Vec<(usize, usize)>,
    /// How many steps lead to the last of several; none where there is only one.
    pub(crate) several: Option<usize>,
}

/// What the name of a step is made of.
#[derive(Clone, Debug)]
pub(crate) struct NameShape {
    /// How many levels below the outermost place it is.
    pub(crate) depth: usize,
    /// The type that spells it.
    pub(crate) ty: Option<TypeId>,
    pub(crate) shape: ClauseShape,
}

#[derive(Clone, Debug)]
pub(crate) struct ClauseShape {
    pub(crate) shape: Shape,
    /// The slot of each capture, in order.
    pub(crate) slots: Vec<SlotId>,
    /// Types of the old profile that the captures themselves name.
    pub(crate) types: Vec<Option<TypeId>>,
}

#[derive(Debug)]
pub(crate) enum Action {
    /// The place itself: takes the object (clause 0) and the keys that its target uses.
    Place,
    Move(Vec<Target>),
    /// Takes all that is below a path to the same paths below another, as far as these are known there.
    Branch(Target),
    /// Writes what the old side has nothing like, once for each object of the place.
    Add(Vec<Target>),
    /// Writes what holds on the old side without a word of it, where that is not the default of the new one.
    Pin(Vec<Target>),
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

/// A rule that moves one setting to places right where its object goes: most rules do, and most settings
/// go that way.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Plain<'c> {
    targets: &'c [Target],
    /// There is one field, and it takes the value as a whole.
    pub(crate) whole: bool,
}

impl<'c> Plain<'c> {
    pub(crate) fn fields(self) -> impl Iterator<Item = &'c Field> {
        self.targets.iter().flat_map(|target| &target.fields)
    }
}

impl Rule {
    /// The rule as a plain one, if it is.
    pub(crate) fn as_plain(&self, places: &[Place]) -> Option<Plain<'_>> {
        if self.place.is_some_and(|place| places[place.index()].is_by_kind()) {
            return None;
        }
        let (Action::Move(targets), [clause], None, []) =
            (&self.action, self.clauses.as_slice(), &self.when, self.reads.as_slice())
        else {
            return None;
        };
        let is_plain = |target: &Target| {
            let from_here = !target.top && target.start.is_none() && target.base.is_empty();
            let named = target.fields.iter().all(|field| field.plain_name().is_some());
            from_here && named && target.objects.is_empty()
        };
        let asks = !clause.names.is_empty() || !clause.numbers.is_empty() || self.is_bound_twice;
        if clause.presence || asks || !targets.iter().all(is_plain) {
            return None;
        }
        let plain = Plain { targets, whole: false };
        let mut fields = plain.fields();
        let slot = match (fields.next().map(|field| field.template.as_slice()), fields.next()) {
            (Some([Piece::Slot { slot, table: None }]), None) => Some(*slot),
            _ => None,
        };
        let whole = slot.is_some() && clause.shape.is_none() && clause.slot == slot;
        Some(Plain { whole, ..plain })
    }

    /// The tables that it puts captures through, of which any can lack a value.
    pub(crate) fn tables(&self) -> Vec<(SlotId, &Table)> {
        match &self.action {
            Action::Move(targets) => targets.iter().flat_map(Target::tables).collect(),
            _ => Vec::new(),
        }
    }

    /// Whether it is the rule that a place itself is.
    pub(crate) fn is_place(&self, place: PlaceId) -> bool {
        self.place == Some(place) && matches!(self.action, Action::Place)
    }

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
                    |piece| matches!(piece, Piece::Slot { table: Some(table), .. } if !table.takes_all()),
                )
            }),
            _ => false,
        };
        // Of a branch only what the new side knows.
        !matches!(self.action, Action::Place | Action::Branch(_))
            && self.when.is_none()
            && self.reads.is_empty()
            && clause.numbers.is_empty()
            && open_shape
            && clause.names.iter().all(|name| name.shape.shape.as_capture().is_some())
            && !partial
            && self.is_open(places)
            && clause.pattern.covers(pattern)
    }

    fn is_open(&self, places: &[Place]) -> bool {
        self.place.is_none_or(|place| {
            let place = &places[place.index()];
            let is_open = |key: &KeyTest| matches!(key, KeyTest::Capture(_) | KeyTest::Any);
            place.when.is_none() && place.keys.iter().all(|level| level.tests.iter().all(is_open))
        })
    }
}
