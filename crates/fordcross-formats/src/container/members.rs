//! What is gathered of an archive: each path is checked, and all that is read is counted against the limits.

use super::packed::{Limits, Unpackable, say_how_much};
use super::remarks::{About, Link, Remark};
use crate::finding::{Code, Remedy};
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

pub(super) const FETCH_AGAIN: &str = "compare the file's size with the original and fetch it again";
pub(super) const NOT_FROM_A_UNIT: &str = "no unit writes such an archive; look at where it comes from";

/// The longest path that a file can have on Linux, in bytes.
pub(super) const LONGEST_PATH: usize = 4096;

pub(super) fn bad(code: Code, message: impl Into<String>, help: impl Into<Remedy>) -> Unpackable {
    Unpackable { code, message: message.into(), help: help.into(), member: None }
}

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

    /// Checks a path and says how it is written here; none for a folder.
    pub(super) fn path(&mut self, raw: &[u8], is_folder: bool) -> Result<Option<String>, Unpackable> {
        let unsafe_path = |why: &str| bad(Code::ArchiveUnsafe, format!("a member {why}"), NOT_FROM_A_UNIT);
        let path = std::str::from_utf8(raw).map_err(|_| unsafe_path("has a name that is not UTF-8"))?;
        let path = path.strip_prefix("./").unwrap_or(path);
        if raw.len() > LONGEST_PATH {
            return Err(unsafe_path(&format!("has a path of more than {LONGEST_PATH} bytes")));
        }
        if path.chars().any(char::is_control) {
            return Err(unsafe_path("has control characters in its name"));
        }
        let is_drive = path.as_bytes().get(1) == Some(&b':') && path.as_bytes()[0].is_ascii_alphabetic();
        if path.starts_with('/') || path.contains('\\') || is_drive {
            return Err(unsafe_path(&format!("has an absolute path: `{path}`")));
        }
        let bare = path.trim_end_matches('/');
        if is_folder && (bare.is_empty() || bare == ".") {
            return Ok(None);
        }
        if bare.split('/').any(|part| matches!(part, "" | "." | "..")) {
            return Err(unsafe_path(&format!("has a path that leads elsewhere: `{path}`")));
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
            return Err(bad(
                Code::ArchiveUnsafe,
                if first == bare {
                    format!("the member `{bare}` is there twice")
                } else {
                    format!("the members `{first}` and `{bare}` differ by case or spelling only")
                },
                NOT_FROM_A_UNIT,
            ));
        }
        self.folded.insert(folded, bare.to_owned());
        Ok(Some(bare.to_owned()))
    }

    /// Says whether there is room for one more entry, of so many bytes.
    pub(super) fn has_room(&self, size: u64) -> Result<(), Unpackable> {
        if self.members.len() + self.links.len() + self.remarks.len() >= self.limits.members {
            return Err(bad(
                Code::TooLarge,
                format!("the archive has more than {} members", self.limits.members),
                "no configuration has so many; look at where it comes from",
            ));
        }
        if size > self.limits.most.saturating_sub(self.total) {
            let message = format!("the archive unpacks to more than {} bytes", self.limits.most);
            return Err(bad(Code::TooLarge, message, say_how_much()));
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
            let message = format!("the member `{path}` is damaged");
            return Err(bad(Code::NotText, message, FETCH_AGAIN));
        }
        if bytes.len() as u64 != size {
            let message = if (bytes.len() as u64) < size {
                format!("the member `{path}` is cut off")
            } else {
                format!("the member `{path}` is larger than it says")
            };
            return Err(bad(Code::NotText, message, FETCH_AGAIN));
        }
        self.total += size;
        self.members.push(Member { path, bytes });
        Ok(())
    }
}

/// That a member stands below what is no folder.
pub(super) fn below_link(path: &str) -> Unpackable {
    bad(
        Code::ArchiveUnsafe,
        format!("members stand below `{path}`, which is a link or a file"),
        NOT_FROM_A_UNIT,
    )
}
