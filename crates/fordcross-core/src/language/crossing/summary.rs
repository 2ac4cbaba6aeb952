//! What a crossing does, for a person who judges one that comes from a stranger: what it adds, what it
//! drops, what it leaves to a person. It can do nothing else than its rules say: it runs no code and
//! reaches no file and no network.

use super::{Action, Crossing, Field, Piece, TargetName, TargetStep};
use std::fmt::Write as _;

/// One thing that a crossing does, with the line of its rule.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Effect {
    /// What it is about: a place of the new side for what is added, else a pattern of the old side.
    pub what: String,
    /// The value that is added, the reason, the instruction.
    pub detail: String,
    /// The line of the rule.
    pub line: u32,
}

/// The deeds of a crossing.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Summary {
    /// How many rules there are.
    pub rules: usize,
    /// What it writes that no setting of the backup is behind.
    pub adds: Vec<Effect>,
    /// What it drops.
    pub drops: Vec<Effect>,
    /// What it leaves to a person.
    pub by_hand: Vec<Effect>,
}

impl Crossing {
    /// Each rule in their order, with its line: what it takes, or what it adds.
    pub fn rule_heads(&self) -> Vec<(u32, String)> {
        let head = |rule: &super::Rule| {
            let clauses: Vec<String> = rule.clauses.iter().map(|clause| clause.pattern.to_string()).collect();
            let what = match &rule.action {
                Action::Place => format!("place {}", clauses.first().map_or("", String::as_str)),
                Action::Add(targets) | Action::Pin(targets) => {
                    let fields = targets.iter().flat_map(|target| &target.fields);
                    let added: Vec<String> = fields.map(|field| path(&field.path)).collect();
                    let verb = if matches!(rule.action, Action::Pin(_)) { "pin" } else { "add" };
                    format!("{verb} {}", added.join(", "))
                }
                Action::Move(_) | Action::Branch(_) => format!("move {}", clauses.join("; ")),
                Action::Drop { .. } => format!("drop {}", clauses.join("; ")),
                Action::ByHand { .. } => format!("by-hand {}", clauses.join("; ")),
                Action::Moot { .. } => format!("moot {}", clauses.join("; ")),
            };
            (rule.at.line, what)
        };
        self.rules.iter().map(head).collect()
    }

    /// What the crossing adds, drops and leaves to a person.
    pub fn summary(&self) -> Summary {
        let mut summary = Summary { rules: self.rules.len(), ..Summary::default() };
        for rule in &self.rules {
            let line = rule.at.line;
            let what = rule.clauses.first().map(|clause| clause.pattern.to_string()).unwrap_or_default();
            match &rule.action {
                Action::Drop { why } => summary.drops.push(Effect { what, detail: why.clone(), line }),
                Action::ByHand { instruction } => {
                    summary.by_hand.push(Effect { what, detail: instruction.clone(), line });
                }
                Action::Add(targets) | Action::Pin(targets) => {
                    let place =
                        rule.place.map(|place| path(&self.places[place.index()].ways[0])).unwrap_or_default();
                    for target in targets {
                        for field in &target.fields {
                            let place = if target.top { String::new() } else { place.clone() };
                            let parts = [place, path(&target.base), path(&field.path)];
                            let what = parts
                                .into_iter()
                                .filter(|part| !part.is_empty())
                                .collect::<Vec<_>>()
                                .join("/");
                            summary.adds.push(Effect { what, detail: value(field), line });
                        }
                    }
                }
                Action::Place | Action::Move(_) | Action::Branch(_) | Action::Moot { .. } => {}
            }
        }
        summary
    }
}

fn path(steps: &[TargetStep]) -> String {
    let names = steps.iter().map(|step| {
        let name = match &step.name {
            TargetName::Literal(name) => name.clone(),
            TargetName::Made { pieces, .. } => pieces.iter().map(piece).collect(),
        };
        if step.append { name + "[]" } else { name }
    });
    names.collect::<Vec<_>>().join("/")
}

fn value(field: &Field) -> String {
    field.template.iter().map(piece).collect()
}

fn piece(piece: &Piece) -> String {
    match piece {
        Piece::Literal(text) => text.clone(),
        Piece::Slot { .. } | Piece::AsIs { .. } => "{…}".into(),
        Piece::Index => "{index}".into(),
        Piece::Kind { .. } => "{kind}".into(),
        Piece::LookUp { .. } => "{looked up}".into(),
        Piece::Optional(pieces) => pieces.iter().map(self::piece).collect(),
        Piece::Expression(expression) => {
            let mut text = String::new();
            let _ = write!(text, "{{= {}}}", expression.text);
            text
        }
    }
}
