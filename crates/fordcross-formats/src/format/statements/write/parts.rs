//! The parts of statements as words.

use super::{Half, Line, NodeId, Pairs, Part, Statement, VALUE, Writer};

impl<'w, 'a> Writer<'w, 'a> {
    pub(super) fn parts<'n>(
        &self,
        statement: &Statement,
        parts: &[Part],
        node: NodeId,
        in_path: &dyn Fn(&str) -> Option<&'n str>,
        line: &mut Line,
    ) {
        let tree = self.tree;
        let all = |name: &str| -> Vec<NodeId> {
            tree.children(node)
                .filter(|&child| tree.name(child) == name && tree.kind(child).is_value())
                .collect()
        };
        for part in parts {
            match part {
                Part::Word(word) => line.word(&word.to_string()),
                Part::Glue => line.glued = true,
                Part::Choice(choices) => {
                    // The first that says what there is.
                    let chosen =
                        choices.iter().find(|choice| self.has_all(choice, node, line)).or(choices.first());
                    if let Some(choice) = chosen {
                        self.parts(statement, choice, node, in_path, line);
                    }
                }
                Part::Capture(name, _) if statement.pairs_of(name).is_some() => {
                    let pairs = statement.pairs_of(name);
                    let text = pairs.map(|pairs| self.pairs_inside(pairs, node)).unwrap_or_default();
                    line.word(&self.spelling().quoted(&text));
                }
                // One of certain words is a word of the language, and is so without quotes only.
                Part::Capture(name, choice) if !choice.is_empty() && in_path(name).is_some() => {
                    line.word(in_path(name).unwrap_or_default());
                }
                Part::Capture(name, _) => match in_path(name) {
                    Some(text) => line.word(&self.spelling().quoted(text)),
                    None if name == VALUE && !tree.kind(node).is_branch() => {
                        line.word_after(&self.spelling().leaf(node), self.spelling().before(node));
                    }
                    None => {
                        let leaf = all(name).first().copied();
                        leaf.iter().for_each(|&leaf| {
                            line.word_after(&self.spelling().leaf(leaf), self.spelling().before(leaf));
                        });
                        line.said.push(name.clone());
                    }
                },
                Part::Rest(name) => {
                    let leaf = if name == VALUE && !tree.kind(node).is_branch() {
                        Some(node)
                    } else {
                        all(name).first().copied()
                    };
                    // Words are written as they were read; only what is no word is quoted. Up to a block, what ends statements
                    // elsewhere is one of them.
                    let is_head = statement.block.is_some() && statement.is_head();
                    leaf.iter().for_each(|&leaf| {
                        let value = tree.value(leaf);
                        let text = if is_head { value.to_owned() } else { self.spelling().rest(value) };
                        line.word_after(&text, self.spelling().before(leaf));
                    });
                }
                Part::Several(name) => {
                    all(name).iter().for_each(|&leaf| {
                        line.word_after(&self.spelling().leaf(leaf), self.spelling().before(leaf));
                    });
                }
                Part::List(name, between) => {
                    let leaves = all(name);
                    let words: Vec<&str> = leaves.iter().map(|leaf| tree.value(*leaf)).collect();
                    line.word_after(
                        &words.join(between),
                        leaves.first().and_then(|&leaf| self.spelling().before(leaf)),
                    );
                }
                Part::Pair(..) => {}
                Part::Optional(group) => {
                    if self.has_all(group, node, line) && self.says_something(group, node, line) {
                        self.parts(statement, group, node, in_path, line);
                    }
                }
                Part::Repeated(group) => {
                    let holder = group.iter().find_map(|part| match part {
                        Part::Pair(name, ..) => tree.child(node, name),
                        _ => None,
                    });
                    self.pairs(group, holder, line);
                }
            }
        }
    }

    /// Whether a branch has all that parts capture, and none of it was written already.
    fn has_all(&self, parts: &[Part], node: NodeId, line: &Line) -> bool {
        let is_there = |name: &String| {
            // What may be missing of a value is there if it is not the empty text.
            if name == VALUE && !self.tree.kind(node).is_branch() {
                return !self.tree.value(node).is_empty();
            }
            let is_it = |&child: &NodeId| self.tree.name(child) == name && self.tree.kind(child).is_value();
            self.tree.children(node).any(|child| is_it(&child)) && !line.said.contains(name)
        };
        parts.iter().all(|part| match part {
            // It can be in one of several places, and was written in another.
            Part::Capture(name, _) | Part::Rest(name) | Part::Several(name) | Part::List(name, _) => {
                is_there(name)
            }
            Part::Choice(choices) => choices.iter().any(|choice| self.has_all(choice, node, line)),
            _ => true,
        })
    }

    /// Whether parts say anything: words alone do not, and are left away; a mark is written where it may be.
    fn says_something(&self, parts: &[Part], node: NodeId, line: &Line) -> bool {
        parts.iter().any(|part| match part {
            Part::Word(word) => word
                .as_literal()
                .is_some_and(|word| word.chars().all(|c| self.grammar.punctuation.contains(&c))),
            Part::Glue => false,
            Part::Choice(choices) => choices.iter().any(|choice| self.says_something(choice, node, line)),
            Part::Optional(group) => {
                self.has_all(group, node, line) && self.says_something(group, node, line)
            }
            Part::Repeated(group) => group.iter().any(|part| match part {
                Part::Pair(name, ..) => self.tree.child(node, name).is_some(),
                _ => false,
            }),
            _ => true,
        })
    }

    /// A text of pairs: the values of a branch.
    pub(super) fn pairs_inside(&self, pairs: &Pairs, branch: NodeId) -> String {
        let mut out = Vec::new();
        let mut line = Line::default();
        let within = Writer::new(self.tree, &pairs.grammar, &mut out);
        if let [Part::Repeated(group)] = pairs.shape.parts.as_slice() {
            within.pairs(group, Some(branch), &mut line);
        }
        String::from_utf8(line.out).unwrap_or_default()
    }

    /// The values of a branch as pairs, one after the other.
    pub(super) fn pairs(&self, group: &[Part], holder: Option<NodeId>, line: &mut Line) {
        let leaves = holder.into_iter().flat_map(|holder| self.tree.children(holder).collect::<Vec<_>>());
        for leaf in leaves.filter(|&leaf| self.tree.kind(leaf).is_value()) {
            for part in group {
                match part {
                    Part::Word(word) => line.word(&word.to_string()),
                    Part::Glue => line.glued = true,
                    Part::Pair(_, Half::Key, _) => line.word(&self.spelling().quoted(self.tree.name(leaf))),
                    Part::Pair(_, Half::Value, _) => {
                        line.word_after(&self.spelling().leaf(leaf), self.spelling().before(leaf));
                    }
                    _ => {}
                }
            }
        }
    }
}
