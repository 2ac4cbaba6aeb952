//! What the receiving system has no room for: more of something than the model holds, names that are too long.

use crate::finding::{Code, Finding, Findings, count};
use crate::language::profile::{Limit, Model, Profile, What};
use crate::tree::{NodeId, Tree};

/// That names are longer than the line takes them, each with the object that has it.
pub(crate) fn names_too_long(tree: &Tree<'_>, profile: &Profile) -> Vec<(NodeId, Finding)> {
    let mut findings = Vec::new();
    for entry in &profile.schema.entries {
        let What::Object { signs, .. } = &entry.what else { continue };
        let Some(most) = signs.longest_name else { continue };
        for node in entry.pattern.nodes_in(tree) {
            let name = tree.name(node);
            if name.len() > most {
                let is = count(name.len(), "byte");
                let message =
                    format!("the name `{name}` in the result has {is}, and {} takes {most}", profile.title);
                let finding = Finding::new(Code::NameTooLong, message).help(
                    "give it a shorter one under [ports] in the map, by its whole old name, such as `\"eth0.1000\" = \"vlan1000\"`",
                );
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
            let message = format!(
                "{} holds at most {} `{}`, and the result has {found}",
                model.title, limit.most, limit.of
            );
            let holds = |other: &&Model| {
                other.limits.iter().all(|known| known.of != limit.of || found as u64 <= known.most)
            };
            let larger = match profile.models.iter().find(holds) {
                Some(larger) => format!("or carry to `{}/{}`, which holds them", profile.line, larger.name),
                None => "no model of the line holds so many".to_owned(),
            };
            Finding::new(Code::LimitExceeded, message)
                .help(format!("take {} out of the backup; {larger}", found as u64 - limit.most))
        })
    };
    model.limits.iter().filter_map(beyond).collect()
}
