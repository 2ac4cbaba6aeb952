//! Comments stay with the setting or object that they are at: what follows them, what is before them
//! on their line, or else what holds them. Empty lines stay too where statements become statements.

use super::outcome::Engine;
use crate::format::Codec;
use crate::ids::StepId;
use crate::language::profile::Profile;
use crate::scan::inventory::Remark;
use crate::text::source::{LineIndex, Span};
use crate::tree::{BLANK_LINE, Kind, NodeId, TRAILING, Text, Trivia};
use rustc_hash::FxHashSet;

/// Where a comment goes in the new tree.
enum Spot {
    Before(NodeId),
    After(NodeId),
    /// At the end of what holds it.
    Within(NodeId),
}

impl Engine<'_, '_, '_> {
    /// Puts the comments of the old side into the new tree, whose form must have comments. What is
    /// at something that has no place on the new side stays behind.
    pub(super) fn take_comments_along(&mut self) -> Trivia {
        let tree = self.program.tree;
        let mut beside = Trivia::default();
        let mut by_start = None;
        // The lines whose empty lines before them were taken along.
        let mut apart = FxHashSet::default();
        for index in 0..self.program.reading.remarks.len() {
            let remark = self.program.reading.remarks[index];
            let Some(spot) = self.spot_of(remark, &mut by_start) else { continue };
            let span = tree.span(remark.node);
            let old = self.program.step.old().dialect_at(tree, remark.node);
            let new = self.program.step.new_profile().dialect_at(&self.draft.tree, self.holder_of(&spot));
            let (same_form, traits) = (old.format() == new.format(), new.format().traits());
            let is_gap = tree.name(remark.node) == BLANK_LINE;
            // A table has no place for it.
            if !traits.has_comments || is_gap && !(same_form && traits.keeps_blank_lines) {
                continue;
            }
            if !same_form {
                let spelled = new.comment(old.bare_comment(tree.value(remark.node)));
                self.put(&mut beside, &spot, "", span, Text::Decoded(&spelled));
                continue;
            }
            let behind = !matches!(spot, Spot::Within(_)) && self.stood_behind(remark);
            let mut spelled = tree.value_span(remark.node);
            if traits.keeps_blank_lines && self.program.step.number == StepId::FIRST {
                spelled = Some(self.with_space_before(span));
                if !behind && apart.insert(self.line_start(span.start)) {
                    self.put_empty_lines(&mut beside, &spot, span);
                }
            }
            let name = match (behind, is_gap) {
                (true, _) => TRAILING,
                (_, true) => BLANK_LINE,
                _ => "",
            };
            let goes_on = self.would_go_on(old, new, tree.value(remark.node));
            let value = spelled.map_or(Text::Decoded(tree.value(remark.node)), Text::Borrowed);
            let apart = goes_on.then(|| match value {
                Text::Borrowed(span) => format!("{} ", &tree.source().text[span.range()]),
                Text::Decoded(text) => format!("{text} "),
            });
            let value = apart.as_deref().map_or(value, Text::Decoded);
            self.put(&mut beside, &spot, name, span, value);
        }
        if self.program.step.number == StepId::FIRST {
            self.take_empty_lines_along(&mut beside, &mut apart);
        }
        beside
    }

    /// Whether a comment would go on in the next line on the new side, where it did not on the old one: what is there would
    /// hold no more.
    fn would_go_on(&self, old: &dyn Codec, new: &dyn Codec, comment: &str) -> bool {
        let continues = |codec: &dyn Codec, profile: &Profile| {
            codec.continued_comments().is_some_and(|(sign, since)| {
                comment.trim_end_matches('\r').ends_with(sign) && profile.is_since(since)
            })
        };
        continues(new, self.program.step.new_profile()) && !continues(old, self.program.step.old())
    }

    /// Keeps the empty lines before what stays a statement.
    fn take_empty_lines_along(&mut self, beside: &mut Trivia, apart: &mut FxHashSet<usize>) {
        let tree = self.program.tree;
        for index in 0..self.program.reading.rows.len() {
            let mut node = self.program.reading.rows[index].node;
            if !keeps_blank_lines(self.program.step.old().dialect_at(tree, node)) {
                continue;
            }
            let line = self.line_start(tree.span(node).start);
            if !apart.insert(line) {
                continue;
            }
            // What the first word of a line opens is the whole block.
            while tree.parent(node) != self.program.root
                && tree.span(tree.parent(node)).start as usize >= line
            {
                node = tree.parent(node);
            }
            let Some(place) = self.new_place(node) else { continue };
            if keeps_blank_lines(self.program.step.new_profile().dialect_at(&self.draft.tree, place)) {
                self.put_empty_lines(beside, &Spot::Before(place), tree.span(node));
            }
        }
    }

    fn holder_of(&self, spot: &Spot) -> NodeId {
        match *spot {
            Spot::Before(anchor) | Spot::After(anchor) => self.draft.tree.parent(anchor),
            Spot::Within(holder) => holder,
        }
    }

    /// As many as are before the line of something in the backup.
    fn put_empty_lines(&mut self, beside: &mut Trivia, spot: &Spot, span: Span) {
        let before = &self.program.tree.source().text[..self.line_start(span.start)];
        // The last piece is the beginning of the line itself.
        let empty = before.rsplit('\n').skip(1).take_while(|line| line.trim().is_empty()).count();
        (0..empty).for_each(|_| self.put(beside, spot, BLANK_LINE, span, Text::Decoded("")));
    }

    fn put(&mut self, beside: &mut Trivia, spot: &Spot, name: &str, span: Span, value: Text<'_>) {
        let made = self.draft.tree.push(self.holder_of(spot), Kind::Comment, name, span);
        let text = match value {
            Text::Borrowed(span) => &self.program.tree.source().text[span.range()],
            Text::Decoded(text) => text,
        };
        if self.program.step.charset.lacking(text).is_some() {
            let text = self.program.step.charset.with_what_it_has(text);
            self.draft.set_value(made, Text::Decoded(&text));
        } else {
            self.draft.set_value(made, value);
        }
        let (anchor, list) = match *spot {
            Spot::Before(anchor) => (anchor, &mut beside.before),
            Spot::After(anchor) => (anchor, &mut beside.after),
            Spot::Within(_) => return,
        };
        list.entry(anchor).or_default().push(made);
        beside.placed.insert(made);
    }

    /// Where the line begins that something in the backup is on.
    fn line_start(&self, at: u32) -> usize {
        self.lines.get_or_init(|| LineIndex::new(self.program.tree.source())).line_start(at)
    }

    /// A comment with the white space before it on its line.
    fn with_space_before(&self, span: Span) -> Span {
        let line = &self.program.tree.source().text[self.line_start(span.start)..span.start as usize];
        let space = line.len() - line.trim_end_matches([' ', '\t']).len();
        Span { start: span.start - space as u32, ..span }
    }

    fn spot_of(&self, remark: Remark, by_start: &mut Option<Vec<(u32, usize)>>) -> Option<Spot> {
        let spot = self.spot_in_tree(remark, by_start)?;
        if self.program.step.new_profile().format().traits().has_outside {
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

    /// Whether a comment was on the line of what it speaks of.
    fn stood_behind(&self, remark: Remark) -> bool {
        if self.program.step.number > StepId::FIRST {
            return self.program.tree.name(remark.node) == TRAILING;
        }
        // Only the backup itself has lines; what a crossing made has its comments in their places.
        let start = self.program.tree.span(remark.node).start;
        !self.program.tree.source().text[self.line_start(start)..start as usize].trim().is_empty()
    }

    fn spot_in_tree(&self, remark: Remark, by_start: &mut Option<Vec<(u32, usize)>>) -> Option<Spot> {
        let tree = self.program.tree;
        let same_platform = self.program.step.number == StepId::FIRST && self.stood_behind(remark);
        if let Some(previous) = remark.previous.filter(|_| same_platform) {
            // Behind it, on a line of its own, it would seem to speak of what follows.
            return self.new_place(previous).map(Spot::Before);
        }
        match self.next_said_of(remark.node) {
            Some(next) => {
                match self.new_place(next).or_else(|| self.place_of_next(remark.node, by_start)) {
                    Some(found) => Some(Spot::Before(found)),
                    // What is at the head of a file is said of the whole.
                    None if self.is_head(remark.node) => {
                        let holder = self.branch_place(tree.parent(remark.node)).unwrap_or(self.draft.root());
                        Some(self.draft.tree.first_child(holder).map_or(Spot::Within(holder), Spot::Before))
                    }
                    None => None,
                }
            }
            None if tree.parent(remark.node) == NodeId::DOCUMENT => Some(Spot::After(self.draft.root())),
            None => Some(self.last_spot(remark, self.branch_place(tree.parent(remark.node))?)),
        }
    }

    /// The next sibling of a comment that something can be said of. Where many comments follow one another, they are
    /// gone through once.
    fn next_said_of(&self, comment: NodeId) -> Option<NodeId> {
        let tree = self.program.tree;
        let parent = tree.parent(comment);
        if let Some((holder, from, next)) = self.said_of.get()
            && holder == parent
            && comment >= from
            && next.is_none_or(|next| comment < next)
        {
            return next;
        }
        let is_said_of = |kind: Kind| !matches!(kind, Kind::Comment | Kind::Instruction | Kind::OwnText);
        let mut next = std::iter::successors(tree.next_sibling(comment), |&node| tree.next_sibling(node));
        let next = next.find(|&node| is_said_of(tree.kind(node)));
        self.said_of.set(Some((parent, comment, next)));
        next
    }

    /// Where a comment with nothing behind it goes: what the crossing adds comes after it.
    fn last_spot(&self, remark: Remark, holder: NodeId) -> Spot {
        let tree = &self.draft.tree;
        let is_in_holder = |place: &NodeId| tree.parent(*place) == holder;
        match remark.previous {
            Some(previous) => {
                self.new_place(previous).filter(is_in_holder).map_or(Spot::Within(holder), Spot::After)
            }
            None => tree.first_child(holder).map_or(Spot::Within(holder), Spot::Before),
        }
    }

    /// Where the first thing went that follows a comment in the file without a gap and went anywhere: what the
    /// comment is at may have no place of its own. Rows by where they start are gathered when first needed.
    fn place_of_next(&self, comment: NodeId, by_start: &mut Option<Vec<(u32, usize)>>) -> Option<NodeId> {
        if self.program.step.number > StepId::FIRST {
            return None;
        }
        let rows = by_start.get_or_insert_with(|| {
            let rows = self.program.reading.rows.iter().enumerate();
            let mut rows: Vec<(u32, usize)> =
                rows.map(|(index, row)| (self.program.tree.span(row.node).start, index)).collect();
            rows.sort_unstable();
            rows
        });
        let from = rows.partition_point(|&(start, _)| start < self.program.tree.span(comment).end);
        let together =
            |&&(_, row): &&(u32, usize)| !self.stands_apart(comment, self.program.reading.rows[row].node);
        let landed = |&(_, row): &(u32, usize)| self.new_place(self.program.reading.rows[row].node);
        rows[from..].iter().take_while(together).find_map(landed)
    }

    /// Whether an empty line is between a comment and something behind it, in the backup.
    fn stands_apart(&self, comment: NodeId, node: NodeId) -> bool {
        let (from, to) =
            (self.program.tree.span(comment).end as usize, self.program.tree.span(node).start as usize);
        let Some(between) = self.program.tree.source().text.get(from..to) else { return true };
        let lines: Vec<&str> = between.split('\n').collect();
        lines.get(1..lines.len() - 1).unwrap_or_default().iter().any(|line| line.trim().is_empty())
    }

    /// Whether a comment is the first thing in its file, with an empty line behind it.
    fn is_head(&self, comment: NodeId) -> bool {
        let (start, end) =
            (self.program.tree.span(comment).start as usize, self.program.tree.span(comment).end as usize);
        let text = self.program.tree.source().text;
        let first = self.program.tree.span(self.program.tree.parent(comment)).start as usize;
        self.program.step.number == StepId::FIRST
            && text.get(first.min(start)..start).is_some_and(|before| before.trim().is_empty())
            && text[end..].lines().nth(1).is_some_and(|line| line.trim().is_empty())
    }

    /// The element that a node of the old side became, or the first of those below it.
    fn new_place(&self, node: NodeId) -> Option<NodeId> {
        if let Some(branch) = self.branch_place(node) {
            return Some(branch);
        }
        let mut rows = self.program.reading.rows_below(node, self.program.tree);
        let (row, landing) = rows.find_map(|row| Some((row, self.first_landing(row)?)))?;
        let tree = &self.draft.tree;
        // Before an attribute no comment can be, only before its element.
        let is_part = |node: NodeId| matches!(tree.kind(node), Kind::Attribute | Kind::OwnText);
        let mut at = if is_part(landing) { tree.parent(landing) } else { landing };
        // What was said of a whole section is said before it again, if it begins with what landed.
        let mut old = self.program.row(row).node;
        while old != node {
            old = self.program.tree.parent(old);
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
        if node == self.program.root {
            return Some(self.draft.root());
        }
        if let Some(&known) = self.moved_to.get(&node) {
            return Some(known);
        }
        let landing = self.program.reading.row_of(node).and_then(|row| self.first_landing(row))?;
        self.draft.tree.kind(landing).is_branch().then_some(landing)
    }
}

fn keeps_blank_lines(dialect: &dyn Codec) -> bool {
    dialect.format().traits().keeps_blank_lines
}
