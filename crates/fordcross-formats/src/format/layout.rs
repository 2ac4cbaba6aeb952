//! How the lines of a written file are indented.

/// Lines and their indentation.
#[derive(Clone, Copy, Debug)]
pub(super) enum Layout<'l> {
    /// A line for each member.
    Lines {
        /// What is before every line but the first.
        margin: &'l str,
        /// What each level adds.
        level: &'l str,
    },
    /// All on one line.
    Inline,
}

impl Layout<'static> {
    /// Two spaces a level.
    pub(super) const OURS: Self = Self::Lines { margin: "", level: "  " };
}

/// A layout with the beginning of its deepest line so far, of which those of all others are parts.
#[derive(Clone, Debug)]
pub(super) struct Indentation<'l> {
    layout: Layout<'l>,
    line: Vec<u8>,
    deepest: usize,
}

impl<'l> Indentation<'l> {
    pub(super) fn new(layout: Layout<'l>) -> Self {
        Self { layout, line: Vec::new(), deepest: 0 }
    }

    /// As [`Layout::new_line`], for many lines.
    pub(super) fn new_line(&mut self, depth: usize, out: &mut Vec<u8>) {
        let Layout::Lines { margin, level } = self.layout else { return self.layout.new_line(depth, out) };
        if self.line.is_empty() || depth > self.deepest {
            self.deepest = self.deepest.max(depth);
            self.line.clear();
            self.layout.new_line(self.deepest, &mut self.line);
        }
        out.extend_from_slice(&self.line[..1 + margin.len() + depth * level.len()]);
    }
}

impl Layout<'_> {
    /// Begins a line; where all is on one, only puts a space behind a comma.
    pub(super) fn new_line(self, depth: usize, out: &mut Vec<u8>) {
        match self {
            Self::Lines { margin, level } => {
                out.push(b'\n');
                out.extend_from_slice(margin.as_bytes());
                for _ in 0..depth {
                    out.extend_from_slice(level.as_bytes());
                }
            }
            Self::Inline if out.last() == Some(&b',') => out.push(b' '),
            Self::Inline => {}
        }
    }
}
