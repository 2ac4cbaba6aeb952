//! What is gathered of an archive: each path is checked, and all that is read is counted against the limits.

use super::facts::{Damage, UnpackFact};
use super::packed::{Limits, Unpackable};
use super::remarks::{About, Link, Remark};
use rustc_hash::FxHashMap;
use std::io::Read;
use unicode_normalization::UnicodeNormalization as _;

/// One file of several, in memory.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Member {
    /// The path, with `/` between its parts.
    pub path: String,
    /// What is in it.
    pub bytes: Vec<u8>,
}

/// What an archive holds.
pub struct Listed {
    /// Its files, in the order of the archive.
    pub members: Vec<Member>,
    /// The paths of its folders.
    pub folders: Vec<String>,
    /// What is neither.
    pub remarks: Vec<Remark>,
}

/// The members so far.
pub(super) struct Gathered<'l> {
    pub limits: &'l Limits,
    /// Its files, in the order of the archive.
    pub members: Vec<Member>,
    /// The paths of its folders.
    pub folders: Vec<String>,
    pub links: Vec<Link>,
    remarks: Vec<Remark>,
    total: u64,
    /// Paths in lower case, with how each was written.
    folded: FxHashMap<String, String>,
}

/// The longest path that a file can have on Linux, in bytes.
pub(super) const LONGEST_PATH: usize = 4096;

impl<'l> Gathered<'l> {
    pub(super) fn new(limits: &'l Limits) -> Self {
        Self {
            limits,
            members: Vec::new(),
            folders: Vec::new(),
            links: Vec::new(),
            remarks: Vec::new(),
            total: 0,
            folded: FxHashMap::default(),
        }
    }

    /// All of it, remarks by their paths.
    pub(super) fn listed(mut self) -> Listed {
        self.remarks.sort_by(|a, b| a.path.cmp(&b.path));
        Listed { members: self.members, folders: self.folders, remarks: self.remarks }
    }

    /// Checks a path and says how it is written here; `None` for a folder.
    pub(super) fn path(&mut self, raw: &[u8], is_folder: bool) -> Result<Option<String>, Unpackable> {
        let path = std::str::from_utf8(raw).map_err(|_| UnpackFact::NameNotUtf8)?;
        let path = path.strip_prefix("./").unwrap_or(path);
        if raw.len() > LONGEST_PATH {
            return Err(UnpackFact::PathLong { most: LONGEST_PATH }.into());
        }
        if path.chars().any(char::is_control) {
            return Err(UnpackFact::NameControls.into());
        }
        let is_drive = path.as_bytes().get(1) == Some(&b':') && path.as_bytes()[0].is_ascii_alphabetic();
        if path.starts_with('/') || path.contains('\\') || is_drive {
            return Err(UnpackFact::PathAbsolute { path: path.to_owned() }.into());
        }
        let bare = path.trim_end_matches('/');
        if is_folder && (bare.is_empty() || bare == ".") {
            return Ok(None);
        }
        if bare.split('/').any(|part| matches!(part, "" | "." | "..")) {
            return Err(UnpackFact::PathElsewhere { path: path.to_owned() }.into());
        }
        if is_folder {
            // An archive may list as many as it likes; no more are kept than members.
            if self.folders.len() < self.limits.members {
                self.folders.push(bare.to_owned());
            }
            return Ok(None);
        }
        // Some systems take two spellings of one name for one, others do not.
        let folded: String = bare.to_lowercase().nfc().collect();
        if let Some(first) = self.folded.get(&folded) {
            return Err(if first == bare {
                UnpackFact::MemberTwice { path: bare.to_owned() }
            } else {
                UnpackFact::MembersAlike { first: first.clone(), second: bare.to_owned() }
            }
            .into());
        }
        self.folded.insert(folded, bare.to_owned());
        Ok(Some(bare.to_owned()))
    }

    /// Returns whether there is room for one more entry, of so many bytes.
    pub(super) fn has_room(&self, size: u64) -> Result<(), Unpackable> {
        if self.members.len() + self.links.len() + self.remarks.len() >= self.limits.members {
            return Err(UnpackFact::Members { most: self.limits.members }.into());
        }
        if size > self.limits.most.saturating_sub(self.total) {
            return Err(UnpackFact::ArchiveBeyondLimit { most: self.limits.most }.into());
        }
        Ok(())
    }

    pub(super) fn remark(&mut self, path: String, about: About) {
        self.remarks.push(Remark { path, about });
    }

    /// Adds what a link leads to.
    pub(super) fn add_copy(&mut self, member: Member) -> Result<(), Unpackable> {
        let size = member.bytes.len() as u64;
        self.has_room(size)?;
        self.total += size;
        self.members.push(member);
        Ok(())
    }

    /// Adds a folder that a link leads to.
    pub(super) fn add_folder(&mut self, path: String) -> Result<(), Unpackable> {
        self.has_room(0)?;
        self.folders.push(path);
        Ok(())
    }

    pub(super) fn add_link(&mut self, path: String, to: &[u8], is_hard: bool) -> Result<(), Unpackable> {
        self.has_room(0)?;
        let to = String::from_utf8_lossy(to).into_owned();
        self.links.push(Link { path, to, is_hard });
        Ok(())
    }

    /// Takes a member in, of the size that it says.
    pub(super) fn read(&mut self, path: String, size: u64, reader: impl Read) -> Result<(), Unpackable> {
        self.has_room(size)?;
        let mut bytes = Vec::new();
        let read = reader.take(size.saturating_add(1)).read_to_end(&mut bytes);
        if read.is_err() {
            return Err(UnpackFact::MemberDamaged { path, damage: Damage::Damaged }.into());
        }
        if bytes.len() as u64 != size {
            let is_short = (bytes.len() as u64) < size;
            return Err(if is_short {
                UnpackFact::MemberDamaged { path, damage: Damage::CutOff }
            } else {
                UnpackFact::MemberLarger { path }
            }
            .into());
        }
        self.total += size;
        self.members.push(Member { path, bytes });
        Ok(())
    }
}

/// That a member is below what is no folder.
pub(super) fn below_link(path: &str) -> Unpackable {
    UnpackFact::BelowFile { path: path.to_owned() }.into()
}
