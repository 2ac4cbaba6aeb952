//! Paths that have new ones.

use super::LeftOver;
use super::MapKind;
use super::entry::{EntryNumber, Except, Renamed, Reported};
use super::facts::{MapEffect, MapFact};
use super::kind::{Mapped, Reading};
use super::left_over::{Word, without_doubled_slashes};
use super::rename::{Rename, each_rename};
use super::seen::{Seen, UsedName};
use crate::declaration::Section;
use crate::finding::Finding;
use crate::ids::{EntryId, RowId};
use crate::language::typing::Value;
use crate::tree::pattern::Pattern;
use rustc_hash::{FxHashMap, FxHashSet};
use std::any::Any;
use std::borrow::Cow;
use std::collections::BTreeMap;

/// Old paths with their new ones. The longest that a path begins with counts, by whole steps.
#[derive(Debug, Default)]
pub(super) struct Paths {
    /// The longest first.
    known: Vec<Renamed<String>>,
    /// Where each is among them.
    places: FxHashMap<String, Vec<usize>>,
}

impl Paths {
    /// Takes all paths in; a slash at the end of either says nothing.
    fn fill(&mut self, all: Vec<Renamed<&str>>) {
        let bare = |path: &str| if path == "/" { path } else { path.trim_end_matches('/') }.to_owned();
        self.known = all
            .into_iter()
            .map(|Renamed { old, new, number, line, except }| Renamed {
                old: bare(old),
                new: bare(new),
                number,
                line,
                except,
            })
            .collect();
        self.known.sort_by(|a, b| b.old.len().cmp(&a.old.len()).then_with(|| a.old.cmp(&b.old)));
        for (place, renamed) in self.known.iter().enumerate() {
            self.places.entry(renamed.old.clone()).or_default().push(place);
        }
    }

    /// The new path.
    fn get(&self, path: &str, except: Except<'_>) -> Option<String> {
        let (Renamed { new, .. }, rest) = self.find(path, except)?;
        let new = if new == "/" && !rest.is_empty() { "" } else { new };
        Some(format!("{new}{rest}"))
    }

    /// The entry that has a say in a path.
    fn of(&self, path: &str) -> Option<&Renamed<String>> {
        self.find(path, &[]).map(|(renamed, _)| renamed)
    }

    /// What a path is or is below, and what of it is behind that.
    fn find<'p>(&self, path: &'p str, except: Except<'_>) -> Option<(&Renamed<String>, &'p str)> {
        // By whole steps, the longest first; the root at last, which is before all of a path.
        let steps = path.rmatch_indices('/').map(|(at, _)| at).filter(|at| *at > 0);
        let ends = std::iter::once(path.len()).chain(steps).map(|end| (&path[..end], &path[end..]));
        let is_rooted = path.starts_with('/') && path != "/";
        let mut befores = ends.chain(is_rooted.then_some(("/", path)));
        befores.find_map(|(old, rest)| {
            let mut known = self.places.get(old)?.iter().map(|&place| &self.known[place]);
            let rest = if old == "/" { path } else { rest };
            known.find(|renamed| !except.contains(&renamed.number)).map(|renamed| (renamed, rest))
        })
    }
}

/// Hands on each path in a value.
fn each_path<'v>(value: &'v Value<'_>, each: &mut dyn FnMut(&'v str)) {
    match value {
        Value::Path(path) => each(path),
        Value::Parts(parts) => parts.iter().for_each(|(_, part)| each_path(part, each)),
        Value::List(list) => list.iter().for_each(|part| each_path(part, each)),
        _ => {}
    }
}

/// The paths of a backup, each with its row and its declaration.
fn paths_in<'s>(seen: &'s Seen<'_>) -> Vec<(&'s str, RowId, EntryId)> {
    let mut paths = Vec::new();
    for at in &seen.values {
        each_path(&at.value, &mut |path| paths.push((path, at.row, at.entry)));
    }
    paths
}

impl Mapped for Paths {
    fn kind(&self) -> MapKind {
        MapKind::Paths
    }

    fn table(&self) -> &'static str {
        "paths"
    }

    fn read(&mut self, section: &Section<'_, '_>, with: &mut Reading<'_, '_>) {
        let mut given: FxHashMap<&str, &str> = FxHashMap::default();
        let mut all = Vec::new();
        each_rename(section, with, "paths", "a path", |report, Rename { old, new, line, except }, with| {
            for path in [old, new].into_iter().filter(|path| !path.text.starts_with('/')) {
                report.add(path.span, MapFact::NotAbsolute { path: path.text.to_owned() });
            }
            if let Some(first) = given.insert(new.text.trim_end_matches('/'), old.text) {
                report.add(
                    new.span,
                    MapFact::PathsBecomeOne {
                        first: first.to_owned(),
                        second: old.text.to_owned(),
                        new: new.text.to_owned(),
                    },
                );
            }
            all.push(Renamed { old: old.text, new: new.text, number: with.number(), line, except });
        });
        self.fill(all);
    }

    fn renames_nothing(&self) -> bool {
        self.known.is_empty()
    }

    /// Those in most settings first.
    fn used(&self, seen: &Seen<'_>) -> Vec<UsedName> {
        let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
        for (path, ..) in paths_in(seen).into_iter().filter(|(path, ..)| path.starts_with('/')) {
            *counts.entry(path).or_default() += 1;
        }
        let used = |(name, settings): (&str, usize)| UsedName {
            name: name.to_owned(),
            settings,
            mark: seen.mark(name),
        };
        let mut used: Vec<UsedName> = counts.into_iter().map(used).collect();
        used.sort_by_key(|path| std::cmp::Reverse(path.settings));
        used
    }

    fn invitation(&self) -> &'static str {
        "a new path"
    }

    fn unused(&self, seen: &Seen<'_>) -> Vec<Reported> {
        let used: FxHashSet<EntryNumber> =
            paths_in(seen).iter().filter_map(|(path, ..)| self.of(path)).map(|entry| entry.number).collect();
        // Names in free text are left over, with a finding each. All are searched for at once.
        let unused = || self.known.iter().filter(|entry| !used.contains(&entry.number));
        let sought: Vec<String> = unused().map(|entry| entry.old.clone()).collect();
        let standing = seen.standing_in_texts(&sought);
        let unused = unused().filter(|entry| !standing.contains(entry.old.as_str()));
        unused.map(|entry| seen.unused("the path", &entry.old, entry.line)).collect()
    }

    fn collisions(&self, seen: &Seen<'_>) -> Vec<Reported> {
        let paths = paths_in(seen);
        let mut found = Vec::new();
        let mut became: FxHashMap<Cow<'_, str>, (&str, RowId)> = FxHashMap::default();
        let moved = |path: &str, entry: EntryId| self.get(path, seen.except(entry));
        // What stays first: what moves there is to blame.
        let (stay, move_away): (Vec<_>, Vec<_>) = paths
            .into_iter()
            .map(|(path, row, entry)| (path, row, moved(path, entry).map_or(Cow::Borrowed(path), Cow::Owned)))
            .partition(|(path, _, new)| new == path);
        for (path, row, new) in stay.into_iter().chain(move_away) {
            let &mut (old, first) = became.entry(new.clone()).or_insert((path, row));
            if old != path && old.trim_end_matches('/') != path.trim_end_matches('/') {
                let is_in_use = *old == *new;
                let (old_path, new) = (path.to_owned(), new.into_owned());
                let effect = if is_in_use {
                    MapEffect::PathInUse { old: old_path, new }
                } else {
                    MapEffect::PathCollision { old: old_path, new, other: old.to_owned() }
                };
                found.push((Finding::new(effect), vec![row, first]));
            }
        }
        found
    }

    fn apply<'m>(&'m self, value: &mut Value<'m>, except: Except<'_>) -> bool {
        let Value::Path(path) = value else { return false };
        let new = self.get(path, except);
        new.is_some_and(|new| std::mem::replace(path, Cow::Owned(new)) != *path)
    }

    fn line_of(&self, value: &Value<'_>) -> Option<u32> {
        let Value::Path(path) = value else { return None };
        self.of(path).map(|entry| entry.line)
    }

    fn exceptions(&self) -> Vec<(EntryNumber, &[Pattern])> {
        self.known.iter().map(|entry| (entry.number, entry.except.as_slice())).collect()
    }

    fn left_over(&self, word: &Word<'_>, found: &mut Vec<LeftOver>) {
        for path in word.paths() {
            if let Some(entry) = self.of(&without_doubled_slashes(path)) {
                let text = path.trim_end_matches(['.', '!', '?']).to_owned();
                found.push(LeftOver { found: text, entry: entry.old.clone() });
            }
        }
    }

    fn as_any(&self) -> &dyn Any {
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("/srv/data", Some("/new"))]
    #[case("/srv/data/tables/x", Some("/new/tables/x"))]
    #[case("/srv/data/logs/x", Some("/logs/x"))]
    #[case("/srv/database", Some("/disk/database"))]
    #[case("/srv/data/", Some("/new/"))]
    #[case("/other", None)]
    #[case("srv/data", None)]
    fn the_longest_path_of_whole_steps_counts(#[case] path: &str, #[case] expected: Option<&str>) {
        let mut paths = Paths::default();
        let all = [("/srv", "/disk"), ("/srv/data/", "/new"), ("/srv/data/logs", "/logs/")];
        let number = EntryNumber(0);
        let renamed = |(old, new)| Renamed { old, new, number, line: 1, except: Vec::new() };
        paths.fill(all.into_iter().map(renamed).collect());
        assert_eq!(paths.get(path, &[]).as_deref(), expected);
    }
}
