//! How the lines of a written file are indented.

/// Lines and their indentation.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Layout<'l> {
    /// A line for each member.
    Lines {
        /// What stands before every line but the first.
        margin: &'l str,
        /// What each level adds.
        level: &'l str,
    },
    /// All on one line.
    Inline,
}

impl Layout<'static> {
    /// Two spaces a level.
    pub(crate) const OURS: Self = Self::Lines { margin: "", level: "  " };
}

impl Layout<'_> {
    /// Begins a line; where all stands on one, only puts a space behind a comma.
    pub(crate) fn new_line(self, depth: usize, out: &mut Vec<u8>) {
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
