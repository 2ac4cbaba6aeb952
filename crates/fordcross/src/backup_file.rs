//! Backups as they lie on the disk: a file, parts of one, a folder or several; read and unwrapped in memory.

use crate::arguments::Reading;
use crate::files::{files_below, most_bytes, name_of, read_file, too_large};
use crate::folder::{read_folder, remark_findings};
use crate::passphrase::with_passphrase;
use crate::raw::{Content, Raw};
use crate::receipt::{Entry, RunningHash};
use crate::status::Failed;
use crate::wall::limit_memory;
use fordcross_core::backup::{is_backup_of_files, passed_over};
use fordcross_core::finding::Finding;
use fordcross_core::library::Library;
use fordcross_core::opening::{
    About, Charset, Checked, Limits, Member, Opened, Opening, Remark, Wrapping, is_encrypted, join_parts,
    open, open_folder, part_of,
};
use fordcross_core::roots::{is_beside, roots_of};
use fordcross_core::source::{Piece, Source};
use fordcross_core::tree::max_nodes_in;
use std::fs;
use std::io::Read;
use std::path::{Path, PathBuf};
/// A backup that was read whole, with the name that messages use.
#[derive(Debug)]
pub(crate) struct InputFile {
    pub(crate) name: String,
    pub(crate) text: String,
    /// Its files, each with its place in the text.
    pub(crate) pieces: Vec<Piece>,
    pub(crate) charset: Charset,
    /// What it was wrapped in, from the outside in.
    pub(crate) wrapped: Vec<Wrapping>,
    /// It is a folder.
    pub(crate) is_folder: bool,
    /// How many parts it was in, if it was in parts.
    pub(crate) parts: usize,
    /// How many bytes it has, as it was read and when it is unwrapped.
    pub(crate) sizes: (usize, usize),
    /// What checking lists of hashes in it gave.
    pub(crate) checked: Vec<Checked>,
    /// What was read, for the receipt: each part or file.
    pub(crate) entries: Vec<Entry>,
    /// Files that are data, and were not read.
    pub(crate) passed_over: Vec<String>,
    /// What else is in the folder and is no plain file of it.
    pub(crate) remarks: Vec<Remark>,
    /// The folders in it, those without files among them.
    pub(crate) folders: Vec<String>,
    /// What was noticed while it was read.
    pub(crate) reported: Vec<Finding>,
    /// How many settings and objects there is memory for.
    pub(crate) max_nodes: usize,
}

impl InputFile {
    pub(crate) fn source(&self) -> Source<'_> {
        Source {
            name: &self.name,
            text: &self.text,
            pieces: &self.pieces,
            folders: &self.folders,
            max_nodes: self.max_nodes,
            trace: None,
        }
    }

    /// What the backup is known by, however it is packed: the same for the same files.
    pub(crate) fn hash(&self) -> String {
        let mut hash = RunningHash::default();
        if self.pieces.len() > 1 {
            self.pieces.iter().for_each(|piece| hash.add(piece.path.as_bytes()));
        }
        hash.add(self.text.as_bytes());
        hash.entry("backup", &self.name).hash().to_owned()
    }
}

/// Reads a backup: a file, the first of several parts, a folder; `-` is standard input.
pub(crate) fn read_backup(
    path: &Path,
    input: &mut dyn Read,
    reading: &Reading,
    library: &Library,
) -> Result<InputFile, Failed> {
    let memory = limit_memory(reading.max_memory);
    let most = most_bytes(memory);
    let mut raw = read_raw(path, input, reading, library, most)?;
    let limits = Limits {
        most: reading.max_unpacked.unwrap_or(Limits::default().most).min(most),
        ratio: Limits::default().ratio.filter(|_| reading.max_unpacked.is_none()),
        ..Limits::default()
    };
    let mut opening = Opening { charset: reading.charset, limits, passphrase: None };
    let size = match &raw.content {
        Content::File(bytes) => bytes.len(),
        Content::Folder(members, _) => members.iter().map(|member| member.bytes.len()).sum(),
    };
    let is_folder = matches!(raw.content, Content::Folder(..));
    let mut opened = match raw.content {
        Content::File(bytes) if is_encrypted(&bytes) => with_passphrase(reading, &raw.name, |passphrase| {
            opening.passphrase = passphrase;
            open(&raw.name, bytes.clone(), &opening)
        })?,
        Content::File(bytes) => open(&raw.name, bytes, &opening)?,
        Content::Folder(members, folders) => Opened { folders, ..open_folder(&raw.name, members, &opening)? },
    };
    for piece in &mut opened.pieces {
        let (path, table) = piece.path.split_once('#').map_or((&*piece.path, None), |(a, b)| (a, Some(b)));
        if let Some(file) = raw.files.get(path) {
            piece.file = table.map_or_else(|| file.clone(), |table| format!("{file}#{table}"));
        }
    }
    let Opened { text, mut pieces, mut folders, remarks, charset, wrapped, size: unpacked, checked } = opened;
    if wrapped.iter().any(|wrapping| matches!(wrapping, Wrapping::Archive(_))) {
        let files = pieces.iter().map(|piece| &piece.path);
        let paths: Vec<String> = files.chain(remarks.iter().map(|remark| &remark.path)).cloned().collect();
        let roots = roots_of(&raw.name, &paths, library)?;
        raw.reported.extend(roots.beside_finding(&raw.name, pieces.iter().map(|piece| piece.path.as_str())));
        // Messages go on naming them as the archive does.
        pieces.iter_mut().for_each(|piece| piece.path = roots.path(&piece.path));
        folders.iter_mut().for_each(|path| *path = roots.path(path));
        // Data are data in an archive, too.
        let paths: Vec<String> = paths.iter().map(|path| roots.path(path)).collect();
        let mut is_data = passed_over(&paths, library).into_iter();
        let (data, own): (Vec<Piece>, Vec<Piece>) =
            pieces.into_iter().partition(|_| is_data.next() == Some(true));
        raw.passed_over.extend(data.into_iter().map(|piece| piece.path));
        pieces = own;
        for (remark, is_data) in remarks.into_iter().zip(is_data) {
            match remark.about {
                About::Followed { .. } if is_data => {}
                _ if is_data => raw.passed_over.push(remark.path),
                _ if is_beside(&roots.path(&remark.path)) => {}
                _ => raw.remarks.push(remark),
            }
        }
        if pieces.is_empty() {
            let findings = remark_findings(&raw.name, &raw.remarks);
            let nothing = || Failed::message(format!("the archive `{}` has no files", raw.name));
            return Err(if findings.is_empty() { nothing() } else { findings.into() });
        }
    }
    // The name of the one file in what was packed; what has several keeps its own.
    let name = match pieces.as_slice() {
        [piece] if !wrapped.iter().any(|wrapping| matches!(wrapping, Wrapping::Archive(_))) => {
            piece.path.clone()
        }
        _ => raw.name,
    };
    Ok(InputFile {
        name,
        text,
        pieces,
        charset,
        wrapped,
        is_folder,
        parts: raw.parts,
        sizes: (size, unpacked),
        checked,
        entries: raw.entries,
        passed_over: raw.passed_over,
        remarks: raw.remarks,
        folders,
        reported: raw.reported,
        max_nodes: max_nodes_in(memory),
    })
}

fn read_raw(
    path: &Path,
    input: &mut dyn Read,
    reading: &Reading,
    library: &Library,
    most: u64,
) -> Result<Raw, Failed> {
    if path == Path::new("-") {
        let mut bytes = Vec::new();
        input.take(most + 1).read_to_end(&mut bytes).map_err(|error| Failed::file(path, "read", &error))?;
        if bytes.len() as u64 > most {
            return Err(too_large(path, most));
        }
        let name = "standard-input".to_owned();
        let entries = vec![Entry::new("backup", &name, &bytes)];
        return Ok(Raw::file(name, bytes, 0, entries));
    }
    if let Some((whole, parts)) = parts_of(path) {
        return read_parts(&whole, &parts, most);
    }
    let found = fs::metadata(path).map_err(|error| Failed::file(path, "read", &error))?;
    let name = name_of(path);
    if found.is_dir() {
        return read_folder(path, name, reading, library, most);
    }
    if let Some(also) = reading.also.first() {
        let message =
            format!("`{}` is not a folder, so `{}` cannot be a second one", path.display(), also.display());
        return Err(Failed::message(message).help("name the two folders of the configuration"));
    }
    if !found.is_file() {
        return Err(Failed::message(format!("`{}` is not a file; name a backup", path.display())));
    }
    let bytes = read_file(path, most).map_err(|unread| unread.reported(path, most))?;
    let entries = vec![Entry::new("backup", &name, &bytes)];
    Ok(Raw::file(name, bytes, 0, entries))
}

/// The path of a file from its folder on.
fn inside(folder: &Path, path: &Path) -> String {
    let folder = folder.strip_prefix(".").unwrap_or(folder);
    path.strip_prefix(folder).unwrap_or(path).to_string_lossy().into_owned()
}

/// The parts that a path stands for: it is one of them, or the name of the whole, which itself is not there.
fn parts_of(path: &Path) -> Option<(PathBuf, Vec<PathBuf>)> {
    let name = path.file_name()?.to_string_lossy().into_owned();
    let whole = match part_of(&name) {
        Some((whole, _)) if path.is_file() => whole.to_owned(),
        _ if path.exists() => return None,
        _ => name,
    };
    let folder = path.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let entries = fs::read_dir(folder).ok()?;
    let mut parts: Vec<PathBuf> = entries
        .flatten()
        .filter(|entry| {
            let name = entry.file_name();
            part_of(&name.to_string_lossy()).is_some_and(|(of, _)| of == whole)
        })
        .map(|entry| entry.path())
        .filter(|path| path.is_file())
        .collect();
    parts.sort();
    (!parts.is_empty()).then(|| (path.with_file_name(whole), parts))
}

fn read_parts(whole: &Path, paths: &[PathBuf], most: u64) -> Result<Raw, Failed> {
    let mut members = Vec::new();
    let mut left = most;
    for path in paths {
        let bytes = read_file(path, left).map_err(|unread| unread.reported(path, most))?;
        left -= bytes.len() as u64;
        members.push(Member { path: name_of(path), bytes });
    }
    let name = name_of(whole);
    let entries = members.iter().map(|part| Entry::new("backup", &part.path, &part.bytes)).collect();
    let bytes = join_parts(&name, &members)?;
    Ok(Raw::file(name, bytes, paths.len(), entries))
}

/// The backups in a folder and below it: files, the first of several parts, folders that are one backup.
pub(crate) fn backups_below(folder: &Path, library: &Library) -> Result<Vec<PathBuf>, Failed> {
    let files = files_below(folder)?;
    if is_backup(folder, &files, library) {
        return Ok(vec![folder.to_owned()]);
    }
    let mut backups: Vec<PathBuf> = Vec::new();
    // The folders that hold the file before, which are no backup themselves.
    let mut looked_at: Vec<&Path> = Vec::new();
    let mut next = 0;
    while let Some(file) = files.get(next) {
        looked_at.retain(|above| file.starts_with(above));
        let inner =
            file.ancestors().skip(1).take_while(|above| *above != folder && above.starts_with(folder));
        let mut inner: Vec<&Path> = inner.collect();
        inner.reverse();
        let mut found = None;
        for &inner in inner.iter().skip(looked_at.len()) {
            // They are in order, so what a folder holds is together.
            let below = files[next..].iter().take_while(|file| file.starts_with(inner)).count();
            if is_backup(inner, &files[next..next + below], library) {
                found = Some((inner, below));
                break;
            }
            looked_at.push(inner);
        }
        if let Some((found, below)) = found {
            backups.push(found.to_owned());
            next += below;
            continue;
        }
        next += 1;
        let name = name_of(file);
        let is_later_part = part_of(&name).is_some_and(|(whole, _)| {
            let same = |other: &PathBuf| {
                other.parent() == file.parent() && part_of(&name_of(other)).is_some_and(|(of, _)| of == whole)
            };
            backups.iter().any(same)
        });
        if !is_later_part {
            backups.push(file.clone());
        }
    }
    Ok(backups)
}

fn is_backup(folder: &Path, files: &[PathBuf], library: &Library) -> bool {
    let paths: Vec<String> = files.iter().map(|file| inside(folder, file)).collect();
    is_backup_of_files(&paths, library)
}
