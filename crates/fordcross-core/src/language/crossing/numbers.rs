//! What a crossing makes of the place of an object among its like.

use super::{Action, Crossing, LookUp, Piece, Target, TargetName, TargetStep};
use crate::ids::PlaceId;

impl Crossing {
    /// Whether a rule of the place asks for the place of an object among its like.
    pub(crate) fn counts_objects(&self, place: PlaceId) -> bool {
        let by_targets = |targets: &[Target]| {
            targets.iter().any(|target| {
                target.base.iter().any(counts)
                    || target
                        .fields
                        .iter()
                        .any(|field| field.path.iter().any(counts) || by_pieces(&field.template))
            })
        };
        let by_look_up = |look_up: &LookUp| {
            look_up.network.mentions("index")
                || look_up.gives.as_ref().is_some_and(|gives| gives.mentions("index"))
        };
        self.places[place.index()].target.iter().any(counts)
            || self.look_ups.iter().any(|look_up| look_up.place == place && by_look_up(look_up))
            || self.rules.iter().filter(|rule| rule.place == Some(place)).any(|rule| {
                rule.when.as_ref().is_some_and(|when| when.mentions("index"))
                    || matches!(&rule.action, Action::Move(targets) | Action::Add(targets) | Action::Pin(targets) if by_targets(targets))
                    || matches!(&rule.action, Action::Branch(target) if target.base.iter().any(counts))
            })
    }

    /// Paths of the new side whose last name is made by counting; `None` for other names that are made.
    pub(crate) fn numbered(&self) -> Vec<Vec<Option<String>>> {
        let mut found = Vec::new();
        let mut look = |steps: &[&'_ TargetStep]| {
            for end in 1..=steps.len() {
                let last = steps[end - 1];
                if counts(last) && !last.append {
                    found.push(
                        steps[..end].iter().map(|step| step.literal().map(str::to_owned)).collect::<Vec<_>>(),
                    );
                }
            }
        };
        for rule in &self.rules {
            let (Action::Move(targets) | Action::Add(targets) | Action::Pin(targets)) = &rule.action else {
                continue;
            };
            let own = rule.place.map_or(&[][..], |place| self.places[place.index()].ways.as_slice());
            for target in targets {
                let starts = target.start.iter().flat_map(|start| &start.places);
                let ways: Vec<&[TargetStep]> = match &target.start {
                    Some(_) => {
                        starts.flat_map(|place| &self.places[place.index()].ways).map(Vec::as_slice).collect()
                    }
                    None if target.top || own.is_empty() => vec![&[]],
                    None => own.iter().map(Vec::as_slice).collect(),
                };
                for way in ways {
                    for field in &target.fields {
                        look(&way.iter().chain(&target.base).chain(&field.path).collect::<Vec<_>>());
                    }
                }
            }
        }
        for way in self.places.iter().flat_map(|place| &place.ways) {
            look(&way.iter().collect::<Vec<_>>());
        }
        found
    }
}

fn by_pieces(pieces: &[Piece]) -> bool {
    pieces.iter().any(|piece| match piece {
        Piece::Index => true,
        Piece::Expression(expression) => expression.mentions("index"),
        Piece::Optional(pieces) => by_pieces(pieces),
        _ => false,
    })
}

fn counts(step: &TargetStep) -> bool {
    matches!(&step.name, TargetName::Made { pieces, .. } if by_pieces(pieces))
}
