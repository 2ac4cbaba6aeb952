//! The files of a base with the changes in them: each in its own form, and those in which nothing changed as they
//! were.

use super::facts::BaseFact;
use crate::container::{Member, from_base64, hashes};
use crate::finding::{Finding, Findings};
use crate::format::Codec;
use crate::format::bundle::nodes_at;
use crate::format::edit::{Changes, File};
use crate::language::profile::Profile;
use crate::text::charset::Charset;
use crate::text::source::{Content, Span};
use crate::tree::{NodeId, Tree};
use rustc_hash::FxHashMap;

/// What the rewriting of a base depends on.
pub(super) struct Rewriting<'r> {
    changes: &'r Changes,
    base: &'r Tree<'r>,
    /// The base's tree with the changes made, in which its nodes have the ids that they have in the base.
    tree: &'r Tree<'r>,
    profile: &'r Profile,
    /// Nodes of the base in which something changed.
    touched: Vec<bool>,
}

impl<'r> Rewriting<'r> {
    pub(super) fn new(
        changes: &'r Changes,
        base: &'r Tree<'r>,
        tree: &'r Tree<'r>,
        profile: &'r Profile,
    ) -> Self {
        let mut touched = vec![false; base.len()];
        for node in changes.nodes() {
            let mut at = node;
            while at != NodeId::DOCUMENT && !std::mem::replace(&mut touched[at.index()], true) {
                at = base.parent(at);
            }
        }
        Self { changes, base, tree, profile, touched }
    }

    /// All files; one without a path where the platform has one file. What a file cannot hold in the character set that
    /// it is in is told.
    pub(super) fn files(&self) -> (Vec<Member>, Findings) {
        let source = self.base.source();
        let mut findings = Findings::new();
        if !self.profile.format().is_several() {
            let whole = Span::new(0, source.text.len());
            let mut written = self.file(self.base.root(), whole, &*self.profile.dialect);
            let bytes = written.pop().map_or_else(|| source.text.as_bytes().to_vec(), |(_, bytes)| bytes);
            let charset = source.pieces.first().map_or(Charset::UTF_8, |piece| piece.charset);
            let bytes = encoded(source.name, charset, bytes, &mut findings);
            return (vec![Member { path: String::new(), bytes }], findings);
        }
        let mut written: Vec<Option<Vec<u8>>> = vec![None; source.pieces.len()];
        let mut paths: Vec<String> = source.pieces.iter().map(|piece| piece.path.clone()).collect();
        let members = &self.profile.members.files;
        for member in members {
            for (node, place) in nodes_at(self.base, member.at.len()) {
                let Some(path) = member.path_of(&place) else { continue };
                let known = source.pieces.iter().position(|piece| piece.path == path);
                // One file alone is called anything.
                let alone = (source.pieces.len() == 1).then_some(0);
                let Some(index) = known.or(alone) else { continue };
                let piece = &source.pieces[index];
                paths[index] = path;
                for (span, bytes) in self.file(node, piece.span, &*member.dialect) {
                    let index = source.pieces.iter().position(|piece| piece.span == span);
                    index.into_iter().for_each(|index| written[index] = Some(bytes.clone()));
                }
            }
        }
        let mut files: Vec<Member> = Vec::new();
        let mut changed = false;
        for ((piece, path), written) in source.pieces.iter().zip(paths).zip(written) {
            let text = &source.text[piece.span.range()];
            let as_it_was = || match piece.content {
                Content::Bytes => from_base64(text).unwrap_or_default(),
                Content::Text | Content::Database => text.as_bytes().to_vec(),
            };
            changed |= written.is_some();
            let mut bytes = written.unwrap_or_else(as_it_was);
            if piece.content == Content::Text {
                bytes = encoded(&piece.path, piece.charset, bytes, &mut findings);
            }
            files.push(Member { path, bytes });
        }
        for member in members.iter().filter(|member| member.written) {
            for (node, place) in nodes_at(self.tree, member.at.len()) {
                let Some(path) = member.path_of(&place).filter(|_| node.index() >= self.base.len()) else {
                    continue;
                };
                if files.iter().any(|known| known.path == path) {
                    continue;
                }
                changed = true;
                files.push(Member { path, bytes: member.dialect.written(self.tree, node) });
            }
        }
        if changed {
            hashes::renew(&mut files, &FxHashMap::default());
        }
        // A list that lacks a file is made anew.
        let lists = members
            .iter()
            .filter_map(|member| Some((member.path.as_literal()?, member.dialect.checksums()?)));
        let grown = files.len() > source.pieces.len();
        for (list, algorithm) in lists.filter(|_| grown) {
            if let Some(at) = files.iter().position(|file| file.path == list) {
                let hashed: Vec<Member> = files.iter().filter(|file| file.path != list).cloned().collect();
                files[at].bytes = hashes::write(&hashed, algorithm);
            }
        }
        (files, findings)
    }

    /// One file, and those that it includes, where something changed in them; each with its place in the base.
    fn file(&self, top: NodeId, span: Span, dialect: &dyn Codec) -> Vec<(Span, Vec<u8>)> {
        let Self { changes, base, tree, touched, .. } = self;
        if !touched[top.index()] {
            return Vec::new();
        }
        dialect.edit(&File { changes, base, tree, touched, top, span })
    }
}

/// A text in the character set that its file was in; as it is, with a finding, if that lacks something in it.
fn encoded(name: &str, charset: Charset, bytes: Vec<u8>, findings: &mut Findings) -> Vec<u8> {
    if charset == Charset::UTF_8 {
        return bytes;
    }
    match std::str::from_utf8(&bytes).map(|text| charset.encode(text)) {
        Ok(Ok(encoded)) => encoded,
        Ok(Err(lacking)) => {
            let fact = BaseFact::Unencodable { charset: charset.name(), lacking: lacking.to_string() };
            findings.push(Finding::new(fact).of_file(name));
            bytes
        }
        Err(_) => bytes,
    }
}
