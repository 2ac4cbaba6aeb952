//! Backups of several files: each is read in its own form into its place of one tree, and written from it.

use super::included::included;
use super::members::OTHER_FILES;
use super::{MARK_FILE, Member, Members, is_beside};
use crate::container::{self, hashes};
use crate::finding::Finding;
use crate::format::codec::undecoded;
use crate::format::{Dialect, Includes};
use crate::text::source::{Content, Piece, Source, Span};
use crate::tree::{Kind, NodeId, Text, Tree};
use std::cell::RefCell;

/// Reads all files into one tree. A file that is `alone` is that member, whatever it is called. What no member of the profile names is a value of its own, never left out.
///
/// # Errors
/// All files that are not well-formed, each with its place.
pub fn read_bundle<'a>(
    source: Source<'a>,
    members: &Members,
    alone: Option<usize>,
) -> Result<Tree<'a>, Vec<Finding>> {
    let mut tree = Tree::new(source);
    let root = tree.push(NodeId::DOCUMENT, Kind::Map, "", Span::new(0, source.text.len()));
    let mut findings = Vec::new();
    // Files whose statements are in place of others are no files of their own.
    let taken: RefCell<Vec<Span>> = RefCell::default();
    let mut places: Vec<(usize, &Piece, Vec<String>)> = Vec::new();
    let mut others = Vec::new();
    for piece in source.pieces {
        let by_path = || {
            let mut members = members.files.iter().enumerate();
            members.find_map(|(index, member)| Some((index, member.place_of(&piece.path)?)))
        };
        let found = match alone {
            Some(index) => members.files[index].only_place().map(|place| (index, place)),
            // What an editor left behind is no file of the platform, even where those have any name.
            None if members.is_leftover(&piece.path) => None,
            None => by_path(),
        };
        match found {
            Some((index, place)) => places.push((index, piece, place)),
            None => others.push(piece),
        }
    }
    places.sort_by_key(|(index, piece, _)| (*index, piece.span));
    for (index, piece, place) in places {
        if taken.borrow().contains(&piece.span) {
            continue;
        }
        let member = &members.files[index];
        if let Err(finding) = read_member(&mut tree, root, members, member, piece, &place, &taken) {
            findings.push(*finding);
        }
    }
    let taken = taken.into_inner();
    // What is beside the configuration is none of it, unless it is included.
    // Nor is what says of a copy that it is one.
    let is_own =
        |piece: &&Piece| !taken.contains(&piece.span) && !is_beside(&piece.path) && piece.path != MARK_FILE;
    for piece in others.into_iter().filter(is_own) {
        let holder = tree
            .child(root, OTHER_FILES)
            .unwrap_or_else(|| tree.push(root, Kind::Map, OTHER_FILES, piece.span));
        let leaf = tree.push(holder, Kind::Text, &piece.path, piece.span);
        tree.set_value(leaf, Text::Borrowed(piece.span));
    }
    tree.keep_order();
    if findings.is_empty() {
        Ok(tree.in_document_order(&crate::tree::Trivia::default()).0)
    } else {
        Err(findings)
    }
}

fn read_member<'a>(
    tree: &mut Tree<'a>,
    root: NodeId,
    members: &Members,
    member: &Member,
    piece: &'a Piece,
    place: &[String],
    taken: &RefCell<Vec<Span>>,
) -> Result<(), Box<Finding>> {
    let source = tree.source();
    let Some((last, above)) = place.split_last() else { return Ok(()) };
    let mut holder = root;
    for name in above {
        holder = match tree.child(holder, name) {
            Some(found) => found,
            None => tree.push(holder, Kind::Map, name, piece.span),
        };
        tree.set_end(holder, piece.span.end as usize);
    }
    let included = |pattern: &str, at: Span, includes: &Includes| {
        let files = included(source, pattern, at, includes, &members.folders).files;
        if let Some(piece) = files.iter().find(|piece| piece.content == Content::Bytes) {
            return Err(Box::new(undecoded(source, piece)));
        }
        let files: Vec<Span> = files.into_iter().map(|piece| piece.span).collect();
        taken.borrow_mut().extend(&files);
        Ok(files)
    };
    member.dialect.read_into(tree, holder, last, piece, &included)
}

/// Makes the bytes of a file of its text, by its path and dialect.
pub(super) type Finish<'f> = dyn FnMut(&str, &Dialect, Vec<u8>) -> Vec<u8> + 'f;

/// Writes each file of a tree, in the order of the profile. Lists of hashes come last: they are of all others.
pub fn write_bundle(tree: &Tree<'_>, members: &Members, finish: &mut Finish<'_>) -> Vec<container::Member> {
    let mut written: Vec<(usize, container::Member, bool)> = Vec::new();
    for (index, member) in members.files.iter().enumerate() {
        for (node, place) in nodes_at(tree, member.at.len()) {
            let Some(path) = member.path_of(&place) else { continue };
            if member.dialect.checksums().is_some() || written.iter().any(|(_, known, _)| known.path == path)
            {
                continue;
            }
            let dialect = &member.dialect;
            let text = || finish(&path, dialect, dialect.written(tree, node));
            let bytes = dialect.raw_bytes(tree, node).unwrap_or_else(text);
            let is_table = dialect.is_of_database();
            written.push((index, container::Member { path, bytes }, is_table));
        }
    }
    written.sort_by_key(|(index, ..)| *index);
    let files = written.into_iter().map(|(_, member, is_table)| (member, is_table)).collect();
    let mut files = with_databases(files);
    for member in &members.files {
        if let Some(algorithm) = member.dialect.checksums() {
            let bytes = hashes::write(&files, algorithm);
            let path = member.path.as_literal().unwrap_or_default().to_owned();
            files.push(container::Member { path, bytes });
        }
    }
    files
}

/// Puts the listings of tables, each under `FILE#TABLE`, into databases. With each file is whether it is one:
/// the name alone does not decide.
pub fn with_databases(files: Vec<(container::Member, bool)>) -> Vec<container::Member> {
    let mut made: Vec<container::Member> = Vec::new();
    let mut listings: Vec<(String, String, String)> = Vec::new();
    for (file, is_table) in files {
        match file.path.rsplit_once('#').filter(|_| is_table) {
            Some((database, table)) => {
                let text = String::from_utf8_lossy(&file.bytes).into_owned();
                if !listings.iter().any(|(known, ..)| known == database) {
                    made.push(container::Member { path: database.to_owned(), bytes: Vec::new() });
                }
                listings.push((database.to_owned(), table.to_owned(), text));
            }
            None => made.push(file),
        }
    }
    for file in &mut made {
        let own: Vec<(&str, &str)> = listings
            .iter()
            .filter(|(database, ..)| *database == file.path)
            .map(|(_, table, text)| (table.as_str(), text.as_str()))
            .collect();
        if !own.is_empty() {
            // One that cannot be made does not read back, and is reported.
            file.bytes = crate::format::database::build(&own).unwrap_or_default();
        }
    }
    made
}

/// All nodes of a tree so many levels below its root, with the names that lead there.
pub fn nodes_at<'t>(tree: &'t Tree<'_>, depth: usize) -> Vec<(NodeId, Vec<&'t str>)> {
    let mut nodes = vec![(tree.root(), Vec::new())];
    for _ in 0..depth {
        nodes = nodes
            .into_iter()
            .flat_map(|(node, names)| {
                let named = tree.children(node).filter(|&child| tree.kind(child).is_named());
                named
                    .map(|child| (child, names.iter().copied().chain([tree.name(child)]).collect()))
                    .collect::<Vec<_>>()
            })
            .collect();
    }
    nodes
}
