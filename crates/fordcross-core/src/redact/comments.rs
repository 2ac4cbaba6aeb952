//! Comments, and what else of a file says nothing to the unit: a setting that was commented out is the commonest place of
//! an old password.

use super::{Hider, is_whole_word};
use crate::tree::{Kind, NodeId};

/// What is in the place of a comment.
const HIDDEN: &str = "redacted";

impl Hider<'_, '_> {
    /// Hides comments, and processing instructions of XML; those that stay are `texts`, in which hidden values are
    /// looked for. Gives how many were hidden.
    pub(super) fn hide_comments(&mut self, keeps: bool, texts: &mut Vec<NodeId>) -> usize {
        let keys = self.secret_names();
        let mut hidden = 0;
        for node in self.tree.ids() {
            let kind = self.tree.kind(node);
            let is_instruction = kind == Kind::Instruction
                && self.profile.dialect_at(self.tree, node).is_instruction(self.tree, node);
            if kind != Kind::Comment && !is_instruction {
                continue;
            }
            let span = self.tree.span(node);
            let raw = &self.tree.source().text[span.range()];
            let could_be_setting = || {
                keys.iter().any(|key| {
                    raw.match_indices(key.as_str()).any(|(at, key)| is_whole_word(raw, at..at + key.len()))
                })
            };
            if keeps && !is_instruction && !could_be_setting() {
                texts.push(node);
                continue;
            }
            let lines: String = raw.chars().filter(|c| *c == '\n').collect();
            let new = if is_instruction {
                format!("<?{HIDDEN}{lines}?>")
            } else if raw.starts_with("<!--") {
                format!("<!-- {HIDDEN}{lines} -->")
            } else if raw.starts_with("/*") {
                format!("/* {HIDDEN}{lines} */")
            } else {
                let mark: String =
                    raw.chars().take_while(|c| !c.is_alphanumeric() && !c.is_whitespace()).collect();
                // A mark of quotes or brackets could begin what is meant.
                let mark = mark.chars().take_while(|c| "#;/!-".contains(*c)).take(2).collect::<String>();
                format!("{} {HIDDEN}{lines}", if mark.is_empty() { "#" } else { &mark })
            };
            self.edits.push((span, new));
            hidden += 1;
        }
        hidden
    }

    /// What settings that hold secrets are called.
    fn secret_names(&self) -> Vec<String> {
        let entries = self.profile.schema.entries.iter();
        let mut names: Vec<String> = entries
            .filter(|entry| entry.is_secret)
            .filter_map(|entry| entry.pattern.steps.last())
            .flat_map(|step| match step {
                crate::tree::pattern::Step::Names(names) => names.clone(),
                _ => Vec::new(),
            })
            .collect();
        names.extend(["password", "passwd", "passphrase", "secret", "psk"].map(str::to_owned));
        names.sort();
        names.dedup();
        names
    }
}
