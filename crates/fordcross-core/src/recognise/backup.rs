//! Recognising a backup: which line wrote it, which release, on which model.

use super::facts::BackupFact;
use crate::finding::{AllOf, Finding, all_of, count};
use crate::format::bundle::{NoFile, read_bundle, taken_by_end, without_files};
use crate::format::{Format, KnownBy};
use crate::language::library::{Library, ProfileFile};
use crate::language::profile::{Fact, Lookup, PathStep, Profile};
use crate::text::source::{Content, LineIndex, MOST_NODES, Piece, SharedLines, Source, Span};
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

/// That there is no room for all that was read or made.
pub(crate) fn too_many_nodes(what: &'static str, tree: &Tree<'_>) -> Finding {
    let most = tree.max_nodes();
    Finding::new(if most < MOST_NODES {
        BackupFact::MoreThanFits { what, most }
    } else {
        BackupFact::MoreThanMost { what, most }
    })
}

/// Reads a backup in its form, and finds the profile that recognises it.
///
/// # Errors
/// That it is in none of the forms, or not well-formed, or that no profile recognises it: what was looked
/// for, and what the backup looks like.
pub fn read<'a, 'l>(
    source: Source<'a>,
    library: &'l Library,
) -> Result<(Tree<'a>, &'l ProfileFile), Vec<Finding>> {
    let (tree, profile) = read_any(source, library)?;
    if tree.is_overfull() {
        return Err(vec![too_many_nodes("the backup", &tree).at(source, Span::default())]);
    }
    Ok((tree, profile))
}

fn read_any<'a, 'l>(
    source: Source<'a>,
    library: &'l Library,
) -> Result<(Tree<'a>, &'l ProfileFile), Vec<Finding>> {
    if source.pieces.len() > 1 || source.pieces.iter().any(|piece| piece.content != Content::Text) {
        let found = read_several(source, library);
        return found
            .unwrap_or_else(|| Err(vec![*unrecognised(source, library, looks_like_several(source))]));
    }
    let sniffed = Format::sniff(source.text);
    // Some formats are known by their markers in the index of all profiles, so that no profile needs to be parsed.
    let by_marker = sniffed
        .filter(|format| format.needs_no_dialect())
        .map(|format| format.plain().read(source).and_then(|tree| recognise(tree, format, library)));
    if let Some(Ok(recognised)) = by_marker {
        return Ok(recognised);
    }
    // One file of those that some line has several of can be a backup, too: by its name it is known.
    if let Some(found) = read_several(source, library) {
        return found;
    }
    // What begins with a bracket may be JSON, or a heading.
    if !Format::is_told_by_first_character(source.text)
        && let Some(found) = read_in_dialects(source, library)
    {
        return match (found, read_alone(source, library)) {
            (Err(_), Some(alone)) => alone,
            (found, _) => found.map_err(|finding| vec![*finding]),
        };
    }
    if let Some(recognised) = by_marker {
        return recognised.map_err(|finding| vec![*finding]);
    }
    read_alone(source, library)
        .unwrap_or_else(|| Err(vec![*unrecognised(source, library, looks_like_text(source.text))]))
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

/// Reads several files as those of the first line that has files of such names.
fn read_several<'a, 'l>(
    source: Source<'a>,
    library: &'l Library,
) -> Option<Result<(Tree<'a>, &'l ProfileFile), Vec<Finding>>> {
    // A person's own profiles come last, and go before those that ship.
    library.profiles().iter().rev().filter(|profile| profile.format.is_several()).find_map(|file| {
        let profile = file.parsed()?;
        let is_marked = |piece: &Piece| {
            let place = profile.members.files.iter().find_map(|member| member.place_of(&piece.path));
            place.is_some_and(|place| profile.is_marked_by(&place))
        };
        let read = || read_bundle(source, &profile.members, None).map(|tree| (tree, file));
        source.pieces.iter().any(is_marked).then(read)
    })
}

/// Reads a file of those that some line has several of, called otherwise than there, as what its lines begin with
/// tells it to be.
fn read_alone<'a, 'l>(
    source: Source<'a>,
    library: &'l Library,
) -> Option<Result<(Tree<'a>, &'l ProfileFile), Vec<Finding>>> {
    let several = library.profiles().iter().filter(|profile| profile.format.is_several());
    let candidates = several.filter_map(|file| {
        let profile = file.parsed()?;
        let counts = profile.members.files.iter().map(|member| member.signs_in(source.text));
        let (index, count) = counts.enumerate().max_by_key(|(index, count)| (*count, usize::MAX - index))?;
        (count > 0).then_some((count, index, profile, file))
    });
    let (_, index, profile, file) = candidates.max_by_key(|(count, ..)| *count)?;
    Some(read_bundle(source, &profile.members, Some(index)).map(|tree| (tree, file)))
}

/// Reads a text in the dialect of each platform that has one, until one has its marker in it.
fn read_in_dialects<'a, 'l>(
    source: Source<'a>,
    library: &'l Library,
) -> Option<Result<(Tree<'a>, &'l ProfileFile), Box<Finding>>> {
    let mut refused = None;
    for file in library.profiles() {
        let KnownBy::Line { is_key, is_any_word, is_in_text } = file.format.traits().known_by else {
            continue;
        };
        let Some(profile) = file.parsed() else { continue };
        let marker = profile.recognition.marker.as_str();
        let begins = |line: &str| begins_like(line, marker, is_key);
        // Without the word no form has the marker, and nothing needs to be read.
        if is_in_text && !source.text.lines().any(begins) {
            continue;
        }
        match profile.dialect.read(source) {
            Ok(tree) if has_marker(&tree, profile, is_any_word) => return Some(Ok((tree, file))),
            Ok(_) => {}
            // It is reported only if the file seems to be of that platform.
            Err(finding) => {
                if source.text.lines().any(begins) {
                    refused.get_or_insert(finding);
                }
            }
        }
    }
    refused.map(Err)
}

/// Whether a line of a text begins like what marks a platform: with a word, or with a key and a colon.
fn begins_like(line: &str, marker: &str, is_key: bool) -> bool {
    let line = if is_key { line } else { line.trim_start_matches(['[', ' ', '\t']) };
    let bare = line.trim_start_matches(['"', '\'']);
    let Some(rest) = bare.strip_prefix(marker) else { return false };
    let rest = rest.trim_start_matches(['"', '\'']);
    if is_key {
        return rest.trim_start().starts_with(':');
    }
    !rest.starts_with(|c: char| c.is_alphanumeric() || matches!(c, '-' | '_' | '.'))
}

/// Whether a tree has the marker of a platform at its top. Where any word can begin a statement, it must be one that
/// the platform knows.
fn has_marker(tree: &Tree<'_>, profile: &Profile, is_any_word: bool) -> bool {
    let Some(marker) = tree.child(tree.root(), &profile.recognition.marker) else { return false };
    !is_any_word
        || tree.kind(marker).is_branch()
        || matches!(profile.schema.find(&[PathStep::Name(&profile.recognition.marker)]), Lookup::Declared(_))
}

/// The profile that recognises a tree.
fn recognise<'a, 'l>(
    tree: Tree<'a>,
    format: Format,
    library: &'l Library,
) -> Result<(Tree<'a>, &'l ProfileFile), Box<Finding>> {
    let root = tree.root();
    let is_root = format.traits().known_by == KnownBy::Root;
    let has_marker = |profile: &&ProfileFile| {
        if is_root {
            return tree.name(root) == profile.marker;
        }
        tree.kind(root) == Kind::Map && tree.child(root, &profile.marker).is_some()
    };
    let found = library.profiles().iter().filter(|profile| profile.format == format).find(has_marker);
    if let Some(found) = found {
        return Ok((tree, found));
    }
    let word = format.word().to_uppercase();
    let look = if is_root {
        format!("{word} with the root element `{}`", tree.name(root))
    } else if tree.kind(root) == Kind::Map {
        let keys: Vec<&str> = tree.children(root).map(|child| tree.name(child)).collect();
        format!("{word} with {} at its top: {}", count(keys.len(), "key"), all_of(keys))
    } else {
        format!("{word} without an object at its top")
    };
    Err(unrecognised(tree.source(), library, look))
}

fn looks_like_several(source: Source<'_>) -> String {
    let paths: Vec<&str> = source.pieces.iter().map(|piece| piece.path.as_str()).collect();
    format!("{}: {}", count(paths.len(), "file"), all_of(paths))
}

impl<'a> Backup<'a> {
    /// A tree as the profile of its line sees it: names as that spells them, and what it says of itself.
    ///
    /// # Errors
    /// All that the profile does not list: the release (unless `treat_as` names a listed one), the model.
    pub fn new(mut tree: Tree<'a>, profile: &Profile, treat_as: Option<&str>) -> Result<Self, Vec<Finding>> {
        profile.respell(&mut tree);
        let identity = identify(&tree, profile, treat_as)?;
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

    /// Files that stand in for those that an absolute path names: they are taken by the end of their path.
    pub fn guessed_files(&self, profile: &Profile) -> Vec<Finding> {
        taken_by_end(&self.tree, &profile.members)
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

fn identify(tree: &Tree<'_>, profile: &Profile, treat_as: Option<&str>) -> Result<Identity, Vec<Finding>> {
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
    let read_as = match (&release, treat_as) {
        (_, Some(treat_as)) => match profile.release(treat_as) {
            Ok(_) => treat_as.to_owned(),
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

fn looks_like_text(text: &str) -> String {
    if text.trim().is_empty() {
        return "an empty file".into();
    }
    let lines = text.lines().count();
    format!("plain text of {}, neither XML nor JSON, nor a format of a known platform", count(lines, "line"))
}

/// The finding for a file that no profile recognises.
fn unrecognised(source: Source<'_>, library: &Library, look: impl Into<String>) -> Box<Finding> {
    let looked_for: Vec<String> = library
        .profiles()
        .iter()
        .map(|profile| {
            let ProfileFile { marker, platform, .. } = profile;
            format!("{} ({platform})", (profile.format.traits().with_marker)(marker))
        })
        .collect();
    let fact = BackupFact::Unrecognised { look: look.into(), looked_for };
    Box::new(Finding::new(fact).of_file(source.name))
}

#[cfg(test)]
#[path = "backup_tests.rs"]
mod tests;
