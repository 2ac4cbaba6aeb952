//! A copy of a backup to show to others: the same form and the same lines, without its secrets.

mod addresses;
mod comments;
mod names;
mod pseudonyms;

pub use pseudonyms::Key;

use crate::container::{Member, from_base64, hashes};
pub use crate::format::bundle::MARK_FILE;
use crate::format::bundle::with_databases;
use crate::language::profile::{Profile, What};
use crate::language::typing::{Form, TypeId};
use crate::recognise::backup::Backup;
use crate::scan::automaton::Automaton;
use crate::scan::inventory::{Inventory, Row, RowKind, automaton_of};
use crate::scan::secrets::{MIN_SECRET_LENGTH, search};
use crate::text::source::{Content, Span};
use crate::tree::{Kind, NodeId, Tree};
use addresses::{addresses_in, with_pseudonyms};
use pseudonyms::Book;
use rustc_hash::{FxHashMap, FxHashSet};
use std::net::IpAddr;

/// How a copy is made. Secrets are always hidden, and settings without a type, which could be some.
#[derive(Clone, Debug)]
pub struct Redaction {
    /// What pseudonyms are made with.
    pub key: Key,
    /// IP and MAC addresses stay.
    pub keeps_addresses: bool,
    /// Host names and names of objects stay.
    pub keeps_names: bool,
    /// Comments stay, but those that could be settings with a secret.
    pub keeps_comments: bool,
}

/// What it says.
pub const MARK_TEXT: &str =
    "A copy made to be shown: its secrets are not those of the backup, and it cannot be carried.\n";
/// What is in the place of a secret begins so; a short name of the key and a number follow.
const MARK: &str = "redacted-";

/// The copy, and how many values are hidden in it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Redacted {
    /// The files, each with as many lines as it has in the backup. One that is the backup alone has no path.
    pub files: Vec<Member>,
    /// Secrets, and settings without a type.
    pub secrets: usize,
    /// Host names and names of objects.
    pub names: usize,
    /// Addresses, each as often as it is there.
    pub addresses: usize,
    /// Comments.
    pub comments: usize,
    /// Networks that are too wide to have another in their place, as they are there.
    pub kept: Vec<String>,
}

/// Makes the copy.
pub fn redact(backup: &Backup<'_>, profile: &Profile, how: &Redaction) -> Redacted {
    let tree = &backup.tree;
    let mut automaton = automaton_of(profile, None);
    let reading = Inventory::new(tree, profile, &mut automaton);
    let secret = format!("{MARK}{}", how.key.short_id());
    let mut hider = Hider {
        tree,
        profile,
        edits: Vec::new(),
        known: FxHashMap::default(),
        paths: FxHashMap::default(),
        secret_branches: FxHashMap::default(),
        within: FxHashSet::default(),
    };
    let (mut secrets, mut names) = (0, 0);
    let mut texts = Vec::new();
    let comments = hider.hide_comments(how.keeps_comments, &mut texts);
    for row in reading.rows.iter().filter(|row| row.kind == RowKind::Setting) {
        let kind = row.type_id(profile, &automaton);
        let is_secret = kind.is_none_or(|kind| !profile.types.is_open(kind));
        if is_secret {
            secrets += usize::from(hider.hide(row, &secret));
            if kind.is_none() {
                hider.hide_names_within(row.node, &secret);
            }
        } else if !how.keeps_names && kind.is_some_and(|kind| is_name(profile, kind)) {
            names += usize::from(hider.hide(row, "name"));
        } else if kind.is_some_and(|kind| is_text(profile, kind, !how.keeps_names)) {
            texts.push(row.node);
        }
    }
    if !how.keeps_names {
        for row in reading.rows.iter().filter(|row| row.kind == RowKind::Object) {
            let entry = automaton.accepted(row.accept).entry.map(|entry| &profile.schema[entry]);
            let Some(What::Object { name: Some(kind), .. }) = entry.map(|entry| &entry.what) else {
                continue;
            };
            if is_object_name(profile, *kind) {
                names += usize::from(hider.hide_name(row.node));
            }
        }
    }
    hider.hide_in_texts(&texts);
    let mut addresses = 0;
    let mut files = Vec::new();
    let paths = std::mem::take(&mut hider.paths);
    let pieces = hider.finish();
    let is_text = |content: Content| !how.keeps_addresses && content != Content::Bytes;
    // The same address becomes the same in all files.
    let found: Vec<_> = pieces
        .iter()
        .filter(|(_, content, _)| is_text(*content))
        .flat_map(|(_, _, text)| addresses_in(text))
        .collect();
    let mut book = Book::new(&how.key, &found);
    for (path, content, text) in pieces {
        let (text, found) = if is_text(content) { with_pseudonyms(&text, &mut book) } else { (text, 0) };
        addresses += found;
        let bytes = match content {
            Content::Bytes => from_base64(&text).unwrap_or_default(),
            _ => text.into_bytes(),
        };
        let path = paths.get(&path).cloned().unwrap_or(path);
        files.push((Member { path, bytes }, content == Content::Database));
    }
    let mut files = with_databases(files);
    hashes::renew(&mut files, &paths);
    Redacted { files, secrets, names, addresses, comments, kept: book.kept() }
}

/// Whether what is hidden can be in values of a type.
fn is_text(profile: &Profile, ty: TypeId, hides_names: bool) -> bool {
    match profile.types.get(ty).form {
        Form::Text(_) => true,
        // Folders and files are called by names, and a word of a path is seldom a password.
        Form::Path => hides_names,
        _ => false,
    }
}

fn is_name(profile: &Profile, ty: TypeId) -> bool {
    // A host may be an address, which is hidden as such.
    matches!(profile.types.get(ty).form, Form::HostName | Form::Host | Form::Name { .. })
}

/// Whether the names of objects of a type are names that somebody gave them.
fn is_object_name(profile: &Profile, ty: TypeId) -> bool {
    is_name(profile, ty) || matches!(profile.types.get(ty).form, Form::Text(_))
}

struct Hider<'t, 'a> {
    tree: &'t Tree<'a>,
    profile: &'t Profile,
    edits: Vec<(Span, String)>,
    /// What each hidden value became.
    known: FxHashMap<String, String>,
    /// Files that are called by a name that is hidden, with the paths that they have instead.
    paths: FxHashMap<String, String>,
    /// Branches that are known to be in place of a secret, or not.
    secret_branches: FxHashMap<NodeId, bool>,
    /// Nodes in them whose names are hidden.
    within: FxHashSet<NodeId>,
}

impl Hider<'_, '_> {
    /// Hides the value of a setting. Returns whether it has one.
    fn hide(&mut self, row: &Row, word: &str) -> bool {
        let value = self.tree.value(row.node);
        if value.trim().is_empty() || value.parse::<IpAddr>().is_ok() && word == "name" {
            return false;
        }
        // A number or truth value of JSON stays one.
        if self.tree.kind(row.node) == Kind::Bare {
            let plain = if matches!(value, "true" | "false") { "false" } else { "0" };
            if value != "null" {
                self.edits.push((self.tree.span(row.node), plain.to_owned()));
            }
            return true;
        }
        let name = self.instead_of(value.trim(), word);
        for (first, span) in self.spelled(row.node).into_iter().enumerate().map(|(at, span)| (at == 0, span))
        {
            let raw = &self.tree.source().text[span.range()];
            // Lines stay where they are.
            let lines: String = raw.chars().filter(|c| *c == '\n').collect();
            self.edits.push((span, if first { name.clone() + &lines } else { lines }));
        }
        true
    }

    /// What is in the place of a value, wherever it is.
    fn instead_of(&mut self, value: &str, word: &str) -> String {
        let next = self.known.len() + 1;
        self.known.entry(value.to_owned()).or_insert_with(|| format!("{word}-{next}")).clone()
    }

    /// Where a value is spelled, in as many pieces as it has.
    fn spelled(&self, node: NodeId) -> Vec<Span> {
        if let Some(span) = self.tree.value_span(node).filter(|span| span.start < span.end) {
            return vec![span];
        }
        self.profile.dialect_at(self.tree, node).value_spans(self.tree, node)
    }

    /// Hides what is hidden where it is in free text, too: in a note, in a comment.
    fn hide_in_texts(&mut self, texts: &[NodeId]) {
        let telling: Vec<(String, String)> = self
            .known
            .iter()
            .filter(|(value, _)| value.len() >= MIN_SECRET_LENGTH && !value.contains('\n'))
            .flat_map(|(value, name)| {
                let spelled = self.profile.dialect.spelled(value);
                let other = (spelled != *value).then(|| (spelled, name.clone()));
                [Some((value.clone(), name.clone())), other].into_iter().flatten()
            })
            .collect();
        let values = telling.iter().map(|(value, _)| value.as_bytes());
        let Some(search) = search(values) else { return };
        let names: Vec<&str> = telling.iter().map(|(_, name)| name.as_str()).collect();
        for &node in texts.iter().filter(|node| !self.tree.value(**node).is_empty()) {
            let pieces = match self.tree.kind(node) {
                Kind::Comment => vec![self.tree.span(node)],
                _ => self.spelled(node),
            };
            for piece in pieces {
                let raw = &self.tree.source().text[piece.range()];
                // A name is one as a whole word only; a secret is one wherever it is.
                let counts = |found: &aho_corasick::Match| {
                    !names[found.pattern().as_usize()].starts_with("name-")
                        || is_whole_word(raw, found.range())
                };
                let mut new = String::new();
                let mut done = 0;
                for found in search.find_iter(raw).filter(counts) {
                    new.push_str(&raw[done..found.start()]);
                    new.push_str(names[found.pattern().as_usize()]);
                    done = found.end();
                }
                if done > 0 {
                    new.push_str(&raw[done..]);
                    self.edits.push((piece, new));
                }
            }
        }
    }

    /// The text of each file with all edits.
    fn finish(mut self) -> Vec<(String, Content, String)> {
        let source = self.tree.source();
        self.edits.sort_by_key(|(span, _)| *span);
        let whole = Span::new(0, source.text.len());
        let pieces: Vec<(String, Content, Span)> = match source.pieces {
            [] | [_] => vec![(String::new(), Content::Text, whole)],
            pieces => pieces.iter().map(|piece| (piece.path.clone(), piece.content, piece.span)).collect(),
        };
        let edited = |span: Span| {
            let mut text = String::with_capacity((span.end - span.start) as usize);
            let mut at = span.start;
            for (edit, new) in
                self.edits.iter().filter(|(edit, _)| edit.start >= span.start && edit.end <= span.end)
            {
                // What is inside of what is hidden is gone with it.
                if edit.start < at {
                    continue;
                }
                text.push_str(&source.text[at as usize..edit.start as usize]);
                text.push_str(new);
                at = edit.end;
            }
            text.push_str(&source.text[at as usize..span.end as usize]);
            text
        };
        pieces.into_iter().map(|(path, content, span)| (path, content, edited(span))).collect()
    }
}

fn is_whole_word(text: &str, range: std::ops::Range<usize>) -> bool {
    let is_part = |c: char| c.is_alphanumeric() || c == '_';
    !text[..range.start].ends_with(is_part) && !text[range.end..].starts_with(is_part)
}

/// The first secret that has the shape that they have in such copies, if a backup has one: then it is a copy.
pub(crate) fn mark_in(
    tree: &Tree<'_>,
    profile: &Profile,
    automaton: &Automaton,
    reading: &Inventory,
) -> Option<NodeId> {
    let could_be_secret = |row: &&Row| {
        row.kind == RowKind::Setting
            && row.type_id(profile, automaton).is_none_or(|kind| !profile.types.is_open(kind))
    };
    let mut rows = reading.rows.iter().filter(could_be_secret);
    rows.find(|row| is_mark(tree.value(row.node))).map(|row| row.node)
}

fn is_mark(value: &str) -> bool {
    value.match_indices(MARK).any(|(at, _)| {
        let rest = &value[at + MARK.len()..];
        rest.split_once('-').is_some_and(|(id, number)| {
            id.len() == 8
                && id.bytes().all(|byte| byte.is_ascii_hexdigit())
                && number.starts_with(|c: char| c.is_ascii_digit())
        })
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::library::Checking;
    use crate::text::source::Source;
    use rstest::rstest;

    fn keeping(keeps_names: bool) -> Redaction {
        Redaction { key: Key::new(b"one"), keeps_addresses: true, keeps_names, keeps_comments: true }
    }

    /// An alias of YAML stands for what is written once: that is hidden once.
    #[test]
    fn what_is_hidden_twice_is_hidden_once() {
        let profile = r"
language = 2
[profile]
platform = 'a'
title    = 'A'
format   = 'yaml'
releases = ['1']
[detect]
contains = 'a'
release  = 'release'
[setting]
'release' = 'text'
'a|b/secret' = 'secret'
";
        let profile = Profile::parse(Source::new("p", profile), Checking::Whole).expect("a profile");
        let text = "a: &x\n  secret: s3\nb: *x\nrelease: \"1\"\n";
        let tree = profile.dialect.read(Source::new("t", text)).expect("well-formed");
        let backup = Backup::new(tree, &profile, None).expect("recognised");
        let how = keeping(true);
        let copy = redact(&backup, &profile, &how);
        let mark = format!("redacted-{}-1", how.key.short_id());
        assert_eq!(copy.files[0].bytes, text.replace("s3", &mark).into_bytes());
    }

    /// What is called by a name is called by another wherever it is spelled, and still is what it was.
    #[rstest]
    #[case(
        "json",
        "",
        r#"{"release": "1", "box": {"quay": {"to": "pier"}, "pier": {"to": "quay"}}}"#,
        r#"{"release": "1", "box": {"name-2": {"to": "name-1"}, "name-1": {"to": "name-2"}}}"#
    )]
    #[case(
        "yaml",
        "",
        "release: '1'\nbox:\n  # the quay\n  quay:   # of stone\n    to: pier\n  \"pier\": {to: quay}\n",
        "release: '1'\nbox:\n  # the name-2\n  name-2:   # of stone\n    to: name-1\n  \"name-1\": {to: name-2}\n"
    )]
    #[case(
        "statements",
        "[grammar]\nquotes = ['\"']\n[block.top]\nstatements = [['box {box} {key} {value}', 'box/{box}/{key}'], ['{key} {value}', '{key}']]\n",
        "release 1\nbox quay to pier\nbox pier to quay\nbox box to box\nbox quay wide 5\n",
        "release 1\nbox name-2 to name-1\nbox name-1 to name-2\nbox name-3 to name-3\nbox name-2 wide 5\n"
    )]
    #[case(
        "xml",
        "",
        "<a><release>1</release><box><quay ><to>pier</to></quay><pier><to>quay</to><wide>5</wide></pier ></box></a>",
        "<a><release>1</release><box><name-2 ><to>name-1</to></name-2><name-1><to>name-2</to><wide>5</wide></name-1 ></box></a>"
    )]
    fn names_that_are_keys_are_hidden(
        #[case] form: &str,
        #[case] more: &str,
        #[case] text: &str,
        #[case] expected: &str,
    ) {
        let marker = if form == "xml" { "a" } else { "box" };
        let profile = format!(
            "language = 2\n[profile]\nplatform = 'a'\ntitle = 'A'\nformat = '{form}'\nreleases = ['1']\n[detect]\ncontains = '{marker}'\nrelease = 'release'\n\
             [object]\n'box/{{name}}' = {{}}\n[setting]\n'release' = 'text'\n\
             'box/*/to' = 'name'\n'box/*/wide' = 'integer'\n{more}"
        );
        let profile = Profile::parse(Source::new("p", &profile), Checking::Whole).expect("a profile");
        let tree = profile.dialect.read(Source::new("t", text)).expect("well-formed");
        let backup = Backup::new(tree, &profile, None).expect("recognised");
        let copy = redact(&backup, &profile, &keeping(false));
        assert_eq!(String::from_utf8_lossy(&copy.files[0].bytes), expected);
    }
}
