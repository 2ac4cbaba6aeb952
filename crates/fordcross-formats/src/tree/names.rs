//! Names are kept once and known by a small number, so that a node holds four bytes for its name
//! and two names are compared by number.

use hashbrown::HashTable;
use rustc_hash::FxHasher;
use std::hash::Hasher as _;

/// The number of a name in one tree.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Name(pub u32);

impl Name {
    /// The number itself, for tables with one entry a name.
    pub fn index(self) -> usize {
        self.0 as usize
    }
}

/// The names of one tree.
#[derive(Debug, Default, Clone)]
pub(crate) struct Names {
    text: String,
    ends: Vec<u32>,
    /// Found by the hash of their texts, which are in `text` alone.
    known: HashTable<Name>,
    /// The name that was asked for last, and the one that came after each: objects of a kind hold the same names in
    /// the same order, and comparing two texts is quicker than looking one up.
    last: usize,
    after: Vec<Name>,
}

impl Names {
    /// The id of a name, which is new if it was not there.
    pub(crate) fn intern(&mut self, name: &str) -> Name {
        if let Some(&likely) = self.after.get(self.last)
            && self.get(likely) == name
        {
            self.last = likely.index();
            return likely;
        }
        let found = self.find(name).unwrap_or_else(|| self.add(name));
        self.after[self.last] = found;
        self.last = found.index();
        found
    }

    fn add(&mut self, name: &str) -> Name {
        let new = Name(self.ends.len() as u32);
        self.text.push_str(name);
        self.ends.push(self.text.len() as u32);
        let (text, ends) = (&self.text, &self.ends);
        self.known.insert_unique(hash_of(name), new, |known| hash_of(text_of(text, ends, *known)));
        self.after.push(new);
        new
    }

    /// The text of a name.
    pub(crate) fn get(&self, name: Name) -> &str {
        text_of(&self.text, &self.ends, name)
    }

    /// The id of a name that is there.
    pub(crate) fn find(&self, name: &str) -> Option<Name> {
        self.known.find(hash_of(name), |known| self.get(*known) == name).copied()
    }

    /// How many names there are.
    pub(crate) fn len(&self) -> usize {
        self.ends.len()
    }
}

fn text_of<'t>(text: &'t str, ends: &[u32], name: Name) -> &'t str {
    let start = if name.0 == 0 { 0 } else { ends[name.index() - 1] as usize };
    &text[start..ends[name.index()] as usize]
}

fn hash_of(name: &str) -> u64 {
    let mut hasher = FxHasher::default();
    hasher.write(name.as_bytes());
    hasher.finish()
}
