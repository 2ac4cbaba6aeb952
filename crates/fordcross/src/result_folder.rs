//! A result folder is complete or absent, whenever the program is killed.
//!
//! Everything is written into a hidden folder beside the wanted one, which is then renamed, or
//! exchanged with the earlier results in one step. What a killed run left behind is cleared away by
//! the next run to the same place: a lock tells it from that of a run that still works.

use crate::status::Failed;
use std::fs::{self, DirBuilder, File, OpenOptions, Permissions};
use std::io::{self, Write};
use std::os::unix::fs::{DirBuilderExt as _, OpenOptionsExt as _, PermissionsExt as _};
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::thread::JoinHandle;

/// The file that makes a folder known as the results of a carry.
pub(crate) const RECEIPT: &str = "receipt.json";

/// What is to be done with results that are there already.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Existing {
    Refuse,
    Replace,
}

/// A result folder in the making.
#[derive(Debug)]
pub(crate) struct ResultFolder {
    target: PathBuf,
    half: tempfile::TempDir,
    existing: Existing,
    /// Files on their way to the disk, with their names. Several at once take hardly longer than one.
    syncing: Mutex<Vec<(String, JoinHandle<io::Result<()>>)>>,
    /// Locked as long as this run lives.
    _lock: File,
}

const LOCK: &str = ".lock";

impl ResultFolder {
    /// Checks that results may be put at `target` and begins.
    pub(crate) fn begin(target: &Path, existing: Existing) -> Result<Self, Failed> {
        check_target(target, existing)?;
        let (parent, name) = split(target)?;
        let prefix = format!(".{name}.half-");
        clear_leftovers(&parent, &prefix);
        let half = tempfile::Builder::new()
            .prefix(&prefix)
            .permissions(Permissions::from_mode(0o700))
            .tempdir_in(&parent)
            .map_err(|error| Failed::file(&parent, "write into the folder", &error))?;
        let lock = File::create(half.path().join(LOCK))
            .and_then(|file| file.try_lock().map(|()| file).map_err(io::Error::from))
            .map_err(|error| Failed::file(target, "write", &error))?;
        Ok(Self { target: target.to_owned(), half, existing, syncing: Mutex::default(), _lock: lock })
    }

    /// Writes one file, readable by its owner only.
    pub(crate) fn write(
        &self,
        name: &str,
        write: impl FnOnce(&mut dyn Write) -> io::Result<()>,
    ) -> Result<(), Failed> {
        let path = self.half.path().join(name);
        let write_file = || {
            if let Some(folder) = path.parent().filter(|folder| *folder != self.half.path()) {
                DirBuilder::new().recursive(true).mode(0o700).create(folder)?;
            }
            let file = OpenOptions::new().write(true).create_new(true).mode(0o600).open(&path)?;
            let mut buffered = io::BufWriter::with_capacity(1 << 16, EarlySync { file, unsynced: 0 });
            write(&mut buffered)?;
            let file = buffered.into_inner().map_err(io::IntoInnerError::into_error)?.file;
            let syncing = std::thread::spawn(move || file.sync_all());
            self.syncing.lock().expect("no thread panics with it").push((name.to_owned(), syncing));
            Ok(())
        };
        write_file().map_err(|error| Failed::file(&self.target.join(name), "write", &error))
    }

    /// Puts the results in their place.
    pub(crate) fn finish(self) -> Result<(), Failed> {
        let target = &self.target;
        let failed = |error: io::Error| Failed::file(target, "write", &error);
        for (name, syncing) in self.syncing.lock().expect("no thread panics with it").drain(..) {
            let synced = syncing.join().expect("syncing does not panic");
            synced.map_err(|error| Failed::file(&target.join(name), "write", &error))?;
        }
        check_target(target, self.existing)?;
        fs::remove_file(self.half.path().join(LOCK)).map_err(failed)?;
        if fs::read_dir(target).is_ok_and(|mut entries| entries.next().is_some()) {
            exchange(self.half.path(), target).map_err(failed)?;
            // The hidden folder now holds the earlier results, and goes.
            return Ok(());
        }
        fs::rename(self.half.path(), target).map_err(failed)?;
        // It is where it should be, under another name.
        let _ = self.half.keep();
        Ok(())
    }
}

/// How much is written before the system is asked to bring it to the disk.
const SYNC_EVERY: usize = 16 << 20;

/// A file that is on its way to the disk while more of it is made, so that the end is not waited for.
struct EarlySync {
    file: File,
    unsynced: usize,
}

impl Write for EarlySync {
    fn write(&mut self, piece: &[u8]) -> io::Result<usize> {
        let written = self.file.write(piece)?;
        self.unsynced += written;
        if self.unsynced >= SYNC_EVERY {
            self.unsynced = 0;
            let file = self.file.try_clone()?;
            // Whether it failed is told by the sync at the end.
            std::thread::spawn(move || file.sync_data());
        }
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }
}

#[cfg(target_os = "linux")]
fn exchange(new: &Path, old: &Path) -> io::Result<()> {
    use rustix::fs::{CWD, RenameFlags, renameat_with};
    match renameat_with(CWD, new, CWD, old, RenameFlags::EXCHANGE) {
        Err(rustix::io::Errno::INVAL | rustix::io::Errno::NOSYS) => two_steps(new, old),
        done => done.map_err(io::Error::from),
    }
}

#[cfg(not(target_os = "linux"))]
fn exchange(new: &Path, old: &Path) -> io::Result<()> {
    two_steps(new, old)
}

/// Where the file system cannot exchange: between the steps the results are absent, never half.
fn two_steps(new: &Path, old: &Path) -> io::Result<()> {
    let aside = new.with_extension("old");
    fs::rename(old, &aside)?;
    fs::rename(new, old)?;
    fs::rename(&aside, new)
}

fn check_target(target: &Path, existing: Existing) -> Result<(), Failed> {
    let shown = target.display();
    let entries = match fs::read_dir(target) {
        Ok(entries) => entries,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
        Err(error) if error.kind() == io::ErrorKind::NotADirectory => {
            return Err(Failed::message(format!("`{shown}` is a file; the results need a folder")));
        }
        Err(error) => return Err(Failed::file(target, "read the folder", &error)),
    };
    let names: Vec<_> = entries.flatten().map(|entry| entry.file_name()).collect();
    if names.is_empty() {
        return Ok(());
    }
    let is_ours = names.iter().any(|name| name == RECEIPT);
    match (existing, is_ours) {
        (Existing::Replace, true) => Ok(()),
        (Existing::Replace, false) => Err(Failed::message(format!(
            "the folder `{shown}` is not empty and holds no results of a carry, so it is not replaced"
        ))
        .help("name another folder")),
        (Existing::Refuse, true) => {
            Err(Failed::message(format!("the folder `{shown}` holds the results of an earlier carry"))
                .help("name another folder, or add `--replace` to put the new results in their place"))
        }
        (Existing::Refuse, false) => {
            Err(Failed::message(format!("the folder `{shown}` is not empty")).help("name another folder"))
        }
    }
}

fn split(target: &Path) -> Result<(PathBuf, String), Failed> {
    let name = target.file_name().map(|name| name.to_string_lossy().into_owned());
    let Some(name) = name else {
        return Err(Failed::usage(format!("`{}` cannot be the folder for the results", target.display())));
    };
    let parent = target.parent().filter(|parent| !parent.as_os_str().is_empty());
    let parent = parent.map_or_else(|| PathBuf::from("."), Path::to_owned);
    if !parent.exists() {
        DirBuilder::new()
            .recursive(true)
            .mode(0o700)
            .create(&parent)
            .map_err(|error| Failed::file(&parent, "make the folder", &error))?;
    }
    Ok((parent, name))
}

/// Removes what killed runs left behind. What cannot be removed is left: it is in nobody's way.
fn clear_leftovers(parent: &Path, prefix: &str) {
    let Ok(entries) = fs::read_dir(parent) else { return };
    for entry in entries.flatten().filter(|entry| entry.file_name().to_string_lossy().starts_with(prefix)) {
        let in_use = File::open(entry.path().join(LOCK)).is_ok_and(|file| file.try_lock().is_err());
        if !in_use {
            let _ = fs::remove_dir_all(entry.path());
        }
    }
}
