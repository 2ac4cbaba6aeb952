//! What the receiving system has no room for: more of something than the model holds, names that are too long.

use super::facts::LimitFact;
use crate::finding::{Count, Finding, Findings};
use crate::language::profile::{Limit, Model, Profile, What};
use crate::tree::{NodeId, Tree};

/// That names are longer than the platform takes them, each with the object that has it.
pub(crate) fn names_too_long(tree: &Tree<'_>, profile: &Profile) -> Vec<(NodeId, Finding)> {
    let mut findings = Vec::new();
    for entry in &profile.schema.entries {
        let What::Object { traits, .. } = &entry.what else { continue };
        let Some(most) = traits.longest_name else { continue };
        for node in entry.pattern.nodes_in(tree) {
            let name = tree.name(node);
            if name.len() > most {
                let (is, platform) = (Count(name.len(), "byte"), profile.title.clone());
                let name = name.to_owned();
                let finding = Finding::new(LimitFact::NameTooLong { name, is, platform, most });
                findings.push((node, finding));
            }
        }
    }
    findings
}

/// That the model holds less than the result has.
pub(crate) fn too_many(tree: &Tree<'_>, model: &Model, profile: &Profile) -> Findings {
    let beyond = |limit: &Limit| {
        let found = limit.pattern.nodes_in(tree).len();
        (found as u64 > limit.most).then(|| {
            let holds = |other: &&Model| {
                other.limits.iter().all(|known| known.of != limit.of || found as u64 <= known.most)
            };
            let larger = profile.models.iter().find(holds);
            Finding::new(LimitFact::TooMany {
                model: model.title.clone(),
                most: limit.most,
                of: limit.of.clone(),
                found,
                larger: larger.map(|larger| format!("{}/{}", profile.platform, larger.name)),
            })
        })
    };
    model.limits.iter().filter_map(beyond).collect()
}
