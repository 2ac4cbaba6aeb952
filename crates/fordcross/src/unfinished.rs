//! Removes what is unfinished when the program is asked to end.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard};

/// What is in the making: files and folders that nobody should find half.
static UNFINISHED: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

fn unfinished() -> MutexGuard<'static, Vec<PathBuf>> {
    UNFINISHED.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
}

/// Something in the making, as long as it is.
#[derive(Debug)]
pub(crate) struct Unfinished(PathBuf);

impl Unfinished {
    /// Makes a folder that is removed if the program is asked to end.
    pub(crate) fn folder(
        make: impl FnOnce() -> io::Result<tempfile::TempDir>,
    ) -> io::Result<(tempfile::TempDir, Self)> {
        let mut all = unfinished();
        let made = make()?;
        let path = made.path().to_owned();
        all.push(path.clone());
        Ok((made, Self(path)))
    }

    /// Makes a file that is removed if the program is asked to end: one that was made is known before a signal can come between.
    /// `make` returns `None` where the file at `path` is not ours.
    pub(crate) fn file<T>(
        path: &Path,
        make: impl FnOnce() -> io::Result<Option<T>>,
    ) -> io::Result<Option<(T, Self)>> {
        let mut all = unfinished();
        let made = make()?;
        Ok(made.map(|made| {
            all.push(path.to_owned());
            (made, Self(path.to_owned()))
        }))
    }

    /// Removes it, and forgets it in the same moment: what has the path afterwards is another's.
    pub(crate) fn remove(&self) {
        let mut all = unfinished();
        remove(&self.0);
        all.retain(|path| *path != self.0);
    }

    /// Does something that must not be met halfway, by a signal or with the folder gone.
    pub(crate) fn while_no_signal<T>(act: impl FnOnce() -> T) -> T {
        let _all = unfinished();
        act()
    }
}

impl Drop for Unfinished {
    fn drop(&mut self) {
        unfinished().retain(|path| *path != self.0);
    }
}

/// What is in the making in this process, each without links.
pub(crate) fn in_the_making() -> Vec<PathBuf> {
    unfinished().iter().filter_map(|path| fs::canonicalize(path).ok()).collect()
}

/// Removes all that is unfinished and lets nothing more begin. Called once the program is asked to end.
pub(crate) fn remove_all() -> impl Sized {
    let all = unfinished();
    for path in all.iter() {
        remove(path);
    }
    all
}

/// What the run itself takes out of a folder at the same time can end the first attempt early.
const ATTEMPTS: usize = 3;

fn remove(path: &Path) {
    for _ in 0..ATTEMPTS {
        let removed = if path.is_dir() { fs::remove_dir_all(path) } else { fs::remove_file(path) };
        if removed.is_ok() || !path.exists() {
            break;
        }
    }
}
