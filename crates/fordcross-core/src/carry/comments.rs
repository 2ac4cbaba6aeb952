//! Comments stay with the setting or object that they stand at: what follows them, what is before them
//! on their line, or else what holds them.

use super::apply::Apply;
use crate::form::Writing;
use crate::profile::FileForm;
use crate::reading::Remark;
use crate::statements::BEHIND;
use crate::tree::{Beside, Kind, NodeId, Text};
use crate::xml::is_allowed;

/// Where a comment goes in the new tree.
enum Spot {
    Before(NodeId),
    After(NodeId),
    /// At the end of what holds it.
    Within(NodeId),
}

impl Apply<'_, '_, '_> {
    /// Puts the comments of the old side into the new tree, whose form must have comments. What stands
    /// at something that has no place on the new side stays behind.
    pub(super) fn take_comments_along(&mut self) -> Beside {
        let mut beside = Beside::default();
        let mut by_start = None;
        for index in 0..self.reading.remarks.len() {
            let remark = self.reading.remarks[index];
            let Some(spot) = self.spot_of(remark, &mut by_start) else { continue };
            let (anchor, list) = match spot {
                Spot::Before(anchor) => (anchor, Some(&mut beside.before)),
                Spot::After(anchor) => (anchor, Some(&mut beside.after)),
                Spot::Within(holder) => (holder, None),
            };
            let parent = if list.is_some() { self.draft.tree.parent(anchor) } else { anchor };
            let span = self.tree.span(remark.node);
            let old = self.step.old().writing_at(self.tree, remark.node);
            let new = self.step.new_profile().writing_at(&self.draft.tree, parent);
            // A table has no place for it.
            if !new.form.has_comments() {
                continue;
            }
            let same_form = old.form == new.form;
            let spelled = (!same_form).then(|| Self::spelled_anew(self.tree.value(remark.node), old, new));
            let behind = list.is_some() && self.stood_behind(remark);
            let name = if behind { BEHIND } else { "" };
            let made = self.draft.tree.push(parent, Kind::Comment, name, span);
            match self.tree.value_span(remark.node).filter(|_| same_form) {
                Some(span) => self.draft.set_value(made, Text::Borrowed(span)),
                None if same_form => self.draft.set_value(made, Text::Decoded(self.tree.value(remark.node))),
                None => self.draft.set_value(made, Text::Decoded(&spelled.unwrap_or_default())),
            }
            if let Some(list) = list {
                list.entry(anchor).or_default().push(made);
                beside.placed.insert(made);
            }
        }
        beside
    }

    /// A comment of another form, as the new one has it.
    fn spelled_anew(comment: &str, old: &Writing, new: &Writing) -> String {
        let bare = old.bare_comment(comment);
        // Each line is a comment of its own.
        if let Some(mark) = new.comment_mark() {
            let lines: Vec<String> = bare.lines().map(|line| format!("{mark} {}", line.trim())).collect();
            return lines.join("\n");
        }
        // XML 1.0, production 15: two hyphens would end it. What XML cannot hold is a space.
        let mut text = String::from(" ");
        for c in bare.chars() {
            if c == '-' && text.ends_with('-') {
                text.push(' ');
            }
            text.push(if is_allowed(c) { c } else { ' ' });
        }
        text + " "
    }

    fn spot_of(&self, remark: Remark, by_start: &mut Option<Vec<(u32, usize)>>) -> Option<Spot> {
        let spot = self.spot_in_tree(remark, by_start)?;
        // Only XML has something outside its outermost branch.
        if self.step.new_profile().form == FileForm::Xml {
            return Some(spot);
        }
        let root = self.draft.root();
        Some(match spot {
            Spot::Before(node) if node == root => {
                self.draft.tree.first_child(root).map_or(Spot::Within(root), Spot::Before)
            }
            Spot::After(node) if node == root => Spot::Within(root),
            spot => spot,
        })
    }

    /// Whether a comment stood on the line of what it speaks of.
    fn stood_behind(&self, remark: Remark) -> bool {
        if self.step.number > 0 {
            return self.tree.name(remark.node) == BEHIND;
        }
        // Only the backup itself has lines; what a crossing made has its comments in their places.
        let before = &self.tree.source().text[..self.tree.span(remark.node).start as usize];
        before.rsplit('\n').next().is_some_and(|line| !line.trim().is_empty())
    }

    fn spot_in_tree(&self, remark: Remark, by_start: &mut Option<Vec<(u32, usize)>>) -> Option<Spot> {
        let tree = self.tree;
        let same_line = self.step.number == 0 && self.stood_behind(remark);
        if let Some(previous) = remark.previous.filter(|_| same_line) {
            // Behind it, on a line of its own, it would seem to speak of what follows.
            return self.new_place(previous).map(Spot::Before);
        }
        let is_said_of = |kind: Kind| !matches!(kind, Kind::Comment | Kind::Instruction | Kind::OwnText);
        let next = std::iter::successors(tree.next_sibling(remark.node), |&node| tree.next_sibling(node));
        let mut next = next.filter(|&node| is_said_of(tree.kind(node)));
        match next.next() {
            Some(next) => {
                match self.new_place(next).or_else(|| self.place_of_next(remark.node, by_start)) {
                    Some(found) => Some(Spot::Before(found)),
                    // What stands at the head of a file is said of the whole.
                    None if self.is_head(remark.node) => {
                        let holder = self.branch_place(tree.parent(remark.node)).unwrap_or(self.draft.root());
                        Some(self.draft.tree.first_child(holder).map_or(Spot::Within(holder), Spot::Before))
                    }
                    None => None,
                }
            }
            None if tree.parent(remark.node) == NodeId::DOCUMENT => Some(Spot::After(self.draft.root())),
            None => self.branch_place(tree.parent(remark.node)).map(Spot::Within),
        }
    }

    /// Where the first thing went that follows a comment in the file without a gap and went anywhere: what the
    /// comment stands at may have no place of its own. Rows by where they start are gathered when first needed.
    fn place_of_next(&self, comment: NodeId, by_start: &mut Option<Vec<(u32, usize)>>) -> Option<NodeId> {
        if self.step.number > 0 {
            return None;
        }
        let rows = by_start.get_or_insert_with(|| {
            let rows = self.reading.rows.iter().enumerate();
            let mut rows: Vec<(u32, usize)> =
                rows.map(|(index, row)| (self.tree.span(row.node).start, index)).collect();
            rows.sort_unstable();
            rows
        });
        let from = rows.partition_point(|&(start, _)| start < self.tree.span(comment).end);
        let together = |&&(_, row): &&(u32, usize)| !self.stands_apart(comment, self.reading.rows[row].node);
        let landed = |&(_, row): &(u32, usize)| self.new_place(self.reading.rows[row].node);
        rows[from..].iter().take_while(together).find_map(landed)
    }

    /// Whether an empty line stands between a comment and something behind it, in the backup.
    fn stands_apart(&self, comment: NodeId, node: NodeId) -> bool {
        let (from, to) = (self.tree.span(comment).end as usize, self.tree.span(node).start as usize);
        let Some(between) = self.tree.source().text.get(from..to) else { return true };
        let lines: Vec<&str> = between.split('\n').collect();
        lines.get(1..lines.len() - 1).unwrap_or_default().iter().any(|line| line.trim().is_empty())
    }

    /// Whether a comment is the first thing in its file, with an empty line behind it.
    fn is_head(&self, comment: NodeId) -> bool {
        let (start, end) = (self.tree.span(comment).start as usize, self.tree.span(comment).end as usize);
        let text = self.tree.source().text;
        let first = self.tree.span(self.tree.parent(comment)).start as usize;
        self.step.number == 0
            && text.get(first.min(start)..start).is_some_and(|before| before.trim().is_empty())
            && text[end..].lines().nth(1).is_some_and(|line| line.trim().is_empty())
    }

    /// The element that a node of the old side became, or the first of those below it.
    fn new_place(&self, node: NodeId) -> Option<NodeId> {
        if let Some(branch) = self.branch_place(node) {
            return Some(branch);
        }
        let mut rows = self.reading.rows_below(node, self.tree);
        let (row, landing) = rows.find_map(|row| Some((row, self.first_landing(row)?)))?;
        let tree = &self.draft.tree;
        // Before an attribute no comment can stand, only before its element.
        let is_part = |node: NodeId| matches!(tree.kind(node), Kind::Attribute | Kind::OwnText);
        let mut at = if is_part(landing) { tree.parent(landing) } else { landing };
        // What was said of a whole section is said before it again, if it begins with what landed.
        let mut old = self.reading.rows[row].node;
        while old != node {
            old = self.tree.parent(old);
            let holder = tree.parent(at);
            let first = tree.children(holder).find(|&child| !is_part(child));
            if holder == self.draft.root() || first != Some(at) {
                break;
            }
            at = holder;
        }
        Some(at)
    }

    /// The branch that a branch of the old side became.
    fn branch_place(&self, node: NodeId) -> Option<NodeId> {
        if node == self.root {
            return Some(self.draft.root());
        }
        if let Some(&known) = self.counterparts.get(&node) {
            return Some(known);
        }
        let landing = self.reading.row_of(node).and_then(|row| self.first_landing(row))?;
        self.draft.tree.kind(landing).is_branch().then_some(landing)
    }
}
