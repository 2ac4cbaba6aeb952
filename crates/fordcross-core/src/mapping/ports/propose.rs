//! Which ports a backup uses, and proposals for them.

use super::marks::ByMark;
use super::{Decided, each_naming_row};
use crate::finding::{Finding, Findings, Location, Suggestion};
use crate::language::course::Leg;
use crate::language::profile::{Port, Role, What};
use crate::mapping::MapKind;
use crate::mapping::facts::{MapEffect, PortPair};
use crate::mapping::proposal::{Destination, Grounds, MarkedPort, PortUse, Proposal};
use crate::recognise::backup::Backup;
use crate::scan::inventory::{ObjectId, RowKind, Scan};
use crate::scan::surroundings::kinds_of_objects;
use crate::text::source::LineIndex;
use rustc_hash::{FxHashMap, FxHashSet};

/// The ports that a backup names, in the order of the model, then of the backup.
pub fn used_ports(backup: &Backup<'_>, leg: &Leg, walk: &Scan) -> Vec<PortUse> {
    let Scan { automaton, reading } = walk;
    let profile = &leg.old;
    let mut uses: Vec<PortUse> = Vec::new();
    let mut index: FxHashMap<String, usize> = FxHashMap::default();
    let mut settings_of: Vec<usize> = vec![0; reading.objects.len()];
    for row in reading.rows.iter().filter(|row| row.kind == RowKind::Setting) {
        if let Some(object) = row.object {
            settings_of[object.index()] += 1;
        }
    }
    // Objects are after those that hold them.
    for (index, object) in reading.objects.iter().enumerate().rev() {
        if let Some(holder) = object.holder {
            settings_of[holder.index()] += settings_of[index];
        }
    }
    let mut naming: FxHashSet<(usize, ObjectId)> = FxHashSet::default();
    each_naming_row(&backup.tree, profile, automaton, reading, &mut |_, row, ports| {
        let entry = automaton.accepted(row.accept).entry.map(|entry| &profile.schema[entry]);
        let is_partner_link =
            entry.is_some_and(|entry| entry.roles.iter().any(|(role, _)| *role == Role::Redundancy));
        for name in ports {
            let at = index.get(name).copied().unwrap_or_else(|| {
                let first = backup.tree.span(row.node);
                uses.push(PortUse {
                    name: name.clone(),
                    settings: 0,
                    first,
                    made: None,
                    is_partner_link: false,
                });
                index.insert(name.clone(), uses.len() - 1);
                uses.len() - 1
            });
            uses[at].is_partner_link |= is_partner_link;
            match row.object {
                Some(object) => drop(naming.insert((at, object))),
                None => uses[at].settings += 1,
            }
        }
    });
    // An object that names a port goes with it whole, and with all that it holds; each setting counts once.
    for &(at, object) in &naming {
        let holder_of = |object: &ObjectId| reading.objects[object.index()].holder;
        let mut above = std::iter::successors(holder_of(&object), holder_of);
        if !above.any(|holder| naming.contains(&(at, holder))) {
            uses[at].settings += settings_of[object.index()];
        }
    }
    for (name, kind) in made_ports(backup, leg, walk) {
        if let Some(&at) = index.get(&name) {
            uses[at].made.get_or_insert(kind);
        }
    }
    let model = backup.identity.model.as_deref().and_then(|name| profile.model(name).ok());
    let place = |name: &str| {
        let ports = model.map_or(&[][..], |model| &model.ports);
        ports.iter().position(|port| port.name == name).unwrap_or(usize::MAX)
    };
    uses.sort_by_key(|port| (place(&port.name), port.first));
    uses
}

/// The ports that the configuration itself makes, each with the kind of the object that it is.
fn made_ports(backup: &Backup<'_>, leg: &Leg, walk: &Scan) -> Vec<(String, String)> {
    let types = &leg.old.types;
    let made = kinds_of_objects(&backup.tree, &leg.old, walk).into_iter().filter_map(|(row, kind)| {
        let accepted = walk.automaton.accepted(row.accept);
        let What::Object { name: Some(name_type), traits, .. } = &leg.old.schema[accepted.entry?].what else {
            return None;
        };
        if !traits.makes_port.contains(&kind) {
            return None;
        }
        let name = backup.tree.name(row.node);
        let value = types.read(*name_type, name).ok()?;
        let mut own = false;
        value.ports(&mut |port| own |= port == name);
        own.then(|| (name.to_owned(), kind))
    });
    made.collect()
}

/// Proposes a new port for each that is used. In this order: what the person decided; the one of the base
/// that has a mark of it; the same name where the kind fits; the equivalent that the crossing declares; the next free port of a fitting
/// kind; else it stays open. A port that the person's map names is never given to another.
///
/// What is wrong with the person's decisions was said when the map was read; here only ports that the old model does not have
/// get findings, which do not stop the proposal. Proposals are in the order of `used`.
pub(super) fn propose(decided: &Decided, on: &Grounds<'_>, backup: &Backup<'_>) -> (Vec<Proposal>, Findings) {
    let Grounds { used, old, new, crossing, marked: (own, base), .. } = *on;
    let mut findings = Vec::new();
    let mut taken: FxHashSet<&str> = decided
        .values()
        .filter_map(|target| match target {
            Destination::New(name) => Some(name.as_str()),
            _ => None,
        })
        .collect();
    let mut proposals: Vec<Option<Proposal>> = vec![None; used.len()];
    let lines = backup.lines();
    let known = |name: &str| old.and_then(|old| old.ports.iter().find(|port| port.name == name));
    let new_ports = new.map_or(&[][..], |new| &new.ports);
    let find_new = |name: &str| new_ports.iter().find(|port| port.name == name);
    for (port, slot) in used.iter().zip(&mut proposals) {
        // A `?` that a person wrote is their word too: it blocks, and is not proposed away.
        if let Some(target) = decided.get(&port.name) {
            let open = *target == Destination::Open;
            let why = if open { "left open in the map file" } else { "from the map file" }.to_owned();
            *slot = Some(proposal(port, target.clone(), why, true));
            if let (Destination::New(name), Some(old)) = (target, known(&port.name))
                && let Some(new) = find_new(name)
            {
                findings.extend(misfit_finding(port, old, new, &lines));
            }
        }
        if let Some(old) = old
            && known(&port.name).is_none()
        {
            let names: Vec<&str> = old.ports.iter().map(|port| port.name.as_str()).collect();
            let instead = Suggestion::among(&port.name, names);
            let (name, model) = (port.name.clone(), old.title.clone());
            let mut finding = Finding::new(MapEffect::PortNotOfModel { port: name, model, instead });
            finding.location = Some(Location::indexed(&lines, port.first));
            findings.push(finding);
        }
    }
    if on.same_names {
        for (port, slot) in used.iter().zip(&mut proposals).filter(|(_, slot)| slot.is_none()) {
            let same = match new {
                Some(_) => find_new(&port.name).map(|same| same.name.as_str()),
                None => Some(port.name.as_str()),
            };
            if let Some(same) = same.filter(|same| taken.insert(same)) {
                let why = "same name, as asked".to_owned();
                *slot = Some(proposal(port, Destination::New(same.to_owned()), why, false));
            }
        }
    }
    let marks_of: FxHashMap<&str, &MarkedPort> =
        own.iter().rev().map(|marked| (marked.name.as_str(), marked)).collect();
    let by_mark = ByMark::new(base);
    for (port, slot) in used.iter().zip(&mut proposals).filter(|(_, slot)| slot.is_none()) {
        let marks = marks_of.get(port.name.as_str()).copied();
        let candidates = marks.map(|marks| by_mark.candidates(marks)).unwrap_or_default();
        let mut alike = candidates.into_iter().filter_map(|there| Some((there, marks?.is_like(there)?)));
        if let (Some((there, why)), None) = (alike.next(), alike.next())
            && taken.insert(&there.name)
        {
            *slot = Some(proposal(port, Destination::New(there.name.clone()), why, false));
        }
    }
    // Each kind of reason goes over all ports before the next: a good match is not taken away by a
    // mere next free port that comes earlier.
    for (port, slot) in used.iter().zip(&mut proposals).filter(|(_, slot)| slot.is_none()) {
        let fits = |new: &&Port| known(&port.name).is_none_or(|old| misfit(old, new).is_none());
        if let Some(same) =
            find_new(&port.name).filter(fits).filter(|same| !taken.contains(same.name.as_str()))
        {
            taken.insert(&same.name);
            *slot = Some(proposal(
                port,
                Destination::New(same.name.clone()),
                format!("same name, {}", kind_words(same)),
                false,
            ));
        }
    }
    for (port, slot) in used.iter().zip(&mut proposals).filter(|(_, slot)| slot.is_none()) {
        let equivalent = crossing.equivalent_ports.iter().find(|(from, _)| *from == port.name);
        let partner =
            equivalent.and_then(|(_, to)| find_new(to)).filter(|to| !taken.contains(to.name.as_str()));
        if let Some(partner) = partner {
            taken.insert(&partner.name);
            let why = format!("its equivalent according to the crossing, {}", kind_words(partner));
            *slot = Some(proposal(port, Destination::New(partner.name.clone()), why, false));
        }
    }
    for (port, slot) in used.iter().zip(&mut proposals).filter(|(_, slot)| slot.is_none()) {
        if new.is_none() {
            *slot = Some(proposal_without_model(port));
            continue;
        }
        let Some(old_port) = known(&port.name) else {
            let why = "the old model has no such port, so its kind is not known".to_owned();
            *slot = Some(proposal(port, Destination::Open, why, false));
            continue;
        };
        let free = new_ports.iter().filter(|new| !taken.contains(new.name.as_str()));
        *slot = Some(match free.clone().find(|new| misfit(old_port, new).is_none()) {
            Some(next) => {
                taken.insert(&next.name);
                let why = format!("next free port that fits, {}", kind_words(next));
                proposal(port, Destination::New(next.name.clone()), why, false)
            }
            None => {
                let reasons: FxHashSet<&str> = free.filter_map(|new| misfit(old_port, new)).collect();
                let mut reasons: Vec<&str> = reasons.into_iter().collect();
                reasons.sort_unstable();
                let why = match reasons.as_slice() {
                    [] => "the new model has no port left".to_owned(),
                    reasons => {
                        format!("no free port fits {}: {}", kind_words(old_port), reasons.join(", or "))
                    }
                };
                proposal(port, Destination::Open, why, false)
            }
        });
    }
    (proposals.into_iter().flatten().collect(), findings)
}

/// Where the new platform has no models, only a person knows what its ports are called. What the configuration itself
/// makes keeps its name.
fn proposal_without_model(port: &PortUse) -> Proposal {
    match &port.made {
        Some(kind) => {
            let why = format!("a {kind}, made by the configuration itself");
            proposal(port, Destination::New(port.name.clone()), why, false)
        }
        None => {
            let why = "its name on the new unit is not known".to_owned();
            proposal(port, Destination::Open, why, false)
        }
    }
}

fn proposal(port: &PortUse, target: Destination, why: String, by_person: bool) -> Proposal {
    Proposal { kind: MapKind::Ports, old: port.name.clone(), target, why, by_person, settings: port.settings }
}

/// Why the new port cannot take the old one's part.
fn misfit(old: &Port, new: &Port) -> Option<&'static str> {
    if old.medium != new.medium {
        Some("another medium")
    } else if old.role != new.role {
        Some("another role")
    } else if new.speed < old.speed {
        Some("slower")
    } else {
        None
    }
}

/// That a person gave a port one that cannot take its part. A cable of another medium does not fit at all; the link to
/// the partner has one of its own, so there it blocks.
fn misfit_finding(port: &PortUse, old: &Port, new: &Port, lines: &LineIndex<'_>) -> Option<Finding> {
    let why = misfit(old, new)?;
    let pair =
        PortPair { old: (old.name.clone(), kind_words(old)), new: (new.name.clone(), kind_words(new)) };
    let mut finding = Finding::new(if port.is_partner_link && old.medium != new.medium {
        MapEffect::PartnerMisfit { pair, why }
    } else {
        MapEffect::PortMisfit { pair, why }
    });
    finding.location = Some(Location::indexed(lines, port.first));
    Some(finding)
}

fn kind_words(port: &Port) -> String {
    let speed = match port.speed {
        speed if speed >= 1_000 && speed.is_multiple_of(1_000) => format!("{}G", speed / 1_000),
        speed => format!("{speed}M"),
    };
    match &port.role {
        Some(role) => format!("{} {speed} {role}", port.medium),
        None => format!("{} {speed}", port.medium),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::crossing::Crossing;
    use crate::language::crossing::Side;
    use crate::language::profile::Model;
    use crate::mapping::MapUse;
    use crate::recognise::backup::Identity;
    use crate::text::source::Source;
    use crate::text::source::Span;
    use crate::tree::Tree;
    use rstest::rstest;

    /// `name medium speed role`, with a comma between ports.
    fn model(ports: &str) -> Model {
        let port = |text: &str| {
            let mut words = text.split_whitespace();
            let mut next = || words.next().map(str::to_owned);
            Port {
                name: next().expect("a name"),
                medium: next().expect("a medium"),
                speed: next().expect("a speed").parse().expect("a number"),
                role: next(),
            }
        };
        Model {
            name: "m".into(),
            title: "The model".into(),
            limits: Vec::new(),
            ports: ports.split(',').map(port).collect(),
        }
    }

    const OLD: &str = "p1 copper 1000, p2 copper 1000, f1 fibre 1000, svc copper 100 service";

    /// Proposals for all old ports as `old>new`.
    fn proposals(new: &str, equivalent: &[(&str, &str)], decided: &[(&str, &str)], used: &str) -> String {
        let (old, new) = (model(OLD), model(new));
        let side = Side { platform: "a".into(), release: "1".into() };
        let mut crossing = Crossing::identity(&side);
        crossing.equivalent_ports = equivalent.iter().map(|(a, b)| ((*a).into(), (*b).into())).collect();
        let used: Vec<PortUse> = used
            .split(' ')
            .map(|name| PortUse {
                name: name.into(),
                settings: 1,
                first: Span::default(),
                made: None,
                is_partner_link: false,
            })
            .collect();
        let decided = decided.iter().map(|(a, b)| ((*a).to_owned(), Destination::from_word(b))).collect();
        let backup = Backup::of(Tree::new(Source::new("", "")), Identity::default());
        let grounds = Grounds {
            used: &used,
            old: Some(&old),
            new: Some(&new),
            crossing: &crossing,
            purpose: MapUse::Carry,
            marked: (&[], &[]),
            same_names: false,
        };
        let (made, _) = propose(&decided, &grounds, &backup);
        made.iter()
            .map(|proposal| format!("{}>{}", proposal.old, proposal.target.word()))
            .collect::<Vec<_>>()
            .join(" ")
    }

    #[rstest]
    #[case::next_free_of_the_kind("c1 copper 1000, c2 copper 1000, x1 fibre 9000", &[], &[], "p1 p2 f1", "p1>c1 p2>c2 f1>x1")]
    #[case::the_same_name_first("c1 copper 1000, p1 copper 1000", &[], &[], "p2 p1", "p2>c1 p1>p1")]
    #[case::the_same_name_of_another_kind("p1 fibre 1000, c1 copper 1000", &[], &[], "p1", "p1>c1")]
    #[case::an_equivalent_before_the_next("c1 copper 1000, c2 copper 1000", &[("p2", "c1")], &[], "p1 p2", "p1>c2 p2>c1")]
    #[case::a_person_above_all("c1 copper 1000, c2 copper 1000", &[("p1", "c1")], &[("p2", "c1")], "p1 p2", "p1>c2 p2>c1")]
    #[case::left_by_a_person("c1 copper 1000", &[], &[("p1", "leave")], "p1 p2", "p1>leave p2>c1")]
    #[case::left_open_by_a_person("c1 copper 1000", &[], &[("p1", "?")], "p1 p2", "p1>? p2>c1")]
    #[case::never_a_slower_one("c1 copper 100, c2 copper 1000", &[], &[], "p1", "p1>c2")]
    #[case::never_another_role("c1 copper 1000 service, c2 copper 1000", &[], &[], "p1 svc", "p1>c2 svc>c1")]
    #[case::none_is_left("c1 copper 1000", &[], &[], "p1 p2 f1", "p1>c1 p2>? f1>?")]
    #[case::a_port_of_no_model("c1 copper 1000", &[], &[], "p9", "p9>?")]
    fn proposes(
        #[case] new: &str,
        #[case] equivalent: &[(&str, &str)],
        #[case] decided: &[(&str, &str)],
        #[case] used: &str,
        #[case] expected: &str,
    ) {
        assert_eq!(proposals(new, equivalent, decided, used), expected);
    }
}
