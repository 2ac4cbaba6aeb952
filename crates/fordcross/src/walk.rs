//! What a folder holds: files, and what is among them that is none or leads elsewhere. Nothing is left out in silence.

use crate::status::Failed;
use crate::unfinished::in_the_making;
use fordcross_core::opening::{About, Remark};
use std::ffi::OsString;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

/// All that a folder holds, by name.
#[derive(Debug, Default)]
pub(crate) struct Walked {
    /// The files to read, with their paths from the folder on.
    pub(crate) files: Vec<(PathBuf, String)>,
    /// The folders in it.
    pub(crate) folders: Vec<String>,
    pub(crate) remarks: Vec<Remark>,
}

/// More than any configuration has: a folder of other things was named.
const MOST_ENTRIES: usize = 1_000_000;

/// Goes through a folder and all below it. Links that lead out of it are followed where `follows` says so.
pub(crate) fn walk(folder: &Path, follows: bool) -> Result<Walked, Failed> {
    let failed = |error: io::Error| Failed::file(folder, "read the folder", &error);
    let root = fs::canonicalize(folder).map_err(failed)?;
    let mut walk = Walk { folder, follows, walked: Walked::default(), root, seen: 0, own: in_the_making() };
    let within = vec![walk.root.clone()];
    walk.folder(folder, &within).map_err(failed)??;
    walk.walked.files.sort();
    walk.walked.remarks.sort_by(|a, b| a.path.cmp(&b.path));
    Ok(walk.walked)
}

struct Walk<'w> {
    folder: &'w Path,
    follows: bool,
    /// The folder itself, without links.
    root: PathBuf,
    walked: Walked,
    seen: usize,
    /// What this run makes itself is none of a backup, though its results go into the same folder.
    own: Vec<PathBuf>,
}

impl Walk<'_> {
    /// `within` are the folders around, without links: what leads to one of them has no end.
    fn folder(&mut self, at: &Path, within: &[PathBuf]) -> io::Result<Result<(), Failed>> {
        let mut names: Vec<OsString> = Vec::new();
        for entry in fs::read_dir(at)? {
            names.push(entry?.file_name());
        }
        names.sort();
        for name in names {
            self.seen += 1;
            if self.seen > MOST_ENTRIES {
                let message = format!("`{}` holds more than {MOST_ENTRIES} files", self.folder.display());
                return Ok(Err(Failed::message(message).help("name only the folder of the configuration")));
            }
            let is_hidden = name.as_encoded_bytes().starts_with(b".");
            let path = at.join(name);
            if is_hidden && fs::canonicalize(&path).is_ok_and(|path| self.own.contains(&path)) {
                continue;
            }
            let reported = match self.entry(&path, within) {
                Ok(done) => done,
                Err(error) => {
                    self.remark(&path, About::Unreadable { why: crate::status::lower(&error) });
                    Ok(())
                }
            };
            if reported.is_err() {
                return Ok(reported);
            }
        }
        Ok(Ok(()))
    }

    fn entry(&mut self, path: &Path, within: &[PathBuf]) -> io::Result<Result<(), Failed>> {
        let mut found = fs::symlink_metadata(path)?;
        let mut within = within.to_vec();
        if found.is_symlink() {
            let to = fs::read_link(path)?.display().to_string();
            let leads = fs::canonicalize(path)?;
            found = fs::metadata(path)?;
            if !leads.starts_with(&self.root) && !self.follows {
                self.remark(path, About::Outside { to });
                return Ok(Ok(()));
            }
            if found.is_dir() {
                if within.contains(&leads) {
                    self.remark(path, About::Around { to });
                    return Ok(Ok(()));
                }
                within.push(leads);
            }
            self.remark(path, About::Followed { to });
        } else if found.is_dir() {
            within.push(fs::canonicalize(path)?);
        }
        if found.is_dir() {
            let inside = self.inside(path);
            self.walked.folders.push(inside);
            return self.folder(path, &within);
        }
        if found.is_file() {
            let inside = self.inside(path);
            self.walked.files.push((path.to_owned(), inside));
        } else {
            self.remark(path, About::NoFile);
        }
        Ok(Ok(()))
    }

    fn inside(&self, path: &Path) -> String {
        path.strip_prefix(self.folder).unwrap_or(path).to_string_lossy().into_owned()
    }

    fn remark(&mut self, path: &Path, about: About) {
        let path = self.inside(path);
        self.walked.remarks.push(Remark { path, about });
    }
}
