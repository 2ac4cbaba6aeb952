//! Which modules need which. Modules beside each other, in the crate or in a folder of it, need each other one way only; the
//! modules of the core's first level are its rooms.

use crate::Failed;
use crate::workspace::root;
use petgraph::algo::tarjan_scc;
use petgraph::graph::DiGraph;
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::io::Write;
use std::path::{Path, PathBuf};
use syn::visit::{self, Visit};
use syn::{Item, UseTree};

/// The path of a module from the root of its crate; none for the root itself.
type Module = Vec<String>;

/// The modules of a crate, and what each names of the others.
pub(crate) struct Crate {
    /// With what each names: the module and as many further names as are there.
    files: BTreeMap<Module, BTreeSet<Vec<String>>>,
    /// What a module takes over from others under a name of its own.
    reexports: BTreeMap<Vec<String>, Vec<String>>,
}

/// One level: a module, or the crate, with the modules in it.
#[derive(Debug)]
pub(crate) struct Level {
    pub(crate) module: Module,
    /// Which of them need which.
    pub(crate) arrows: BTreeSet<(String, String)>,
    /// Those that need one another.
    pub(crate) knots: Vec<Vec<String>>,
}

impl Crate {
    /// Reads the sources of a crate; tests are left out, which may name what they like.
    pub(crate) fn read(folder: &Path) -> Result<Self, Failed> {
        let mut read = Self { files: BTreeMap::new(), reexports: BTreeMap::new() };
        let mut waiting = vec![folder.to_owned()];
        while let Some(at) = waiting.pop() {
            for entry in fs::read_dir(&at)? {
                let path = entry?.path();
                if path.is_dir() {
                    waiting.push(path);
                } else if path.extension().is_some_and(|ending| ending == "rs") {
                    read.add(folder, &path)?;
                }
            }
        }
        Ok(read)
    }

    fn add(&mut self, folder: &Path, path: &Path) -> Result<(), Failed> {
        let inside = path.strip_prefix(folder)?.with_extension("");
        let mut module: Module = inside.iter().map(|part| part.to_string_lossy().into_owned()).collect();
        if module.last().is_some_and(|last| matches!(last.as_str(), "mod" | "lib" | "main")) {
            module.pop();
        }
        if module
            .iter()
            .any(|part| part.starts_with("tests") || part.ends_with("_test") || part.ends_with("_tests"))
        {
            return Ok(());
        }
        let file = syn::parse_file(&fs::read_to_string(path)?)
            .map_err(|error| format!("{}: {error}", path.display()))?;
        let mut names = Names { module: module.clone(), found: BTreeSet::new(), reexports: Vec::new() };
        names.visit_file(&file);
        self.reexports.extend(names.reexports);
        self.files.entry(module).or_default().extend(names.found);
        Ok(())
    }

    /// What a name stands for that a module took over from another.
    fn resolved(&self, path: &[String]) -> Vec<String> {
        let mut path = path.to_vec();
        // Once for each module that passes it on.
        for _ in 0..8 {
            let known = (1..=path.len()).rev().find_map(|length| {
                let target = self.reexports.get(&path[..length])?;
                Some([target.as_slice(), &path[length..]].concat())
            });
            match known {
                Some(target) if target != path => path = target,
                _ => break,
            }
        }
        path
    }

    /// Which modules of the crate's first level need which of another crate.
    fn needs_of(&self, other: &str) -> BTreeSet<(String, String)> {
        let of = |module: &Module, path: &[String]| {
            let [first, room, ..] = path else { return None };
            (first == other && room.starts_with(char::is_lowercase))
                .then(|| module.first().map(|from| (from.clone(), room.clone())))
                .flatten()
        };
        let all = self.files.iter().flat_map(|(module, names)| names.iter().map(move |name| (module, name)));
        all.filter_map(|(module, name)| of(module, &self.resolved(name))).collect()
    }

    /// All levels that have modules.
    pub(crate) fn levels(&self) -> Vec<Level> {
        let folders: BTreeSet<&[String]> = self
            .files
            .keys()
            .filter(|module| !module.is_empty())
            .map(|module| &module[..module.len() - 1])
            .collect();
        folders.into_iter().map(|folder| self.level(folder)).collect()
    }

    fn level(&self, folder: &[String]) -> Level {
        let depth = folder.len();
        let child = |path: &[String]| (path.starts_with(folder)).then(|| path.get(depth).cloned()).flatten();
        let modules: BTreeSet<String> = self.files.keys().filter_map(|module| child(module)).collect();
        let mut arrows = BTreeSet::new();
        for (module, names) in &self.files {
            let Some(from) = child(module) else { continue };
            let named = names.iter().filter_map(|path| child(&self.resolved(path)));
            arrows
                .extend(named.filter(|to| *to != from && modules.contains(to)).map(|to| (from.clone(), to)));
        }
        let mut graph: DiGraph<&str, ()> = DiGraph::new();
        let nodes: BTreeMap<&str, _> =
            modules.iter().map(|module| (module.as_str(), graph.add_node(module.as_str()))).collect();
        for (from, to) in &arrows {
            graph.add_edge(nodes[from.as_str()], nodes[to.as_str()], ());
        }
        let knots = tarjan_scc(&graph).into_iter().filter(|group| group.len() > 1);
        let mut knots: Vec<Vec<String>> =
            knots.map(|group| group.into_iter().map(|node| graph[node].to_owned()).collect()).collect();
        knots.iter_mut().for_each(|knot| knot.sort());
        Level { module: folder.to_vec(), arrows, knots }
    }
}

/// Goes through a file for what it names of its crate.
struct Names {
    module: Module,
    found: BTreeSet<Vec<String>>,
    reexports: Vec<(Vec<String>, Vec<String>)>,
}

impl Names {
    /// A path from the root of the crate; none if it leads to another.
    fn absolute(&self, path: &[String]) -> Option<Vec<String>> {
        let (first, rest) = path.split_first()?;
        match first.as_str() {
            "crate" => Some(rest.to_vec()),
            "self" => Some([self.module.as_slice(), rest].concat()),
            "super" => {
                let up = path.iter().take_while(|part| *part == "super").count();
                let above = self.module.get(..self.module.len().checked_sub(up)?)?;
                Some([above, &path[up..]].concat())
            }
            FORMATS => Some(path.to_vec()),
            _ => None,
        }
    }

    fn tree(&mut self, tree: &UseTree, before: &[String], is_passed_on: bool) {
        match tree {
            UseTree::Path(path) => {
                self.tree(&path.tree, &[before, &[path.ident.to_string()]].concat(), is_passed_on);
            }
            UseTree::Group(group) => {
                group.items.iter().for_each(|tree| self.tree(tree, before, is_passed_on));
            }
            UseTree::Glob(_) => self.name(before),
            UseTree::Name(name) => self.used(before, &name.ident.to_string(), None, is_passed_on),
            UseTree::Rename(name) => {
                self.used(before, &name.ident.to_string(), Some(name.rename.to_string()), is_passed_on);
            }
        }
    }

    fn used(&mut self, before: &[String], name: &str, renamed: Option<String>, is_passed_on: bool) {
        let path = if name == "self" { before.to_vec() } else { [before, &[name.to_owned()]].concat() };
        self.name(&path);
        // What the root of a crate takes over, all of its modules can name.
        let of_root = self.module.is_empty() && path.first().is_some_and(|first| first == FORMATS);
        if is_passed_on || of_root {
            let own = renamed.or_else(|| path.last().cloned()).into_iter();
            let known = self.module.iter().cloned().chain(own).collect();
            // A module may pass on what is in a module of its own without saying `self`.
            let target = self.absolute(&path).unwrap_or_else(|| [self.module.as_slice(), &path].concat());
            self.reexports.push((known, target));
        }
    }

    fn name(&mut self, path: &[String]) {
        self.found.extend(self.absolute(path));
    }
}

impl<'f> Visit<'f> for Names {
    fn visit_item(&mut self, item: &'f Item) {
        if !is_test(item) {
            visit::visit_item(self, item);
        }
    }

    fn visit_item_use(&mut self, item: &'f syn::ItemUse) {
        let is_passed_on = !matches!(item.vis, syn::Visibility::Inherited);
        self.tree(&item.tree, &[], is_passed_on);
    }

    fn visit_path(&mut self, path: &'f syn::Path) {
        let parts: Vec<String> = path.segments.iter().map(|segment| segment.ident.to_string()).collect();
        self.name(&parts);
        visit::visit_path(self, path);
    }
}

fn is_test(item: &Item) -> bool {
    let attributes = match item {
        Item::Mod(item) => &item.attrs,
        Item::Fn(item) => &item.attrs,
        Item::Use(item) => &item.attrs,
        Item::Impl(item) => &item.attrs,
        _ => return false,
    };
    attributes.iter().any(|attribute| {
        attribute.path().is_ident("cfg")
            && attribute.parse_args::<syn::Ident>().is_ok_and(|condition| condition == "test")
    })
}

/// The crates of the workspace, each with its sources.
pub(crate) fn crates() -> Result<Vec<(String, PathBuf)>, Failed> {
    let mut crates = Vec::new();
    for entry in fs::read_dir(root().join("crates"))? {
        let entry = entry?;
        crates.push((entry.file_name().to_string_lossy().into_owned(), entry.path().join("src")));
    }
    crates.push(("xtask".into(), root().join("xtask/src")));
    crates.sort();
    Ok(crates)
}

/// The rooms of the core and of the crate of formats as a picture (Mermaid): arrows that follow from others are left out.
fn picture() -> Result<String, Failed> {
    let crates = crates()?;
    let read = |name: &str| {
        let (_, folder) = crates.iter().find(|(known, _)| known == name).ok_or("a crate is missing")?;
        Crate::read(folder)
    };
    let (core, formats) = (read(CORE)?, read(&FORMATS.replace('_', "-"))?);
    let (own, below) = (core.level(&[]), formats.level(&[]));
    let rooms = |read: &Crate| -> BTreeSet<String> {
        read.files.keys().filter_map(|module| module.first().cloned()).collect()
    };
    let mut arrows = core.needs_of(FORMATS);
    arrows.retain(|(from, _)| rooms(&core).contains(from));
    arrows.extend(own.arrows.into_iter().chain(below.arrows));
    let of_formats = rooms(&formats).into_iter().collect::<Vec<_>>().join("; ");
    let lines = plain_arrows(&arrows);
    Ok(format!(
        "```mermaid\ngraph TD\n    subgraph fordcross-formats\n        {of_formats}\n    end\n{lines}```\n"
    ))
}

/// Arrows that do not follow from others, a line each.
fn plain_arrows(arrows: &BTreeSet<(String, String)>) -> String {
    let needs = |from: &str, to: &str| arrows.contains(&(from.to_owned(), to.to_owned()));
    let reaches = |from: &str, to: &str| {
        let mut waiting = vec![from.to_owned()];
        let mut seen = BTreeSet::new();
        while let Some(at) = waiting.pop() {
            if at == to {
                return true;
            }
            let next = arrows.iter().filter(|(from, _)| *from == at).map(|(_, to)| to.clone());
            waiting.extend(next.filter(|room| seen.insert(room.clone())));
        }
        false
    };
    let plain = arrows.iter().filter(|(from, to)| {
        let around = arrows.iter().filter(|(other, room)| other == from && room != to);
        !around.into_iter().any(|(_, room)| needs(from, room) && reaches(room, to))
    });
    plain.map(|(from, to)| format!("    {from} --> {to}\n")).collect()
}

const BEGIN: &str = "<!-- rooms: made by `cargo xtask arrows --write` -->\n";
const END: &str = "<!-- /rooms -->";

/// The text of DESIGN.md with the picture in it.
pub(crate) fn with_picture(text: &str, picture: &str) -> Result<String, Failed> {
    let (before, rest) =
        text.split_once(BEGIN).ok_or("DESIGN.md has no place for the picture of the rooms")?;
    let (_, after) = rest.split_once(END).ok_or("the picture of the rooms in DESIGN.md has no end")?;
    Ok(format!("{before}{BEGIN}{picture}{END}{after}"))
}

pub(crate) fn task(out: &mut dyn Write, writes: bool) -> Result<(), Failed> {
    let mut knots = 0;
    for (name, folder) in crates()? {
        let levels = Crate::read(&folder)?.levels();
        for level in &levels {
            for knot in &level.knots {
                knots += 1;
                writeln!(out, "{name}{}: {} need one another:", at(&level.module), knot.join(", "))?;
                let within = |(from, to): &&(String, String)| knot.contains(from) && knot.contains(to);
                for (from, to) in level.arrows.iter().filter(within) {
                    writeln!(out, "  {from} -> {to}")?;
                }
            }
        }
        let modules: usize = levels.iter().map(|level| level.arrows.len()).sum();
        writeln!(out, "{name}: {} levels, {modules} arrows", levels.len())?;
    }
    let (file, picture) = (root().join("DESIGN.md"), picture()?);
    if writes {
        fs::write(&file, with_picture(&fs::read_to_string(&file)?, &picture)?)?;
    } else {
        write!(out, "{picture}")?;
    }
    if knots == 0 { Ok(()) } else { Err(format!("{knots} groups of modules need one another").into()) }
}

const CORE: &str = "fordcross-core";
/// The crate that the core is on, as code names it.
const FORMATS: &str = "fordcross_formats";

fn at(module: &[String]) -> String {
    module.iter().map(|part| format!("/{part}")).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use std::sync::atomic::{AtomicUsize, Ordering};

    #[test]
    fn modules_need_one_another_one_way_only() {
        let mut found: Vec<String> = Vec::new();
        for (name, folder) in crates().expect("crates") {
            for level in Crate::read(&folder).expect("sources").levels() {
                let place = format!("{name}{}", at(&level.module));
                found.extend(level.knots.iter().map(|knot| format!("{place}: {}", knot.join(" "))));
            }
        }
        assert!(found.is_empty(), "`cargo xtask arrows` says which need which: {found:?}");
    }

    #[test]
    fn the_picture_of_the_rooms_is_that_of_the_code() {
        let text = fs::read_to_string(root().join("DESIGN.md")).expect("a text");
        let made = with_picture(&text, &picture().expect("a picture")).expect("a place for it");
        assert!(made == text, "run `cargo xtask arrows --write`");
    }

    /// `a` needs `b`; what else does depends on what `b` says.
    #[rstest]
    #[case("", &[])]
    #[case("use crate::a::A;", &["a b"])]
    #[case("use super::a::A;", &["a b"])]
    #[case("fn f() -> crate::a::A {}", &["a b"])]
    #[case("use super::{a::A as Other, d};", &["a b"])]
    // `c` passes on what is in `a`.
    #[case("use crate::c::A;", &["a b"])]
    #[case("use crate::c::C;", &["a b c"])]
    #[case("use crate::d::D;", &[])]
    #[case("use std::a::A;", &[])]
    #[case("#[cfg(test)]\nmod tests { use crate::a::A; }", &[])]
    fn knots_are_found(#[case] text: &str, #[case] wanted: &[&str]) {
        static NUMBER: AtomicUsize = AtomicUsize::new(0);
        let number = NUMBER.fetch_add(1, Ordering::Relaxed);
        let folder = std::env::temp_dir().join(format!("arrows-{}-{number}", std::process::id()));
        fs::create_dir_all(&folder).expect("a folder");
        let files = [
            ("lib", "mod a;"),
            ("a", "use crate::b::B;"),
            ("b", text),
            ("c", "pub use crate::a::A; struct C;"),
        ];
        for (name, text) in files {
            fs::write(folder.join(format!("{name}.rs")), text).expect("written");
        }
        let levels = Crate::read(&folder).expect("sources").levels();
        let knots: Vec<String> = levels[0].knots.iter().map(|knot| knot.join(" ")).collect();
        fs::remove_dir_all(&folder).expect("removed");
        assert_eq!(knots, wanted);
    }
}
