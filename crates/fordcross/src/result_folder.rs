//! A result folder is complete or absent, whenever the program is killed, and nothing of a person's goes for it.
//!
//! Everything is written into a hidden folder beside the wanted one, which is then renamed, or exchanged with the earlier
//! results in one step. One lock beside it is held from before the first look until after the last, so that two runs to one
//! place never meet. What a killed run left behind is cleared away by the next one to hold the lock.

use crate::receipt::Listed;
use crate::status::Failed;
use crate::unfinished::Unfinished;
use std::fs::{self, DirBuilder, File, OpenOptions, Permissions};
use std::io::{self, Write};
use std::os::unix::fs::{DirBuilderExt as _, MetadataExt as _, OpenOptionsExt as _, PermissionsExt as _};
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
    /// Goes before the lock does.
    _unfinished: Unfinished,
    _lock: TargetLock,
}

/// The file that marks a hidden folder of ours: another may have the same name. No result has such a file.
const MARK: &str = ".unfinished";

impl ResultFolder {
    /// Checks that results may be put at `target` and begins. No file of `inputs` may be where results are replaced.
    pub(crate) fn begin(target: &Path, existing: Existing, inputs: &[&Path]) -> Result<Self, Failed> {
        let (parent, name) = split(target)?;
        let lock = TargetLock::take(target, &parent, &name)?;
        check_target(target, existing)?;
        check_inputs(target, inputs)?;
        let prefix = format!(".{name}.half-");
        clear_leftovers(&parent, &prefix);
        let failed = |error: io::Error| Failed::file(&parent, "write into the folder", &error);
        let make = || {
            let half = tempfile::Builder::new()
                .prefix(&prefix)
                .permissions(Permissions::from_mode(0o700))
                .tempdir_in(&parent)?;
            File::create(half.path().join(MARK))?;
            Ok(half)
        };
        let (half, unfinished) = Unfinished::folder(make).map_err(failed)?;
        let target = target.to_owned();
        Ok(Self { target, half, existing, syncing: Mutex::default(), _unfinished: unfinished, _lock: lock })
    }

    /// Where the files are put first.
    pub(crate) fn half(&self) -> &Path {
        self.half.path()
    }

    /// The folder in which it is made, and becomes the result.
    pub(crate) fn parent(&self) -> &Path {
        self.half.path().parent().unwrap_or(Path::new("."))
    }

    /// Writes one file, readable by its owner only.
    pub(crate) fn write(
        &self,
        name: &str,
        write: impl FnOnce(&mut dyn Write) -> io::Result<()>,
    ) -> Result<(), Failed> {
        let path = self.half.path().join(name);
        let open = || {
            // What is written once more replaces what this run wrote.
            let mut syncing = self.syncing.lock().expect("no thread panics with it");
            if let Some(at) = syncing.iter().position(|(known, _)| known == name) {
                let (_, before) = syncing.swap_remove(at);
                drop(before.join());
                fs::remove_file(&path)?;
            }
            drop(syncing);
            if let Some(folder) = path.parent().filter(|folder| *folder != self.half.path()) {
                DirBuilder::new().recursive(true).mode(0o700).create(folder)?;
            }
            OpenOptions::new().write(true).create_new(true).mode(0o600).open(&path)
        };
        let write_file = || {
            let file = Unfinished::while_no_signal(open)?;
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
        fs::remove_file(self.half.path().join(MARK)).map_err(failed)?;
        sync_folders(self.half.path()).map_err(failed)?;
        let half = self.half.path().to_owned();
        Unfinished::while_no_signal(|| put(&half, target))?;
        let parent = half.parent().unwrap_or(Path::new("."));
        File::open(parent).and_then(|folder| folder.sync_all()).map_err(failed)?;
        if half.exists() {
            // It now holds the earlier results, which were looked at, and goes.
            return Ok(());
        }
        // It is where it should be, under another name.
        let _ = self.half.keep();
        Ok(())
    }
}

/// Puts a finished folder in its place, in one step. Nothing goes that was not looked at.
fn put(half: &Path, target: &Path) -> Result<(), Failed> {
    let failed = |error: io::Error| Failed::file(target, "write", &error);
    if !target.exists() {
        return rename_new(half, target).map_err(failed);
    }
    // The system itself takes an empty folder only.
    match fs::rename(half, target) {
        Ok(()) => return Ok(()),
        Err(error) if error.kind() == io::ErrorKind::DirectoryNotEmpty => {}
        Err(error) => return Err(failed(error)),
    }
    exchange(half, target).map_err(failed)?;
    // Somebody may have put something there between the look and the exchange.
    if let Err(changed) = earlier_results(half, target) {
        exchange(half, target).map_err(failed)?;
        return Err(changed);
    }
    Ok(())
}

/// Brings the entries of a folder and of those in it to the disk.
fn sync_folders(folder: &Path) -> io::Result<()> {
    for entry in fs::read_dir(folder)? {
        let entry = entry?;
        if entry.file_type()?.is_dir() {
            sync_folders(&entry.path())?;
        }
    }
    File::open(folder)?.sync_all()
}

/// The lock of a place for results: a file beside it, which goes with the lock.
#[derive(Debug)]
struct TargetLock {
    unfinished: Unfinished,
    _file: File,
}

impl TargetLock {
    fn take(target: &Path, parent: &Path, name: &str) -> Result<Self, Failed> {
        let path = parent.join(format!(".{name}.lock"));
        let failed = |error: &io::Error| Failed::file(parent, "write into the folder", error);
        let lock = || {
            let mut options = OpenOptions::new();
            // A link that somebody put there is not followed.
            options.write(true).create(true).truncate(false).mode(0o600).custom_flags(NO_FOLLOW);
            let file = options.open(&path)?;
            match file.try_lock() {
                Ok(()) => {}
                Err(fs::TryLockError::WouldBlock) => return Err(io::ErrorKind::WouldBlock.into()),
                Err(fs::TryLockError::Error(error)) => return Err(error),
            }
            // Another run may have ended, and its file gone, between the opening and the lock.
            let is_there = |found: fs::Metadata| file.metadata().is_ok_and(|own| own.ino() == found.ino());
            Ok(fs::symlink_metadata(&path).is_ok_and(is_there).then_some(file))
        };
        loop {
            match Unfinished::file(&path, lock) {
                Ok(Some((file, unfinished))) => return Ok(Self { unfinished, _file: file }),
                Ok(None) => {}
                Err(error) if error.kind() == io::ErrorKind::WouldBlock => {
                    return Err(Failed::message(format!("another run is writing to `{}`", target.display()))
                        .help("wait until it is done, or name another folder"));
                }
                Err(error) => return Err(failed(&error)),
            }
        }
    }
}

impl Drop for TargetLock {
    fn drop(&mut self) {
        // While the lock is held, so that nobody waits at a file that is gone.
        self.unfinished.remove();
    }
}

const NO_FOLLOW: i32 = rustix::fs::OFlags::NOFOLLOW.bits().cast_signed();

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
            // The sync at the end shows whether it failed.
            std::thread::spawn(move || file.sync_data());
        }
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }
}

/// Gives a folder a name that nothing has yet.
fn rename_new(new: &Path, target: &Path) -> io::Result<()> {
    #[cfg(target_os = "linux")]
    {
        use rustix::fs::{CWD, RenameFlags, renameat_with};
        match renameat_with(CWD, new, CWD, target, RenameFlags::NOREPLACE) {
            Err(rustix::io::Errno::INVAL | rustix::io::Errno::NOSYS) => {}
            done => return done.map_err(io::Error::from),
        }
    }
    fs::rename(new, target)
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
    let found = match fs::symlink_metadata(target) {
        Ok(found) => found,
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
        Err(error) => return Err(Failed::file(target, "read the folder", &error)),
    };
    if found.is_symlink() {
        let leads = fs::read_link(target).map(|to| format!(" to `{}`", to.display())).unwrap_or_default();
        return Err(Failed::message(format!("`{shown}` is a link{leads}; the results need a folder"))
            .help("name the folder itself"));
    }
    if !found.is_dir() {
        return Err(Failed::message(format!("`{shown}` is a file; the results need a folder")));
    }
    let mut entries =
        fs::read_dir(target).map_err(|error| Failed::file(target, "read the folder", &error))?;
    if entries.next().is_none() {
        return Ok(());
    }
    if existing == Existing::Replace {
        return earlier_results(target, target);
    }
    Err(if receipt_of(target).is_some() {
        Failed::message(format!("the folder `{shown}` holds the results of an earlier carry"))
            .help("name another folder, or add `--replace` to put the new results in their place")
    } else {
        Failed::message(format!("the folder `{shown}` is not empty")).help("name another folder")
    })
}

/// What the receipt in a folder lists, if it is one of ours.
fn receipt_of(folder: &Path) -> Option<Listed> {
    let text = crate::files::read_own(&folder.join(RECEIPT), crate::files::MAX_OWN);
    text.ok().and_then(|text| Listed::parse(&text))
}

/// Whether a folder holds what its receipt lists, as it was written, and nothing else. Messages call it `target`.
fn earlier_results(folder: &Path, target: &Path) -> Result<(), Failed> {
    let shown = target.display();
    let not_ours = |why: String| {
        Failed::message(format!("the folder `{shown}` is not replaced: {why}"))
            .help("name another folder, or move out of it what you want to keep")
    };
    let Some(listed) = receipt_of(folder) else {
        return Err(not_ours("it is not empty and has no results of a carry".to_owned()));
    };
    let mut folders = vec![folder.to_owned()];
    while let Some(at) = folders.pop() {
        let entries = fs::read_dir(&at).map_err(|error| Failed::file(&at, "read the folder", &error))?;
        for entry in entries {
            let path = entry.map_err(|error| Failed::file(&at, "read the folder", &error))?.path();
            let name = path.strip_prefix(folder).unwrap_or(&path).to_string_lossy().into_owned();
            let found = fs::symlink_metadata(&path).map_err(|error| Failed::file(&path, "read", &error))?;
            if found.is_dir() {
                if !listed.has_below(&name) {
                    return Err(not_ours(format!("its receipt lists no folder `{name}`")));
                }
                folders.push(path);
            } else if name == RECEIPT && found.is_file() {
                // It was read above.
            } else if !found.is_file() || !listed.has(&name) {
                return Err(not_ours(format!("its receipt lists no `{name}`")));
            } else if !listed.is_unchanged(&name, &path) {
                return Err(not_ours(format!("`{name}` was changed since it was written")));
            }
        }
    }
    Ok(())
}

/// What a run reads must not be in what it replaces.
fn check_inputs(target: &Path, inputs: &[&Path]) -> Result<(), Failed> {
    let Ok(folder) = fs::canonicalize(target) else { return Ok(()) };
    let within = |input: &&&Path| fs::canonicalize(input).is_ok_and(|input| input.starts_with(&folder));
    match inputs.iter().find(within) {
        Some(input) => Err(Failed::message(format!(
            "the folder `{}` is not replaced: it contains `{}`, which this run reads",
            target.display(),
            input.display()
        ))
        .help("name another folder")),
        None => Ok(()),
    }
}

fn split(target: &Path) -> Result<(PathBuf, String), Failed> {
    let name = target.file_name().map(|name| name.to_string_lossy().into_owned());
    let name = name.filter(|_| target != Path::new("-"));
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

/// Removes what killed runs left behind; whoever holds the lock of the place may. What cannot be removed is left: it is in
/// nobody's way.
fn clear_leftovers(parent: &Path, prefix: &str) {
    let Ok(entries) = fs::read_dir(parent) else { return };
    for entry in entries.flatten().filter(|entry| entry.file_name().to_string_lossy().starts_with(prefix)) {
        let path = entry.path();
        let is_marked = fs::symlink_metadata(path.join(MARK)).is_ok_and(|found| found.is_file());
        // The mark goes last; what is whole is known by its receipt.
        let is_ours = is_marked || earlier_results(&path, &path).is_ok();
        let _ = if is_ours { fs::remove_dir_all(path) } else { fs::remove_dir(path) };
    }
}
