//! Names are kept once and known by a small number, so that a node holds four bytes for its name
//! and two names are compared by number.

use rustc_hash::FxHashMap;

/// The number of a name in one tree.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Name(pub(crate) u32);

impl Name {
    /// The number itself, for tables with one entry a name.
    pub(crate) fn index(self) -> usize {
        self.0 as usize
    }
}

/// The names of one tree.
#[derive(Debug, Default, Clone)]
pub(crate) struct Names {
    text: String,
    ends: Vec<u32>,
    known: FxHashMap<Box<str>, Name>,
}

impl Names {
    pub(crate) fn intern(&mut self, name: &str) -> Name {
        if let Some(&known) = self.known.get(name) {
            return known;
        }
        let new = Name(self.ends.len() as u32);
        self.text.push_str(name);
        self.ends.push(self.text.len() as u32);
        self.known.insert(name.into(), new);
        new
    }

    pub(crate) fn get(&self, name: Name) -> &str {
        let start = if name.0 == 0 { 0 } else { self.ends[name.index() - 1] as usize };
        &self.text[start..self.ends[name.index()] as usize]
    }

    pub(crate) fn find(&self, name: &str) -> Option<Name> {
        self.known.get(name).copied()
    }

    pub(crate) fn len(&self) -> usize {
        self.ends.len()
    }
}
