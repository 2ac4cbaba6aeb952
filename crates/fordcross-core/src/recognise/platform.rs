//! Which platform a backup is of. Every profile that may be the one is tried in full.

use super::facts::BackupFact;
use crate::finding::{AllOf, Finding, all_of, count};
use crate::format::bundle::read_bundle;
use crate::format::{Format, KnownBy};
use crate::language::library::{Library, ProfileFile};
use crate::language::profile::{Lookup, PathStep, Profile};
use crate::text::source::{Content, MOST_NODES, Piece, Source, Span};
use crate::tree::{Kind, Tree};
use std::str::FromStr;

/// What a person said that a backup is to be read as.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ReadAs {
    /// The platform.
    pub platform: String,
    /// The listed release; that which the backup says itself, if there is none.
    pub release: Option<String>,
}

impl FromStr for ReadAs {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let (platform, release) = match text.split_once('@') {
            Some((platform, release)) => (platform, Some(release)),
            None => (text, None),
        };
        if platform.is_empty() || release.is_some_and(str::is_empty) {
            return Err("write `PLATFORM` or `PLATFORM@RELEASE`");
        }
        Ok(Self { platform: platform.to_owned(), release: release.map(str::to_owned) })
    }
}

/// A backup in its format, with the profile that it is of.
type Recognised<'a, 'l> = Result<(Tree<'a>, &'l ProfileFile), Vec<Finding>>;

/// A profile that may be the one, with what reading the backup as one of it gave.
type Tried<'a, 'l> = (&'l ProfileFile, Result<Tree<'a>, Vec<Finding>>);

/// That there is no room for all that was read or made.
pub(crate) fn too_many_nodes(what: &'static str, tree: &Tree<'_>) -> Finding {
    let most = tree.max_nodes();
    Finding::new(if most < MOST_NODES {
        BackupFact::MoreThanFits { what, most }
    } else {
        BackupFact::MoreThanMost { what, most }
    })
}

/// Reads a backup in its format, and finds the profile that recognises it, or the one that a person said.
///
/// # Errors
/// That it is in none of the formats, or not well-formed, or that no profile recognises it: what was looked
/// for, and what the backup looks like. That several do: which.
pub fn read<'a, 'l>(source: Source<'a>, library: &'l Library, said: Option<&ReadAs>) -> Recognised<'a, 'l> {
    let (tree, profile) = match said {
        Some(said) => read_as(source, library, &said.platform)?,
        None => read_any(source, library)?,
    };
    if tree.is_overfull() {
        return Err(vec![too_many_nodes("the backup", &tree).at(source, Span::default())]);
    }
    Ok((tree, profile))
}

fn is_one_text(source: Source<'_>) -> bool {
    source.pieces.len() <= 1 && source.pieces.iter().all(|piece| piece.content == Content::Text)
}

/// Reads a backup as one of a platform, whatever it looks like.
fn read_as<'a, 'l>(source: Source<'a>, library: &'l Library, platform: &str) -> Recognised<'a, 'l> {
    let file = library.profile(platform).map_err(|finding| vec![*finding])?;
    let profile = file.parse()?;
    let tree = if file.format.is_several() {
        let files = &profile.members.files;
        let has_place = |piece: &Piece| files.iter().any(|member| member.place_of(&piece.path).is_some());
        let by_lines = if is_one_text(source) && !source.pieces.iter().any(has_place) {
            by_lines(source, profile).map(|(index, _)| index)
        } else {
            None
        };
        read_bundle(source, &profile.members, by_lines)?
    } else {
        profile.dialect.read(source).map_err(|finding| vec![*finding])?
    };
    Ok((tree, file))
}

fn read_any<'a, 'l>(source: Source<'a>, library: &'l Library) -> Recognised<'a, 'l> {
    if !is_one_text(source) {
        let nobody = || Err(vec![*unrecognised(source, library, looks_like_several(source))]);
        return settle(source, read_several(source, library)).unwrap_or_else(nobody);
    }
    let sniffed = Format::sniff(source.text);
    // Some formats are known by their markers in the index of all profiles, so that no profile needs to be parsed.
    let by_marker = sniffed
        .filter(|format| format.needs_no_dialect())
        .map(|format| format.plain().read(source).and_then(|tree| recognise(tree, format, library)));
    if let Some(Ok(recognised)) = by_marker {
        return Ok(recognised);
    }
    // One file of those that some platform has several of can be a backup, too: by its name it is known.
    let mut tried = read_several(source, library);
    // What begins with a bracket may be JSON, or a heading.
    if !Format::is_told_by_first_character(source.text) {
        tried.extend(read_in_dialects(source, library));
    }
    let is_read = tried.iter().any(|(_, read)| read.is_ok());
    if let Some(settled) = settle(source, tried) {
        let by_lines = if is_read { None } else { settle(source, read_alone(source, library)) };
        return by_lines.filter(Result::is_ok).unwrap_or(settled);
    }
    if let Some(recognised) = by_marker {
        return recognised.map_err(|finding| vec![*finding]);
    }
    settle(source, read_alone(source, library))
        .unwrap_or_else(|| Err(vec![*unrecognised(source, library, looks_like_text(source.text))]))
}

/// What came of all that was tried; `None` if nothing was.
fn settle<'a, 'l>(source: Source<'a>, tried: Vec<Tried<'a, 'l>>) -> Option<Recognised<'a, 'l>> {
    let (mut read, mut refused) = (Vec::new(), Vec::new());
    for (file, result) in tried {
        match result {
            Ok(tree) => read.push((tree, file)),
            Err(findings) => refused.push((file, findings)),
        }
    }
    if read.iter().any(|(_, file)| !file.ships()) {
        // A person's own profiles come before those that ship.
        read.retain(|(_, file)| !file.ships());
    }
    if read.len() > 1 {
        let platforms = AllOf::of(read.iter().map(|(_, file)| file.platform.as_ref()));
        return Some(Err(vec![Finding::new(BackupFact::OfSeveral { platforms }).of_file(source.name)]));
    }
    if let Some(only) = read.pop() {
        return Some(Ok(only));
    }
    if refused.len() < 2 {
        return refused.pop().map(|(_, findings)| Err(findings));
    }
    let first = |(file, findings): (&ProfileFile, Vec<Finding>)| {
        let mistake = findings.into_iter().next()?;
        let (platform, said) = (file.platform.to_string(), mistake.message());
        let mut finding = Finding::new(BackupFact::NotOf { platform, said });
        finding.location = mistake.location;
        Some(finding)
    };
    Some(Err(refused.into_iter().filter_map(first).collect()))
}

/// Reads several files as those of each platform that has files of such names.
fn read_several<'a, 'l>(source: Source<'a>, library: &'l Library) -> Vec<Tried<'a, 'l>> {
    let several = library.profiles().iter().filter(|profile| profile.format.is_several());
    let of = |file: &'l ProfileFile| {
        let profile = file.parsed()?;
        let is_marked = |piece: &Piece| {
            let place = profile.members.files.iter().find_map(|member| member.place_of(&piece.path));
            place.is_some_and(|place| profile.is_marked_by(&place))
        };
        let read = || (file, read_bundle(source, &profile.members, None));
        source.pieces.iter().any(is_marked).then(read)
    };
    several.filter_map(of).collect()
}

/// Reads a file of those that some platform has several of, called otherwise than there, as what its lines begin with
/// tells it to be: as one of the platforms with the most such lines.
fn read_alone<'a, 'l>(source: Source<'a>, library: &'l Library) -> Vec<Tried<'a, 'l>> {
    let several = library.profiles().iter().filter(|profile| profile.format.is_several());
    let candidates: Vec<_> = several
        .filter_map(|file| {
            let profile = file.parsed()?;
            by_lines(source, profile).map(|(index, count)| (count, index, profile, file))
        })
        .collect();
    let most = candidates.iter().map(|(count, ..)| *count).max();
    candidates
        .into_iter()
        .filter(|(count, ..)| Some(*count) == most)
        .map(|(_, index, profile, file)| (file, read_bundle(source, &profile.members, Some(index))))
        .collect()
}

/// Which file of a platform a text is by what its lines begin with, and how many do.
pub(super) fn by_lines(source: Source<'_>, profile: &Profile) -> Option<(usize, usize)> {
    let counts = profile.members.files.iter().map(|member| member.signs_in(source.text));
    let found = counts.enumerate().max_by_key(|(index, count)| (*count, usize::MAX - index));
    found.filter(|(_, count)| *count > 0)
}

/// Reads a text in the dialect of each platform that has one, where its marker begins a line.
fn read_in_dialects<'a, 'l>(source: Source<'a>, library: &'l Library) -> Vec<Tried<'a, 'l>> {
    let of = |file: &'l ProfileFile| {
        let KnownBy::Line { is_key, is_any_word, is_in_text } = file.format.traits().known_by else {
            return None;
        };
        let profile = file.parsed()?;
        let marker = profile.recognition.marker.as_str();
        let begins = |line: &str| begins_like(line, marker, is_key);
        // Without the word no format has the marker, and nothing needs to be read.
        if is_in_text && !source.text.lines().any(begins) {
            return None;
        }
        match profile.dialect.read(source) {
            Ok(tree) => has_marker(&tree, profile, is_any_word).then_some((file, Ok(tree))),
            // It is reported only if the file seems to be of that platform.
            Err(finding) => source.text.lines().any(begins).then(|| (file, Err(vec![*finding]))),
        }
    };
    library.profiles().iter().filter_map(of).collect()
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
    let mut found: Vec<&ProfileFile> =
        library.profiles().iter().filter(|profile| profile.format == format).filter(has_marker).collect();
    if found.iter().any(|file| !file.ships()) {
        found.retain(|file| !file.ships());
    }
    match found.as_slice() {
        [] => {}
        [only] => return Ok((tree, only)),
        several => {
            let platforms = AllOf::of(several.iter().map(|file| file.platform.as_ref()));
            let finding = Finding::new(BackupFact::OfSeveral { platforms });
            return Err(Box::new(finding.of_file(tree.source().name)));
        }
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
