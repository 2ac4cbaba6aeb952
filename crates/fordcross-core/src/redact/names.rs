//! Names of objects that are no values: keys of JSON and YAML, headings of INI, words of statements, elements of XML,
//! names of files.

use super::Hider;
use crate::language::profile::FileForm;
use crate::text::source::Span;
use crate::tree::pattern::Step;
use crate::tree::{Kind, NodeId};

impl Hider<'_, '_> {
    /// Hides the name of an object where it is spelled; says whether it was found.
    pub(super) fn hide_name(&mut self, node: NodeId) -> bool {
        let name = self.tree.name(node);
        if name.trim().is_empty() {
            return false;
        }
        if self.profile.members.is_file(self.tree, node) {
            return self.hide_file(node, name);
        }
        self.hide_spelled(node, "name")
    }

    fn hide_spelled(&mut self, node: NodeId, word: &str) -> bool {
        let name = self.tree.name(node);
        let places = match self.profile.writing_at(self.tree, node).form {
            FileForm::Json | FileForm::Yaml => self.key_of(node, name).into_iter().collect(),
            FileForm::Ini => self.in_heading(node, name).into_iter().collect(),
            FileForm::Statements => self.in_statements(node, name),
            FileForm::Xml => self.in_tags(node, name),
            _ => Vec::new(),
        };
        if places.is_empty() {
            return false;
        }
        let new = self.instead_of(name, word);
        self.edits.extend(places.into_iter().map(|place| (place, new.clone())));
        true
    }

    /// Hides what is named in place of a secret: a branch stands where its value should.
    pub(super) fn hide_names_within(&mut self, node: NodeId, word: &str) {
        let mut way = Vec::new();
        let mut at = node;
        while at != self.tree.root() && at != NodeId::DOCUMENT && !self.is_secret(at) {
            way.push(at);
            at = self.tree.parent(at);
        }
        if at == self.tree.root() || at == NodeId::DOCUMENT {
            return;
        }
        for node in way.into_iter().filter(|&node| !self.tree.is_transparent(node)) {
            if self.within.insert(node) {
                self.hide_spelled(node, word);
            }
        }
    }

    /// Whether a branch stands where a secret should.
    fn is_secret(&mut self, node: NodeId) -> bool {
        if let Some(&known) = self.secret_branches.get(&node) {
            return known;
        }
        let way = self.tree.names_on_way(node);
        let fits = |steps: &[Step]| {
            steps.len() == way.len()
                && steps.iter().zip(&way).all(|(step, name)| match step {
                    Step::Names(names) => names.iter().any(|known| known == name),
                    Step::Any => true,
                    Step::Below => false,
                })
        };
        let mut secret = self.profile.schema.entries.iter().filter(|entry| entry.is_secret);
        let found = secret.any(|entry| fits(&entry.pattern.steps));
        self.secret_branches.insert(node, found);
        found
    }

    /// Gives the file that an object is another path.
    fn hide_file(&mut self, node: NodeId, name: &str) -> bool {
        let above =
            |node: &NodeId| Some(self.tree.parent(*node)).filter(|&parent| parent != NodeId::DOCUMENT);
        let above = std::iter::successors(Some(node), above).take_while(|&node| node != self.tree.root());
        let mut place: Vec<&str> = above.map(|node| self.tree.name(node)).collect();
        place.reverse();
        let Some(member) = self.profile.members.of_node(self.tree, node) else { return false };
        let Some(old) = member.path_of(&place) else { return false };
        let new = self.instead_of(name, "name");
        if let Some(last) = place.last_mut() {
            *last = &new;
        }
        let Some(path) = member.path_of(&place) else { return false };
        self.paths.insert(old, path);
        true
    }

    /// The name in the start tag and the end tag of an element.
    fn in_tags(&self, node: NodeId, name: &str) -> Vec<Span> {
        let span = self.tree.span(node);
        let text = &self.tree.source().text[span.range()];
        let is_name = |at: usize| {
            let rest = text.get(at..).and_then(|rest| rest.strip_prefix(name));
            rest.is_some_and(|rest| rest.starts_with(|c: char| c.is_whitespace() || matches!(c, '>' | '/')))
        };
        let ends = text.rfind("</").map(|at| at + 2).filter(|&at| is_name(at));
        let places = Some(1).filter(|&at| text.starts_with('<') && is_name(at)).into_iter().chain(ends);
        places.map(|at| Span::new(at, at + name.len()).shifted(span.start as usize)).collect()
    }

    /// The key of a member of a JSON object or a YAML mapping: the last one that stands before its value and behind
    /// what is before it.
    fn key_of(&self, node: NodeId, name: &str) -> Option<Span> {
        let text = self.tree.source().text;
        let parent = self.tree.parent(node);
        let siblings = self.tree.children(parent).take_while(|&child| child != node);
        let from =
            siblings.map(|child| self.tree.span(child).end).max().unwrap_or(self.tree.span(parent).start);
        let to = self.tree.span(node).start.max(from);
        let before = &text[from as usize..to as usize];
        let found = [name.to_owned(), self.as_spelled(name)].into_iter().find_map(|spelled| {
            let is_key = |&(at, _): &(usize, &str)| {
                let behind = before[at + spelled.len()..].trim_start_matches(['"', '\'']);
                let ahead = before[..at].chars().next_back();
                behind.trim_start().starts_with(':')
                    && ahead.is_none_or(|c| c.is_whitespace() || matches!(c, '"' | '\'' | '{' | ',' | '-'))
            };
            before.rmatch_indices(spelled.as_str()).find(is_key).map(|(at, spelled)| (at, spelled.len()))
        });
        // In a block the mapping itself begins with its first key.
        let (at, length) = found?;
        Some(Span::new(from as usize + at, from as usize + at + length))
    }

    /// The name in the heading of a section.
    fn in_heading(&self, node: NodeId, name: &str) -> Option<Span> {
        let span = self.tree.span(node);
        let line = self.tree.source().text[span.range()].lines().next().unwrap_or_default();
        let at = line.rfind(name)?;
        Some(Span::new(at, at + name.len()).shifted(span.start as usize))
    }

    /// The name in each statement that makes something of the object.
    fn in_statements(&self, node: NodeId, name: &str) -> Vec<Span> {
        let text = self.tree.source().text;
        let mut places = Vec::new();
        let mut work: Vec<NodeId> = self.tree.children(node).collect();
        work.push(node);
        while let Some(at) = work.pop() {
            if matches!(self.tree.kind(at), Kind::Comment | Kind::Instruction) {
                continue;
            }
            let span = self.tree.span(at);
            let line = text[span.range()].lines().next().unwrap_or_default();
            let is_word = |&(at, _): &(usize, &str)| {
                let ends = |c: Option<char>| c.is_none_or(|c| c.is_whitespace() || matches!(c, '"' | '\''));
                ends(line[..at].chars().next_back()) && ends(line[at + name.len()..].chars().next())
            };
            let found: Vec<usize> = line.match_indices(name).filter(is_word).map(|(at, _)| at).collect();
            // A first word that is called the same is the statement's own.
            let place = match found.as_slice() {
                [0, second, ..] => Some(*second),
                [first, ..] => Some(*first),
                [] => None,
            };
            match place {
                Some(place) => {
                    let place = Span::new(place, place + name.len()).shifted(span.start as usize);
                    if !places.contains(&place) {
                        places.push(place);
                    }
                }
                None => work.extend(self.tree.children(at)),
            }
        }
        places
    }
}
