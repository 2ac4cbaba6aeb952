//! The files that a backup of several has.

use crate::format::{Dialect, Format};
use crate::text::shape::{Part, Shape};
use crate::tree::pattern::{Pattern, Step};
use crate::tree::{NodeId, Tree};
use wildmatch::WildMatch;

/// The branch of files that no profile names.
pub const OTHER_FILES: &str = "other-files";

/// What several files are in, when they are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Container {
    /// A folder.
    Folder,
    /// A tar archive.
    Tar,
    /// A tar archive, packed with gzip.
    TarGzip,
    /// A zip archive.
    Zip,
}

impl Container {
    /// All containers, with their words in profiles.
    pub const ALL: [(&'static str, Self); 4] =
        [("folder", Self::Folder), ("tar", Self::Tar), ("tar.gz", Self::TarGzip), ("zip", Self::Zip)];

    /// The word for it in profiles, and the ending of its files; a folder has none.
    pub fn ending(self) -> Option<&'static str> {
        let found = Self::ALL.iter().find(|(_, container)| *container == self);
        found.map(|(word, _)| *word).filter(|_| self != Self::Folder)
    }
}

/// All files that a platform's backups have, and what they are in.
#[derive(Clone, Debug, Default)]
pub struct Members {
    /// What they are in when they are written; a folder, where nothing is said.
    pub container: Option<Container>,
    /// The files, in the order in which they are written.
    pub files: Vec<Member>,
    /// The folders that hold such a configuration on its systems, with `*` for any name.
    pub folders: Vec<String>,
    /// What files are called that editors and packages leave behind and the system does not read.
    pub leftovers: Vec<String>,
}

/// One file of a platform's backups, or several that differ in a part of their path.
#[derive(Clone, Debug)]
pub struct Member {
    /// Its path, in which captures may be.
    pub path: Shape,
    /// Where it is in the tree, with the same captures.
    pub at: Vec<Shape>,
    /// How it is written.
    pub dialect: Dialect,
    /// A backup without it is not whole.
    pub needed: bool,
    /// It holds no configuration but what was made with it.
    pub data: bool,
    /// Words that lines of such a file begin with, by which it is known where it is alone and called otherwise.
    pub signs: Vec<String>,
    /// It is among what we write; the system makes the others itself.
    pub written: bool,
}

impl Member {
    /// Where a file of that path is in the tree.
    pub fn place_of(&self, path: &str) -> Option<Vec<String>> {
        let found = self.path.read(path, &mut |_, text| !text.contains('/'))?;
        let texts = found.into_iter().map(|range| range.map_or("", |range| &path[range]));
        let named: Vec<(&str, &str)> = self.path.captures().zip(texts).collect();
        Some(self.at.iter().map(|step| fill(step, &named)).collect())
    }

    /// Where it is in the tree, as a profile writes it.
    pub fn place(&self) -> String {
        self.at.iter().map(Shape::to_string).collect::<Vec<_>>().join("/")
    }

    /// Whether it is at that place.
    pub fn is_at(&self, place: &str) -> bool {
        self.place() == place
    }

    /// Its place, where there is one file of it.
    pub fn only_place(&self) -> Option<Vec<String>> {
        self.at.iter().map(|step| step.as_literal().map(str::to_owned)).collect()
    }

    /// How many lines of a text begin with a word that marks such files.
    pub fn signs_in(&self, text: &str) -> usize {
        let has_sign = |line: &&str| {
            let word = line.split([' ', '\t', '=']).find(|word| !word.is_empty()).unwrap_or_default();
            self.signs.iter().any(|sign| sign == word)
        };
        if self.signs.is_empty() { 0 } else { text.lines().filter(has_sign).count() }
    }

    /// The path of the file at a place of the tree.
    pub fn path_of(&self, place: &[&str]) -> Option<String> {
        if place.len() != self.at.len() {
            return None;
        }
        let mut named = Vec::new();
        for (step, &name) in self.at.iter().zip(place) {
            let found = step.read(name, &mut |_, _| true)?;
            let texts = found.into_iter().map(|range| range.map_or("", |range| &name[range]));
            named.extend(step.captures().zip(texts));
        }
        Some(fill(&self.path, &named))
    }

    /// Whether a pattern of settings or objects leads into it.
    pub fn leads_to(&self, pattern: &Pattern) -> bool {
        pattern.steps.len() >= self.at.len()
            && self.at.iter().zip(&pattern.steps).all(|(at, step)| match (at.as_literal(), step) {
                (Some(at), Step::Names(names)) => names.iter().any(|name| name == at),
                _ => true,
            })
    }
}

fn fill(shape: &Shape, named: &[(&str, &str)]) -> String {
    let text = |part: &Part| match part {
        Part::Literal(text) => text.clone(),
        Part::Capture(capture) => named
            .iter()
            .find(|(known, _)| *known == capture.name)
            .map_or_else(String::new, |(_, text)| (*text).to_owned()),
        Part::Any | Part::Choice { .. } => String::new(),
    };
    shape.parts.iter().map(text).collect()
}

impl Members {
    /// Whether a file is one that was left behind. Whatever is included is none.
    pub fn is_leftover(&self, path: &str) -> bool {
        let name = path.rsplit('/').next().unwrap_or(path);
        self.leftovers.iter().any(|known| WildMatch::new(known).matches(name))
    }

    /// The file that a node of a tree is in.
    pub fn of_node(&self, tree: &Tree<'_>, node: NodeId) -> Option<&Member> {
        let mut path = vec![node];
        while let Some(&last) = path.last() {
            let parent = tree.parent(last);
            if parent == tree.root() || parent == NodeId::DOCUMENT {
                break;
            }
            path.push(parent);
        }
        let names: Vec<&str> = path.iter().rev().map(|&node| tree.name(node)).collect();
        self.files
            .iter()
            .find(|member| names.get(..member.at.len()).and_then(|place| member.path_of(place)).is_some())
    }

    /// The names at the top of the tree, in the order in which files are written.
    pub fn top_order(&self) -> Vec<String> {
        let mut order: Vec<String> = Vec::new();
        for name in self.files.iter().filter_map(|member| member.at.first()?.as_literal()) {
            if !order.iter().any(|known| known == name) {
                order.push(name.to_owned());
            }
        }
        order
    }

    /// Whether a node is a whole file.
    pub fn is_file(&self, tree: &Tree<'_>, node: NodeId) -> bool {
        let mut depth = 0;
        let mut at = node;
        while at != tree.root() && at != NodeId::DOCUMENT {
            at = tree.parent(at);
            depth += 1;
        }
        self.of_node(tree, node).is_some_and(|member| member.at.len() == depth)
    }

    /// The format of the file that a pattern leads into.
    pub fn format_of(&self, pattern: &Pattern) -> Option<Format> {
        self.files.iter().find(|member| member.leads_to(pattern)).map(|member| member.dialect.format())
    }
}
