//! What is in a backup.

mod facts;
pub mod inventory;
pub mod listing;

use crate::finding::{Count, Finding, Findings};
use crate::format::bundle::OTHER_FILES;
use crate::ids::{EntryId, SectionId};
use crate::judge::references::References;
use crate::judge::unsound;
use crate::language::profile::{ObjectTraits, Profile, What};
use crate::language::typing::{Form, Protection};
use crate::recognise::backup::Backup;
use crate::redact::mark_in;
use crate::scan::inventory::{Inventory, RowKind, automaton_of};
use crate::scan::joining::Joined;
use crate::scan::locator::Labeler;
use crate::text::source::{Content, Span};
use crate::tree::{Kind, NodeId, Tree};
use facts::TakenFact;
use rustc_hash::FxHashMap;

/// What a backup holds, counted.
#[derive(Debug)]
pub struct Survey {
    /// The sections, in the order of the profile; what is in none comes last, as `-`.
    pub sections: Vec<SectionCount>,
    /// Comments; they are no settings.
    pub comments: usize,
    /// How many days old the backup is, if it says when it was taken. Negative if that is yet to come.
    pub age_days: Option<i64>,
    /// Secrets, by how they are kept.
    pub secrets: Vec<SecretCount>,
    /// Parts of the system with releases of their own, as name and release.
    pub components: Vec<(String, String)>,
    /// Entries that are there and do nothing, as the locators of the first few, and how many there are.
    pub disabled: Listed,
    /// Objects that settings could name and none names.
    pub unnamed: Listed,
    /// What is good until a certain day, with that day; the earliest first.
    pub expiring: Vec<Expiring>,
    /// The files, where there are several.
    pub files: Vec<FileSize>,
    /// Both configurations, if the backup has two.
    pub candidate: Option<Candidate>,
    /// Files that a whole backup has, and this one lacks.
    pub lacking: Vec<String>,
    /// Rules of its own platform that the backup breaks.
    pub unsound: Findings,
    is_copy: bool,
}

/// What one section holds.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SectionCount {
    /// Its name.
    pub name: String,
    /// Objects.
    pub objects: usize,
    /// Settings.
    pub settings: usize,
    /// Settings that are secrets.
    pub secrets: usize,
    /// Settings that the profile does not know.
    pub unknown: usize,
}

/// Secrets that are kept in one way.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SecretCount {
    /// How.
    pub kept: Protection,
    /// How many.
    pub count: usize,
    /// What must come along so that the new system can use them.
    pub key: Option<String>,
}

/// Some things by their locators: the first few, and how many there are.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Listed {
    /// The first few.
    pub locators: Vec<String>,
    /// All.
    pub count: usize,
}

/// Something that is good until a certain day.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Expiring {
    /// Its locator.
    pub locator: String,
    /// The day, if it can be read.
    pub until: Option<jiff::civil::Date>,
    /// How many days are left; negative if it is over.
    pub days_left: Option<i64>,
}

/// A file of a backup of several.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FileSize {
    /// Its path.
    pub path: String,
    /// How many bytes it has.
    pub bytes: usize,
    /// It holds no configuration but what was made with it.
    pub data: bool,
    /// The profile knows it.
    pub known: bool,
}

/// How the configuration that a person was working on differs from the one in force.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Candidate {
    /// What the branch of the one in force is called.
    pub active: String,
    /// And that of the other.
    pub candidate: String,
    /// Settings that differ, or that only one of both has, by their paths below.
    pub differences: Listed,
}

/// How many locators are listed.
const SHOWN_NAMES: usize = 5;

impl Listed {
    fn add(&mut self, locator: impl FnOnce() -> String) {
        self.count += 1;
        if self.locators.len() < SHOWN_NAMES {
            self.locators.push(locator());
        }
    }
}

impl Survey {
    /// The sums over all sections.
    pub fn total(&self) -> SectionCount {
        self.sections.iter().fold(SectionCount::default(), |sum, section| SectionCount {
            name: sum.name,
            objects: sum.objects + section.objects,
            settings: sum.settings + section.settings,
            secrets: sum.secrets + section.secrets,
            unknown: sum.unknown + section.unknown,
        })
    }

    /// Whether it is a copy whose secrets are hidden: what is in their places is none.
    pub fn is_redacted_copy(&self) -> bool {
        self.is_copy
    }

    /// Whether the backup must be guarded like a key: whoever has it has secrets that can be used.
    pub fn must_be_guarded(&self) -> bool {
        !self.is_copy && self.secrets.iter().any(|secrets| !matches!(secrets.kept, Protection::Masked))
    }
}

/// What there is to say of when a backup was taken, and of how much: it is from the future, older than so many days, or
/// of a kind that does not hold everything.
pub fn taken_findings(backup: &Backup<'_>, today: jiff::civil::Date, stale_after: i64) -> Findings {
    let identity = &backup.identity;
    let days = identity.taken.as_deref().and_then(date_of).and_then(|taken| days_between(taken, today));
    let taken = identity.taken.as_deref().unwrap_or_default();
    let number = |days: i64| Count(usize::try_from(days).unwrap_or(usize::MAX), "day");
    let at = |finding: Finding| finding.at(backup.tree.source(), Span::default());
    let age = days.and_then(|days| match days {
        ..=-1 => Some(Finding::new(TakenFact::InFuture { taken: taken.to_owned(), days: number(-days) })),
        days if days > stale_after => Some(Finding::new(TakenFact::LongAgo { days: number(days) })),
        _ => None,
    });
    let part = (identity.is_whole == Some(false) && !identity.only_changes).then(|| {
        let kind = identity.kind.clone().unwrap_or_default();
        Finding::new(TakenFact::Partial { kind })
    });
    age.into_iter().chain(part).map(at).collect()
}

/// Counts what a backup holds. `today` is the day to count its age to.
pub fn survey(backup: &Backup<'_>, profile: &Profile, today: jiff::civil::Date) -> Survey {
    let tree = &backup.tree;
    let mut automaton = automaton_of(profile, None);
    let reading = Inventory::new(tree, profile, &mut automaton);
    let mut labels = Labeler::new(tree, &profile.schema, Some(&reading.ordinals), &automaton);
    let names = profile.sections.iter().map(|section| section.name.as_str()).chain(["-"]);
    let taken = backup.identity.taken.as_deref().and_then(date_of);
    let mut made = Survey {
        sections: names
            .map(|name| SectionCount { name: name.to_owned(), ..SectionCount::default() })
            .collect(),
        comments: reading.remarks.len(),
        age_days: taken.and_then(|taken| days_between(taken, today)),
        secrets: Vec::new(),
        components: Vec::new(),
        disabled: Listed::default(),
        unnamed: Listed::default(),
        expiring: Vec::new(),
        files: files(backup, profile),
        candidate: candidate(tree, profile),
        lacking: lacking(tree, profile),
        unsound: Findings::new(),
        is_copy: mark_in(tree, profile, &automaton, &reading).is_some(),
    };
    let model = backup.identity.model.as_deref().and_then(|name| profile.model(name).ok());
    let joined = Joined::of(tree, profile, &automaton, &reading);
    let overruled = unsound(tree, joined.as_ref(), profile, model, &mut automaton_of(profile, None));
    made.unsound = overruled.findings(backup, profile, &mut labels, &mut automaton);
    let mut references = References::new(profile);
    let mut named_at: Vec<(EntryId, NodeId)> = Vec::new();
    for row in &reading.rows {
        let index = row.section().map_or(profile.sections.len(), SectionId::index);
        let section = &mut made.sections[index];
        let entry = automaton.accepted(row.accept).entry;
        match row.kind {
            RowKind::Object => {
                section.objects += 1;
                references.meet_branch(tree, row.node, entry, profile);
                named_at.extend(entry.map(|entry| (entry, row.node)));
                if let Some(entry) = entry {
                    let what = &profile.schema[entry].what;
                    let mut label = || labels.label(row.node, &mut automaton).to_owned();
                    made.look_at(what, tree, row.node, today, &mut label);
                }
            }
            RowKind::Setting => {
                section.settings += 1;
                let kind = row.type_id(profile, &automaton);
                kind.into_iter().for_each(|kind| references.meet_setting(row.node, kind));
                match kind.map(|kind| &profile.types.get(kind).form) {
                    // What is not set is none, unless that is how the platform leaves one out.
                    Some(Form::Secret(secret))
                        if !tree.value(row.node).trim().is_empty() || secret.mask.as_deref() == Some("") =>
                    {
                        section.secrets += 1;
                        made.count_secret(secret.kept_in(tree.value(row.node)), secret.key.as_deref());
                    }
                    Some(_) => {}
                    // An element with attributes and nothing in it has a text of its own that says nothing.
                    None if tree.kind(row.node) == Kind::OwnText && tree.value(row.node).is_empty() => {}
                    None => section.unknown += 1,
                }
            }
        }
    }
    made.sections.retain(|section| section.objects + section.settings > 0);
    let unnamed = references.unnamed(tree);
    for (entry, node) in named_at {
        let name = name_of(tree, node, &profile.schema[entry].what);
        if name.is_some_and(|name| unnamed.contains(&(entry, name))) {
            made.unnamed.add(|| labels.label(node, &mut automaton).to_owned());
        }
    }
    made.expiring.sort_by_key(|expiring| (expiring.until.is_none(), expiring.until));
    made
}

impl Survey {
    fn count_secret(&mut self, kept: &Protection, key: Option<&str>) {
        // What is not there needs no key.
        let key = key.filter(|_| *kept != Protection::Masked);
        let same = |known: &&mut SecretCount| known.kept == *kept && known.key.as_deref() == key;
        match self.secrets.iter_mut().find(same) {
            Some(known) => known.count += 1,
            None => {
                self.secrets.push(SecretCount { kept: kept.clone(), count: 1, key: key.map(str::to_owned) });
            }
        }
    }

    /// What an object says of itself that a person wants to know.
    fn look_at(
        &mut self,
        what: &What,
        tree: &Tree<'_>,
        node: NodeId,
        today: jiff::civil::Date,
        label: &mut dyn FnMut() -> String,
    ) {
        let What::Object { traits, .. } = what else { return };
        let ObjectTraits { disabled_if, expires, component, .. } = traits.as_ref();
        let value = |setting: &str| tree.child(node, setting).map(|found| value_of(tree, found).trim_ascii());
        if let Some((setting, values)) = disabled_if
            && value(setting).is_some_and(|found| values.iter().any(|value| value == found))
        {
            self.disabled.add(&mut *label);
        }
        if let Some(found) = expires.as_deref().and_then(value) {
            let until = date_of(found);
            let days_left = until.and_then(|until| days_between(today, until));
            self.expiring.push(Expiring { locator: label(), until, days_left });
        }
        if let Some(release) = component.as_deref().and_then(value) {
            let name = name_of(tree, node, what).unwrap_or_else(|| tree.name(node));
            self.components.push((name.to_owned(), release.to_owned()));
        }
    }
}

/// The name that an object is known by, where one name or key tells it from its like.
fn name_of<'t>(tree: &'t Tree<'_>, node: NodeId, what: &What) -> Option<&'t str> {
    let What::Object { keys, name, .. } = what else { return None };
    if name.is_some() {
        return Some(tree.name(node));
    }
    keys.first().and_then(|key| tree.child(node, key)).map(|key| tree.value(key).trim_ascii())
}

/// The value of a setting; of an element with attributes its own text.
fn value_of<'t>(tree: &'t Tree<'_>, node: NodeId) -> &'t str {
    let own = tree.children(node).find(|&child| tree.kind(child) == Kind::OwnText);
    tree.value(own.unwrap_or(node))
}

fn files(backup: &Backup<'_>, profile: &Profile) -> Vec<FileSize> {
    let tree = &backup.tree;
    let source = tree.source();
    if source.pieces.len() < 2 {
        return Vec::new();
    }
    let others = tree.child(tree.root(), OTHER_FILES);
    let of = |path: &str| profile.members.files.iter().find(|member| member.place_of(path).is_some());
    source
        .pieces
        .iter()
        .map(|piece| {
            let member = of(&piece.path);
            let length = (piece.span.end - piece.span.start) as usize;
            FileSize {
                path: piece.path.clone(),
                bytes: if piece.content == Content::Bytes {
                    // Base64 has four characters for three bytes, and at its end a sign for each that lacks.
                    let text = &source.text[piece.span.range()];
                    length / 4 * 3 - text.bytes().rev().take_while(|byte| *byte == b'=').count()
                } else {
                    length
                },
                data: member.is_some_and(|member| member.data),
                // One that another includes is known by what includes it.
                known: others.is_none_or(|others| tree.child(others, &piece.path).is_none()),
            }
        })
        .collect()
}

/// The files that are needed and not there.
fn lacking(tree: &Tree<'_>, profile: &Profile) -> Vec<String> {
    let pieces = tree.source().pieces;
    profile
        .members
        .files
        .iter()
        .filter(|member| member.needed && !pieces.iter().any(|piece| member.place_of(&piece.path).is_some()))
        .map(|member| member.path.to_string())
        .collect()
}

/// Compares the configuration in force with the one that a person was working on, if there are both.
fn candidate(tree: &Tree<'_>, profile: &Profile) -> Option<Candidate> {
    let (active, candidate) = (profile.recognition.active.as_ref()?, profile.recognition.candidate.as_ref()?);
    let branch = |name: &String| tree.child(tree.root(), name);
    let (one, other) = (leaves(tree, branch(active)?), leaves(tree, branch(candidate)?));
    let mut differences = Listed::default();
    let (of_one, of_other) = (by_path(&one), by_path(&other));
    for (path, value) in &one {
        if of_other.get(path.as_str()) != Some(value) {
            differences.add(|| path.clone());
        }
    }
    for (path, _) in other.iter().filter(|(path, _)| !of_one.contains_key(path.as_str())) {
        differences.add(|| path.clone());
    }
    Some(Candidate { active: active.clone(), candidate: candidate.clone(), differences })
}

/// All values below a branch, each with its path; like siblings are counted.
fn leaves<'t>(tree: &'t Tree<'_>, top: NodeId) -> Vec<(String, &'t str)> {
    let mut found = Vec::new();
    let mut work = vec![(top, String::new())];
    while let Some((node, path)) = work.pop() {
        let mut seen: FxHashMap<&str, usize> = FxHashMap::default();
        for child in tree.children(node).filter(|&child| tree.kind(child) != Kind::Comment) {
            let name = tree.name(child);
            let nth = seen.entry(name).or_default();
            *nth += 1;
            let number = if *nth > 1 { format!("[#{nth}]") } else { String::new() };
            let path = format!("{path}/{name}{number}").trim_start_matches('/').to_owned();
            if tree.kind(child).is_value() {
                found.push((path, tree.value(child)));
            } else {
                work.push((child, path));
            }
        }
    }
    found
}

fn by_path<'l>(leaves: &'l [(String, &'l str)]) -> FxHashMap<&'l str, &'l str> {
    leaves.iter().map(|(path, value)| (path.as_str(), *value)).collect()
}

fn days_between(from: jiff::civil::Date, to: jiff::civil::Date) -> Option<i64> {
    to.since(from).ok().map(|span| i64::from(span.get_days()))
}

/// The day of `2026-03-14` or `2026-03-14T02:10:00Z`.
pub fn date_of(text: &str) -> Option<jiff::civil::Date> {
    text.get(..10)?.parse().ok()
}
