//! Recognising a backup: which line wrote it, which release, on which model.

use super::facts::BackupFact;
use super::platform::by_lines;
use crate::finding::{AllOf, Finding};
use crate::format::bundle::{NoFile, taken_by_end, without_files};
use crate::language::library::{Library, ProfileFile};
use crate::language::profile::{Fact, Profile};
use crate::text::source::{LineIndex, SharedLines, Span};
use crate::tree::{Kind, NodeId, Tree};
use wildmatch::WildMatch;

/// A file that was read into a tree and recognised.
#[derive(Debug)]
pub struct Backup<'a> {
    /// All that it holds.
    pub tree: Tree<'a>,
    /// What it says of itself.
    pub identity: Identity,
    /// Of two configurations, the one that is not carried.
    pub(crate) not_chosen: Option<NodeId>,
    lines: SharedLines,
}

/// Which configuration of a backup that has two.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Configuration {
    /// The one in force.
    #[default]
    Active,
    /// The one that a person was working on.
    Candidate,
}

/// What a backup says of itself.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Identity {
    /// The release that wrote it, as it says itself.
    pub release: String,
    /// The listed release that it is read as: the same, unless a person said otherwise.
    pub read_as: String,
    /// The model, for lines that have models.
    pub model: Option<String>,
    /// When it was taken, as it says itself.
    pub taken: Option<String>,
    /// What it holds: `full`.
    pub kind: Option<String>,
    /// The build of the release.
    pub build: Option<String>,
    /// What a person called it.
    pub label: Option<String>,
    /// What the unit is called.
    pub unit: Option<String>,
    /// Whether it is of a kind that holds everything; `None` where the profile does not say.
    pub is_whole: Option<bool>,
    /// Whether it holds only what is not as it came from the factory: all else is as that was.
    pub only_changes: bool,
}

/// Whether files of such names are together the backup of some line.
pub fn is_backup_of_files(paths: &[String], library: &Library) -> bool {
    let several = library.profiles().iter().filter(|profile| profile.format.is_several());
    several.filter_map(ProfileFile::parsed).any(|profile| {
        let place = |path: &String| profile.members.files.iter().find_map(|member| member.place_of(path));
        paths.iter().filter_map(place).any(|place| profile.is_marked_by(&place))
    })
}

/// Which of these files, together a backup, are data that its profile says to pass over.
pub fn passed_over(paths: &[String], library: &Library) -> Vec<bool> {
    let several = library.profiles().iter().rev().filter(|profile| profile.format.is_several());
    let found = several.filter_map(ProfileFile::parsed).find(|profile| {
        let place = |path: &String| profile.members.files.iter().find_map(|member| member.place_of(path));
        paths.iter().filter_map(place).any(|place| profile.is_marked_by(&place))
    });
    let data: Vec<WildMatch> = found
        .iter()
        .flat_map(|profile| profile.recognition.passes_over.iter().map(|path| WildMatch::new(path)))
        .collect();
    paths.iter().map(|path| data.iter().any(|data| data.matches(path))).collect()
}

impl<'a> Backup<'a> {
    /// A tree as the profile of its line sees it: names as that spells them, and what it says of itself.
    ///
    /// # Errors
    /// All that the profile does not list: the release (unless `said` names a listed one), the model.
    pub fn new(mut tree: Tree<'a>, profile: &Profile, said: Option<&str>) -> Result<Self, Vec<Finding>> {
        profile.respell(&mut tree);
        let identity = identify(&tree, profile, said)?;
        Ok(Self::of(tree, identity))
    }

    pub(crate) fn of(tree: Tree<'a>, identity: Identity) -> Self {
        Self { tree, identity, not_chosen: None, lines: SharedLines::default() }
    }

    /// Where its lines start. They are looked for once, which may well be done while something else is.
    pub fn lines(&self) -> LineIndex<'a> {
        self.lines.of(self.tree.source())
    }

    /// Files that are included and are not among those of the backup: what they say is not known.
    pub fn missing_files(&self, profile: &Profile) -> Vec<Finding> {
        let reported = |(node, no_file): (NodeId, NoFile)| {
            Some(Finding::new(no_file.fact()?).at(self.tree.source(), self.tree.span(node)))
        };
        without_files(&self.tree, &profile.members).into_iter().filter_map(reported).collect()
    }

    /// Files that are taken for what they may not be: for those that an absolute path names, by the end of their path;
    /// and a single one of another name, by its lines.
    pub fn guessed_files(&self, profile: &Profile) -> Vec<Finding> {
        let mut guessed = taken_by_end(&self.tree, &profile.members);
        let (source, files) = (self.tree.source(), &profile.members.files);
        if let [piece] = source.pieces
            && files.iter().all(|member| member.place_of(&piece.path).is_none())
            && let Some((index, _)) = by_lines(source, profile)
        {
            let place = files[index].place();
            guessed.push(Finding::new(BackupFact::TakenByLines { place }).of_file(source.name));
        }
        guessed
    }

    /// Chooses a configuration, where there are two. The rules of crossings are written for the one in force:
    /// the one that is chosen takes its name, and the other one is left out.
    ///
    /// # Errors
    /// That the one being worked on was asked for, and there is none.
    pub fn choose(&mut self, profile: &Profile, configuration: Configuration) -> Result<(), Box<Finding>> {
        let branch = |name: &Option<String>| {
            name.as_ref()
                .and_then(|name| self.tree.child(self.tree.root(), name).map(|node| (node, name.clone())))
        };
        let (active, candidate) =
            (branch(&profile.recognition.active), branch(&profile.recognition.candidate));
        match (active, candidate, configuration) {
            (Some((active, name)), Some((candidate, other)), Configuration::Candidate) => {
                self.tree.rename(candidate, &name);
                self.tree.rename(active, &other);
                self.not_chosen = Some(active);
            }
            (Some(_), Some((candidate, _)), Configuration::Active) => self.not_chosen = Some(candidate),
            (_, _, Configuration::Active) => {}
            (_, _, Configuration::Candidate) => {
                let finding = Finding::new(BackupFact::NoCandidate);
                return Err(Box::new(finding.at(self.tree.source(), Span::default())));
            }
        }
        Ok(())
    }
}

/// How many characters of what a backup says of itself are taken.
const MOST_SHOWN: usize = 200;

fn identify(tree: &Tree<'_>, profile: &Profile, said: Option<&str>) -> Result<Identity, Vec<Finding>> {
    let mut findings = Vec::new();
    let fact = |fact: &Option<Fact>| {
        let node = fact.as_ref()?.paths.iter().find_map(|path| find(tree, path))?;
        // It is shown to people: nobody calls a unit by more than that.
        let value = tree.value(node).trim();
        let short = value.char_indices().nth(MOST_SHOWN).map_or(value, |(end, _)| &value[..end]);
        Some((short.to_owned(), tree.span(node)))
    };
    let source = tree.source();
    let release = fact(&profile.recognition.release);
    let read_as = match (&release, said) {
        (_, Some(said)) => match profile.release(said) {
            Ok(_) => said.to_owned(),
            Err(finding) => {
                findings.push(*finding);
                String::new()
            }
        },
        (Some((release, span)), None) => {
            if profile.release(release).is_err() {
                let known = AllOf::of(profile.releases.iter().map(|release| release.name.as_str()));
                let (name, title) = (release.clone(), profile.title.clone());
                let fact = BackupFact::ReleaseUnlisted { name, title, known };
                findings.push(Finding::new(fact).at(source, *span));
            }
            release.clone()
        }
        // A line with a single release needs no telling.
        (None, None) if profile.releases.len() == 1 => profile.releases[0].name.clone(),
        (None, None) => {
            let fact = BackupFact::ReleaseUnsaid { title: profile.title.clone() };
            findings.push(Finding::new(fact).at(source, Span::default()));
            String::new()
        }
    };
    let model = fact(&profile.recognition.model);
    if let Some((model, span)) = &model
        && let Err(finding) = profile.model(model)
    {
        findings.push(finding.at(source, *span));
    }
    if !findings.is_empty() {
        return Err(findings);
    }
    let text = |found: Option<(String, Span)>| found.map(|(text, _)| text).filter(|text| !text.is_empty());
    let kind = text(fact(&profile.recognition.kind));
    Ok(Identity {
        release: release.map_or_else(|| read_as.clone(), |(release, _)| release),
        read_as,
        model: text(model),
        taken: text(fact(&profile.recognition.taken)),
        only_changes: kind.as_ref().is_some_and(|kind| profile.recognition.changes.contains(kind)),
        is_whole: kind.as_ref().and_then(|kind| {
            let whole = &profile.recognition.whole;
            (!whole.is_empty()).then(|| whole.contains(kind))
        }),
        kind,
        label: text(fact(&profile.recognition.label)),
        build: text(fact(&profile.recognition.build)),
        unit: text(fact(&profile.recognition.unit)),
    })
}

fn find(tree: &Tree<'_>, path: &[String]) -> Option<NodeId> {
    let mut at = tree.root();
    for name in path {
        at = tree.child(at, name)?;
    }
    if tree.kind(at).is_value() {
        Some(at)
    } else {
        tree.children(at).find(|&id| tree.kind(id) == Kind::OwnText)
    }
}

#[cfg(test)]
#[path = "backup_tests.rs"]
mod tests;
