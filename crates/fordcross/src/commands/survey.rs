//! `survey`: what a backup is and what is in it.

use super::plan::{data_finding, hash_findings, open, parse, treated_as};
use super::survey_print::{Surveyed, print, print_tree, to_json, tree_json};
use crate::arguments::{General, Reading, Survey};
use crate::backup_file::{InputFile, backups_below, read_backup};
use crate::folder::remark_findings;
use crate::library;
use crate::output::table::columns;
use crate::output::{Printer, clean, count};
use crate::status::{Failed, Status};
use fordcross_core::backup::Backup;
use fordcross_core::finding::{Severity, apply_severities};
use fordcross_core::inventory::{Item, Remark, inventory};
use fordcross_core::library::{Library, ProfileFile};
use fordcross_core::platform::{self, ReadAs};
use fordcross_core::source::{Source, Trace};
use fordcross_core::survey;
use fordcross_core::survey::listing;
use serde_json::{Value, json};
use std::collections::HashMap;
use std::io::Read;
use std::path::PathBuf;

pub(crate) fn survey(
    general: &General,
    options: &Survey,
    input: &mut dyn Read,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    let library = library::load(&general.profiles)?;
    let today = general.today();
    let named = backups(&options.backups, &library)?;
    // A folder that is one backup is that, and no list.
    let is_list =
        named.len() > 1 || options.backups.iter().any(|path| path.is_dir() && !named.contains(path));
    if is_list && !options.each {
        return list(general, options, &library, today, input, printer);
    }
    let mut status = Status::Done;
    for (index, path) in named.iter().enumerate() {
        let file = read_backup(path, input, &options.reading, &library);
        let opened =
            file.as_ref().map_err(|_| ()).map(|file| open(file, &library, options.reading.from.as_ref()));
        match (file.as_ref().err().is_some(), opened) {
            (false, Ok(Ok((backup, profile, profile_file)))) => {
                let counted = survey::survey(&backup, &profile, today);
                let Ok(file) = &file else { continue };
                let surveyed = Surveyed { file, backup: &backup, profile: &profile, survey: &counted };
                let mut findings = hash_findings(file);
                findings.extend(treated_as(&backup));
                findings.extend(survey::taken_findings(&backup, today, options.stale_after));
                findings.extend(backup.missing_files(&profile));
                findings.extend(data_finding(file));
                findings.extend(remark_findings(&file.name, &file.remarks));
                findings.extend(file.reported.iter().cloned());
                findings.extend(backup.guessed_files(&profile));
                findings.extend(counted.unsound.iter().cloned());
                apply_severities(&mut findings, &general.severity);
                if findings.iter().any(|finding| finding.severity == Severity::Blocker) {
                    status = Status::Failed;
                }
                let read = options.tree.then(|| read_again(file, &library, &surveyed, profile_file));
                let read = read.transpose()?;
                if general.json {
                    let mut found = to_json(&surveyed);
                    if let Some(read) = &read {
                        found["tree"] = tree_json(read);
                    }
                    printer.result(found);
                } else {
                    if index > 0 {
                        printer.line("")?;
                    }
                    print(printer, &surveyed, profile_file)?;
                    if let Some(read) = &read {
                        print_tree(printer, read)?;
                    }
                }
                printer.findings_apart(&findings)?;
            }
            // One bad backup of several does not hide what is in the others.
            (false, Ok(Err(failed))) => status = printer.failed(failed),
            _ => {
                if let Err(failed) = file {
                    status = printer.failed(failed);
                }
            }
        }
    }
    Ok(status)
}

/// Everything in a backup with the statements that it is read by. It is read once more, by the one profile that it has.
fn read_again(
    file: &InputFile,
    library: &Library,
    surveyed: &Surveyed<'_>,
    profile_file: &ProfileFile,
) -> Result<Vec<listing::Read>, Failed> {
    let trace = Trace::default();
    let source = Source { trace: Some(&trace), ..file.source() };
    let release = surveyed.backup.identity.read_as.clone();
    let said = ReadAs { platform: profile_file.platform.to_string(), release: Some(release.clone()) };
    let (tree, _) = platform::read(source, library, Some(&said))?;
    let again = Backup::new(tree, parse(profile_file)?, Some(&release))?;
    Ok(listing::listing(&again, surveyed.profile, &trace))
}

/// The backups that were named; a folder stands for all in it, unless it is one.
fn backups(named: &[PathBuf], library: &Library) -> Result<Vec<PathBuf>, Failed> {
    let mut backups = Vec::new();
    for path in named {
        if path.is_dir() { backups.extend(backups_below(path, library)?) } else { backups.push(path.clone()) }
    }
    Ok(backups)
}

/// For each file the platform, the release and the kind of backup.
type Shown = HashMap<String, (String, String, Option<String>)>;

/// A file that no list can have: no backup, or one that cannot be read.
struct Left {
    file: String,
    why: String,
}

fn list(
    general: &General,
    options: &Survey,
    library: &Library,
    today: jiff::civil::Date,
    input: &mut dyn Read,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    let mut items = Vec::new();
    let mut shown = Shown::new();
    let mut left = Vec::new();
    let mut status = Status::Done;
    // A list does not stop for a question.
    let reading = Reading { never_ask: true, ..options.reading.clone() };
    for path in backups(&options.backups, library)? {
        let file = path.display().to_string();
        let read = read_backup(&path, input, &reading, library);
        let opened = read.and_then(|read| {
            let (backup, profile, _) = open(&read, library, options.reading.from.as_ref())?;
            let identity = &backup.identity;
            let model = identity.model.as_deref().and_then(|name| profile.model(name).ok());
            let title = model.map_or(profile.title.as_str(), |model| model.title.as_str());
            shown.insert(file.clone(), (title.to_owned(), identity.release.clone(), identity.kind.clone()));
            Ok(Item {
                file: file.clone(),
                platform: profile.platform.clone(),
                unit: identity.unit.clone(),
                taken: identity.taken.as_deref().and_then(survey::date_of),
                is_whole: identity.is_whole,
                hash: read.hash(),
                intact: hash_findings(&read).is_empty(),
            })
        });
        match opened {
            Ok(item) => items.push(item),
            Err(failed) => {
                left.push(Left { file, why: failed.first_line() });
                // In a folder there may be anything; what was named should be a backup.
                if options.backups.contains(&path) {
                    status = Status::Failed;
                }
            }
        }
    }
    let listed = inventory(items, today, options.stale_after);
    if general.json {
        list_json(&listed, &shown, &left).into_iter().for_each(|result| printer.result(result));
    } else {
        print_list(printer, &listed, &shown, &left, today)?;
    }
    if listed.is_empty() && left.is_empty() {
        let names: Vec<String> = options.backups.iter().map(|path| format!("`{}`", path.display())).collect();
        return Err(Failed::message(format!("there are no files in {}", names.join(", "))));
    }
    Ok(if listed.is_empty() { Status::Failed } else { status })
}

fn print_list(
    printer: &mut Printer<'_>,
    listed: &[(Item, Vec<Remark>)],
    shown: &Shown,
    left: &[Left],
    today: jiff::civil::Date,
) -> Result<(), Failed> {
    let rows = listed.iter().map(|(item, remarks)| {
        let (title, release, kind) = &shown[&item.file];
        let days = item.taken.and_then(|taken| today.since(taken).ok()).map(|span| span.get_days());
        let remarks: Vec<String> = remarks.iter().map(Remark::about).collect();
        vec![
            item.taken.map_or("-".into(), |taken| taken.to_string()),
            days.map_or("-".into(), |days| days.to_string()),
            item.unit.clone().unwrap_or_else(|| "-".into()),
            title.clone(),
            release.clone(),
            kind.clone().unwrap_or_else(|| "-".into()),
            item.file.clone(),
            remarks.join("; "),
        ]
    });
    if !listed.is_empty() {
        let heads = ["taken", "days", "unit", "platform", "release", "kind", "file", ""];
        printer.line(&columns(&heads, &[1], rows))?;
    }
    if !left.is_empty() {
        printer.line(&format!("\n  {} could not be read as a backup:", count(left.len(), "file")))?;
        for left in left {
            printer.line(&format!("    {}: {}", clean(&left.file), clean(&left.why)))?;
        }
    }
    Ok(())
}

fn list_json(listed: &[(Item, Vec<Remark>)], shown: &Shown, left: &[Left]) -> Vec<Value> {
    let item = |(item, remarks): &(Item, Vec<Remark>)| {
        let (title, release, kind) = &shown[&item.file];
        json!({
            "file": item.file, "platform": item.platform, "title": title, "release": release, "kind": kind,
            "unit": item.unit, "taken": item.taken.map(|taken| taken.to_string()), "whole": item.is_whole,
            "blake3": item.hash, "remarks": remarks.iter().map(Remark::word).collect::<Vec<_>>(),
        })
    };
    let left = left.iter().map(|left| json!({ "file": left.file, "why": left.why }));
    listed.iter().map(item).chain(left).collect()
}
