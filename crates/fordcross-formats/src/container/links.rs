//! Links within an archive: what one leads to is read in its place, as in a folder. What leads out of it cannot be read.

use super::members::{Gathered, Member, below_link};
use super::packed::Unpackable;
use super::remarks::{About, Link};
use rustc_hash::FxHashMap;

/// How many links may lead to each other, as on Linux.
const MOST_HOPS: usize = 40;

#[derive(Clone, Copy, Debug)]
enum Entry {
    /// The number of the member.
    File(usize),
    Folder,
    /// The number of the link.
    Link(usize),
}

/// What an archive lists, as the folder that it would be unpacked to.
struct Listing<'t> {
    links: &'t [Link],
    entries: FxHashMap<&'t str, Entry>,
    /// The paths of what is in each folder.
    children: FxHashMap<&'t str, Vec<&'t str>>,
}

/// A folder that is being gone through.
#[derive(Clone, Copy)]
struct Visit<'t> {
    folder: &'t str,
    /// The visit that led here, so that links to folders around are seen; `None` for the archive itself.
    from: Option<usize>,
}

/// Adds a member for each file that a link leads to, directly or through a folder, and a remark for each link.
///
/// # Errors
/// That a member is below a link, or that there are more members than there may be.
pub(super) fn follow(taken: &mut Gathered<'_>) -> Result<(), Unpackable> {
    if taken.links.is_empty() {
        return Ok(());
    }
    let links = std::mem::take(&mut taken.links);
    let paths: Vec<String> = taken.members.iter().map(|member| member.path.clone()).collect();
    let folders = taken.folders.clone();
    let listing = Listing::of(&links, &paths, &folders)?;
    let mut visits = vec![Visit { folder: "", from: None }];
    let mut waiting = vec![(0, String::new())];
    while let Some((number, shown)) = waiting.pop() {
        let visit = visits[number];
        let is_own = shown == visit.folder;
        for child in listing.children.get(visit.folder).into_iter().flatten().copied() {
            let name = child.rsplit('/').next().unwrap_or(child);
            let path = if shown.is_empty() { name.to_owned() } else { format!("{shown}/{name}") };
            let (found, to) = match listing.entries[child] {
                Entry::Link(link) => (listing.target_of(link, 0), Some(&links[link].to)),
                entry => (Some((child, entry)), None),
            };
            match (found, to) {
                (None | Some((_, Entry::Link(_))), to) => {
                    let to = to.cloned().unwrap_or_default();
                    taken.remark(path, About::OutsideArchive { to });
                }
                (Some((_, Entry::File(member))), to) => {
                    if to.is_some() || !is_own {
                        let bytes = taken.members[member].bytes.clone();
                        taken.add_copy(Member { path: path.clone(), bytes })?;
                    }
                    if let Some(to) = to {
                        taken.remark(path, About::Followed { to: to.clone() });
                    }
                }
                (Some((folder, Entry::Folder)), to) => {
                    if let Some(to) = to {
                        let around = std::iter::successors(Some(&visit), |visit| Some(&visits[visit.from?]));
                        if around.into_iter().any(|visit| visit.folder == folder) {
                            taken.remark(path, About::Around { to: to.clone() });
                            continue;
                        }
                        taken.remark(path.clone(), About::Followed { to: to.clone() });
                    }
                    if to.is_some() || !is_own {
                        taken.add_folder(path.clone())?;
                    }
                    waiting.push((visits.len(), path));
                    visits.push(Visit { folder, from: Some(number) });
                }
            }
        }
    }
    Ok(())
}

impl<'t> Listing<'t> {
    fn of(links: &'t [Link], files: &'t [String], folders: &'t [String]) -> Result<Self, Unpackable> {
        let mut listing = Self { links, entries: FxHashMap::default(), children: FxHashMap::default() };
        listing.entries.insert("", Entry::Folder);
        let links = links.iter().enumerate().map(|(number, link)| (link.path.as_str(), Entry::Link(number)));
        links.for_each(|(path, entry)| listing.add(path, entry));
        let files = files.iter().enumerate().map(|(number, path)| (path.as_str(), Entry::File(number)));
        let folders = folders.iter().map(|path| (path.as_str(), Entry::Folder));
        files.chain(folders).for_each(|(path, entry)| listing.add(path, entry));
        let below =
            listing.children.keys().find(|folder| !matches!(listing.entries[**folder], Entry::Folder));
        match below {
            Some(path) => Err(below_link(path)),
            None => Ok(listing),
        }
    }

    /// Adds an entry and the folders that it is in.
    fn add(&mut self, path: &'t str, entry: Entry) {
        let (mut path, mut entry) = (path, entry);
        while !self.entries.contains_key(path) {
            self.entries.insert(path, entry);
            let folder = path.rsplit_once('/').map_or("", |(folder, _)| folder);
            self.children.entry(folder).or_default().push(path);
            (path, entry) = (folder, Entry::Folder);
        }
        // A folder that is a link, too, has something below it.
        if matches!((self.entries[path], entry), (Entry::Link(_), Entry::Folder)) {
            self.children.entry(path).or_default();
        }
    }

    /// What a link leads to in the archive: no link.
    fn target_of(&self, link: usize, hops: usize) -> Option<(&'t str, Entry)> {
        let Link { path, to, is_hard } = &self.links[link];
        let mut at = match path.rsplit_once('/') {
            Some((folder, _)) if !is_hard && !to.starts_with('/') => self.known(folder)?,
            _ => "",
        };
        let mut entry = Entry::Folder;
        let mut hops = hops;
        for part in to.split('/').filter(|part| !matches!(*part, "" | ".")) {
            if part == ".." {
                at =
                    at.rsplit_once('/').map_or_else(|| (!at.is_empty()).then_some(""), |(up, _)| Some(up))?;
                entry = Entry::Folder;
                continue;
            }
            at = self.known(&if at.is_empty() { part.to_owned() } else { format!("{at}/{part}") })?;
            entry = self.entries[at];
            if let Entry::Link(next) = entry {
                hops += 1;
                if hops > MOST_HOPS {
                    return None;
                }
                (at, entry) = self.target_of(next, hops)?;
            }
        }
        Some((at, entry))
    }

    fn known(&self, path: &str) -> Option<&'t str> {
        self.entries.get_key_value(path).map(|(known, _)| *known)
    }
}

#[cfg(test)]
mod tests {
    use crate::opening::{About, Opened, Opening, open};
    use rstest::rstest;

    /// `a` is a file with its own path in it, `a/` a folder, `a -> b` a link, `a => b` a hard link, `a |` a pipe.
    fn tar(entries: &[&str]) -> Vec<u8> {
        let mut builder = tar::Builder::new(Vec::new());
        for entry in entries {
            let mut header = tar::Header::new_ustar();
            header.set_size(0);
            header.set_mode(0o600);
            if let Some((path, to)) = entry.split_once(" -> ").or_else(|| entry.split_once(" => ")) {
                header.set_entry_type(if entry.contains("->") {
                    tar::EntryType::Symlink
                } else {
                    tar::EntryType::Link
                });
                builder.append_link(&mut header, path, to).expect("in memory");
            } else if let Some(path) = entry.strip_suffix(" |") {
                header.set_entry_type(tar::EntryType::Fifo);
                builder.append_data(&mut header, path, &b""[..]).expect("in memory");
            } else if entry.ends_with('/') {
                header.set_entry_type(tar::EntryType::Directory);
                builder.append_data(&mut header, entry, &b""[..]).expect("in memory");
            } else {
                header.set_size(entry.len() as u64);
                builder.append_data(&mut header, entry, entry.as_bytes()).expect("in memory");
            }
        }
        builder.into_inner().expect("in memory")
    }

    fn said(opened: &Opened) -> String {
        let text = |piece: &crate::text::source::Piece| opened.text[piece.span.range()].to_owned();
        let mut pieces: Vec<_> = opened.pieces.iter().collect();
        pieces.sort_by(|a, b| a.path.cmp(&b.path));
        let files = pieces.into_iter().map(|piece| format!("{}={}", piece.path, text(piece).trim()));
        let remarks = opened.remarks.iter().map(|remark| {
            let sign = match remark.about {
                About::Followed { .. } => "followed",
                About::OutsideArchive { .. } => "outside",
                About::Around { .. } => "around",
                _ => "no file",
            };
            format!("{} {sign}", remark.path)
        });
        files.chain(remarks).collect::<Vec<_>>().join(", ")
    }

    #[rstest]
    #[case(&["a", "b -> a"], "a=a, b=a, b followed")]
    #[case(&["d/a", "d/b -> a", "c -> d/b"], "c=d/a, d/a=d/a, d/b=d/a, c followed, d/b followed")]
    #[case(&["d/a", "d/e/b -> ../a"], "d/a=d/a, d/e/b=d/a, d/e/b followed")]
    #[case(&["d/a", "e/b => d/a"], "d/a=d/a, e/b=d/a, e/b followed")]
    #[case(&["etc/a", "etc/b -> /etc/a"], "etc/a=etc/a, etc/b=etc/a, etc/b followed")]
    #[case(&["d/a", "d/e/", "l -> d"], "d/a=d/a, l/a=d/a, l followed")]
    #[case(&["d/a", "l -> d/", "m -> l/a"], "d/a=d/a, l/a=d/a, m=d/a, l followed, m followed")]
    #[case(&["a", "b -> ../a"], "a=a, b outside")]
    #[case(&["a", "b -> /etc/passwd"], "a=a, b outside")]
    #[case(&["a", "b -> a/c"], "a=a, b outside")]
    #[case(&["a", "b -> c", "c -> b"], "a=a, b outside, c outside")]
    #[case(&["a", "b -> b"], "a=a, b outside")]
    #[case(&["d/a", "d/b -> ."], "d/a=d/a, d/b around")]
    #[case(&["d/x -> ../e", "e/a", "e/y -> ../d"], "d/x/a=e/a, e/a=e/a, d/x followed, d/x/y around, e/y followed, e/y/x around")]
    #[case(&["a", "p |"], "a=a, p no file")]
    fn what_links_lead_to_is_read_in_their_place(#[case] entries: &[&str], #[case] wanted: &str) {
        let opened = open("t.tar", tar(entries), &Opening::default()).expect("read");
        assert_eq!(said(&opened), wanted);
    }

    #[rstest]
    #[case(&["x -> d", "x/a", "d/b"], "members are below `x`")]
    #[case(&["x -> d", "x/", "d/b"], "members are below `x`")]
    #[case(&["a", "a -> b"], "`a` exists twice")]
    fn what_is_a_link_and_more_is_refused(#[case] entries: &[&str], #[case] reported: &str) {
        let finding = open("t.tar", tar(entries), &Opening::default()).expect_err("refused");
        assert!(finding.message().contains(reported), "{}", finding.message());
    }

    /// Each folder holds two links to the next: twenty of them lead to a million files.
    #[test]
    fn links_upon_links_are_bounded() {
        let links = (0..20).flat_map(|n| ["a", "b"].map(|name| format!("d{n}/{name} -> ../d{}", n + 1)));
        let entries: Vec<String> = links.chain(["d20/f".to_owned()]).collect();
        let entries: Vec<&str> = entries.iter().map(String::as_str).collect();
        let finding = open("t.tar", tar(&entries), &Opening::default()).expect_err("refused");
        assert!(finding.message().contains("more than 10000 members"), "{}", finding.message());
    }
}
