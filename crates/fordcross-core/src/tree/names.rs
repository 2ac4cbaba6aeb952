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
    /// The name that was asked for last, and the one that came after each: objects of a kind hold the same names in
    /// the same order, and comparing two texts is quicker than looking one up.
    last: usize,
    after: Vec<Name>,
}

impl Names {
    pub(crate) fn intern(&mut self, name: &str) -> Name {
        if let Some(&likely) = self.after.get(self.last)
            && self.get(likely) == name
        {
            self.last = likely.index();
            return likely;
        }
        let found = match self.known.get(name) {
            Some(&known) => known,
            None => self.add(name),
        };
        self.after[self.last] = found;
        self.last = found.index();
        found
    }

    fn add(&mut self, name: &str) -> Name {
        let new = Name(self.ends.len() as u32);
        self.text.push_str(name);
        self.ends.push(self.text.len() as u32);
        self.known.insert(name.into(), new);
        self.after.push(new);
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
