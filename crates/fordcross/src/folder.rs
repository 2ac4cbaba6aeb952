//! Backups that are folders: which of the files in them are read, and the findings about the others.

use crate::arguments::Reading;
use crate::facts::EntryFact;
use crate::files::{Unread, name_of, read_file, too_large};
use crate::raw::{Content, Raw};
use crate::receipt::Entry;
use crate::status::{Failed, lower};
use crate::walk::{Walked, walk};
use fordcross_core::backup::passed_over;
use fordcross_core::finding::{Count, Finding};
use fordcross_core::library::Library;
use fordcross_core::opening::{About, Member, Remark};
use fordcross_core::roots::{is_beside, roots_of};
use std::collections::{HashMap, HashSet};
use std::path::Path;

/// A folder that was gone through: what is in it, seen from where the configuration begins.
struct Part {
    name: String,
    /// What messages call it.
    shown: String,
    walked: Walked,
    /// The paths of the files, and after them those of the remarks.
    paths: Vec<String>,
    folders: Vec<String>,
    reported: Option<Finding>,
}

impl Part {
    fn new(
        folder: &Path,
        (name, shown): (String, String),
        reading: &Reading,
        library: &Library,
    ) -> Result<Self, Failed> {
        let walked = walk(folder, reading.follow_links)?;
        let named = walked.files.iter().map(|(_, inside)| inside.clone());
        let paths: Vec<String> =
            named.chain(walked.remarks.iter().map(|remark| remark.path.clone())).collect();
        let roots = roots_of(&name, &paths, library)?;
        let reported = roots.beside_finding(&name, walked.files.iter().map(|(_, inside)| inside.as_str()));
        let folders = walked.folders.iter().map(|folder| roots.path(folder)).collect();
        let paths = paths.iter().map(|path| roots.path(path)).collect();
        Ok(Self { name, shown, walked, paths, folders, reported })
    }
}

/// All files of a folder, and of the others that a person says hold more of the same configuration, as one backup.
pub(crate) fn read_folder(
    folder: &Path,
    name: String,
    reading: &Reading,
    library: &Library,
    most: u64,
) -> Result<Raw, Failed> {
    let mut parts = vec![Part::new(folder, (name.clone(), name.clone()), reading, library)?];
    for also in &reading.also {
        if !also.is_dir() {
            return Err(Failed::message(format!("`{}` is not a folder", also.display()))
                .help("a second folder must be another folder of the same configuration"));
        }
        let part = Part::new(also, (name_of(also), also.display().to_string()), reading, library)?;
        let own = &part.paths[..part.walked.files.len()];
        let known: HashSet<&String> = parts.iter().flat_map(|part| &part.paths).collect();
        if let Some(twice) = own.iter().find(|path| known.contains(path)) {
            let (one, other) = (folder.display(), also.display());
            let message =
                format!("`{twice}` is in both `{one}` and `{other}`, and only one of them can be in effect");
            return Err(Failed::message(message).help("name only the folders whose files the system reads"));
        }
        parts.push(part);
    }
    // What is data shows by all that there is.
    let paths: Vec<String> = parts.iter().flat_map(|part| part.paths.iter().cloned()).collect();
    let mut is_data = passed_over(&paths, library).into_iter();
    let mut read = Read::default();
    for part in parts {
        let of_part: Vec<bool> = is_data.by_ref().take(part.paths.len()).collect();
        read.add(part, &of_part, most)?;
    }
    let Read { mut members, entries, folders, data, remarks, reported, files, .. } = read;
    if members.is_empty() && remarks.is_empty() {
        return Err(Failed::message(format!("the folder `{}` has no files", folder.display())));
    }
    if members.is_empty() {
        let mut findings = remark_findings(&name, &remarks);
        findings.sort_by_key(|finding| finding.severity);
        return Err(findings.into());
    }
    members.sort_by(|a, b| a.path.cmp(&b.path));
    let content = Content::Folder(members, folders);
    Ok(Raw { name, content, parts: 0, entries, passed_over: data, remarks, reported, files })
}

/// What was read of folders that are one backup.
#[derive(Default)]
struct Read {
    members: Vec<Member>,
    entries: Vec<Entry>,
    folders: Vec<String>,
    /// Files that are data, and are not read.
    data: Vec<String>,
    remarks: Vec<Remark>,
    reported: Vec<Finding>,
    /// How messages name files that have another path within the backup.
    files: HashMap<String, String>,
    bytes: u64,
}

impl Read {
    fn add(&mut self, part: Part, is_data: &[bool], most: u64) -> Result<(), Failed> {
        let Part { name, shown, walked, paths, mut folders, reported } = part;
        let Walked { files, mut remarks, .. } = walked;
        self.folders.append(&mut folders);
        self.reported.extend(reported);
        for (((path, inside), seen), is_data) in files.iter().zip(&paths).zip(is_data) {
            if *is_data {
                self.data.push(inside.clone());
                continue;
            }
            match read_file(path, most - self.bytes) {
                Ok(bytes) => {
                    self.bytes += bytes.len() as u64;
                    self.entries.push(Entry::new("backup", &format!("{name}/{inside}"), &bytes));
                    if seen != inside || shown != name {
                        self.files.insert(seen.clone(), format!("{shown}/{inside}"));
                    }
                    self.members.push(Member { path: seen.clone(), bytes });
                }
                Err(Unread::TooLarge) => return Err(too_large(path, most)),
                // What is no part of the configuration need not be readable.
                Err(Unread::Failed(_)) if is_beside(seen) => {}
                Err(Unread::Failed(error)) => {
                    let about = About::Unreadable { why: lower(&error) };
                    self.remarks.push(Remark { path: inside.clone(), about });
                }
            }
        }
        // What is passed over as data is that, wherever it leads.
        let mut of_remarks = paths.iter().zip(is_data).skip(files.len());
        remarks.retain(|remark| {
            let Some((seen, is_data)) = of_remarks.next() else { return true };
            if *is_data && !matches!(remark.about, About::Followed { .. }) {
                self.data.push(remark.path.clone());
            }
            !is_data && !is_beside(seen)
        });
        self.remarks.append(&mut remarks);
        Ok(())
    }
}

/// Findings about the entries of a folder that are no plain files of it.
pub(crate) fn remark_findings(folder: &str, remarks: &[Remark]) -> Vec<Finding> {
    let at = |finding: Finding, path: &str| finding.of_file(&format!("{folder}/{path}"));
    let one = |remark: &Remark| {
        let path = remark.path.clone();
        let fact = match &remark.about {
            About::Followed { .. } => return None,
            About::Outside { to } => EntryFact::LinkOutside { path, to: to.clone() },
            About::OutsideArchive { to } => EntryFact::LinkOutsideArchive { path, to: to.clone() },
            About::Around { to } => EntryFact::LinkInCircle { path, to: to.clone() },
            About::Unreadable { why } => EntryFact::Unreadable { path, why: why.clone() },
            About::NoFile => EntryFact::NoFile { path },
        };
        Some(at(Finding::new(fact), &remark.path))
    };
    let followed: Vec<(&String, &String)> = remarks
        .iter()
        .filter_map(|remark| match &remark.about {
            About::Followed { to } => Some((&remark.path, to)),
            _ => None,
        })
        .collect();
    let reported = followed.first().map(|(path, to)| {
        let (name, to) = ((*path).clone(), (*to).clone());
        let fact = match followed.len() {
            1 => EntryFact::LinkFollowed { path: name, to },
            number => EntryFact::LinksFollowed { links: Count(number, "link"), path: name, to },
        };
        at(Finding::new(fact), path)
    });
    remarks.iter().filter_map(one).chain(reported).collect()
}
