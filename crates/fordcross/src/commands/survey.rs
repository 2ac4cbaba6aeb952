//! `survey`: what a backup is and what is in it.

use super::way::{open, treated_as};
use crate::arguments::{General, HideWhat, Survey};
use crate::files::{InputFile, files_below, read_backup, write_new};
use crate::library;
use crate::output::findings::print_findings;
use crate::output::table::columns;
use crate::output::{BOLD, Printer, Sources, clean, count};
use crate::receipt::Entry;
use crate::status::{Failed, Status};
use fordcross_core::backup::Backup;
use fordcross_core::inventory::{Item, Remark, inventory};
use fordcross_core::library::{Library, ProfileFile};
use fordcross_core::profile::Profile;
use fordcross_core::redact::{Hide, redact};
use fordcross_core::survey::{self, SectionCount};
use serde_json::{Value, json};
use std::collections::HashMap;
use std::io::Read;
use std::path::{Path, PathBuf};

pub(crate) fn survey(
    general: &General,
    options: &Survey,
    input: &mut dyn Read,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    let library = library::load(&general.profiles)?;
    let today = general.today.unwrap_or_else(|| jiff::ZonedDateTime::now().date());
    let is_list = options.backups.len() > 1 || options.backups.iter().any(|path| path.is_dir());
    if let Some(copy) = &options.redacted {
        return redacted(general, options, &library, copy, input, printer);
    }
    if is_list && !options.each {
        return list(general, options, &library, today, input, printer);
    }
    let mut status = Status::Done;
    let mut answers = Vec::new();
    for (index, path) in files(&options.backups)?.iter().enumerate() {
        let file = read_backup(path, input, &options.reading);
        let opened = file
            .as_ref()
            .map_err(|_| ())
            .map(|file| open(file, &library, options.reading.treat_as.as_deref()));
        match (file.as_ref().err().is_some(), opened) {
            (false, Ok(Ok((backup, profile, profile_file)))) => {
                let counted = survey::survey(&backup, &profile, today);
                let Ok(file) = &file else { continue };
                if general.json {
                    answers.push(to_json(file, &backup, &profile, &counted));
                    continue;
                }
                if index > 0 {
                    printer.line("")?;
                }
                print(printer, file, &backup, &profile, profile_file, &counted)?;
                if let Some(finding) = treated_as(&backup) {
                    print_findings(printer, &[finding], &Sources::default())?;
                }
            }
            // One bad backup of several does not hide what is in the others.
            (false, Ok(Err(failed))) => status = failed.tell(printer.err),
            _ => {
                if let Err(failed) = file {
                    status = failed.tell(printer.err);
                }
            }
        }
    }
    if general.json {
        printer.json(&Value::Array(answers))?;
    }
    Ok(status)
}

/// Writes a copy to show to others. It is new: what is there is never written over.
fn redacted(
    general: &General,
    options: &Survey,
    library: &Library,
    copy: &Path,
    input: &mut dyn Read,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    let [path] = options.backups.as_slice() else {
        return Err(Failed::usage("`--redacted` makes a copy of one backup").help("name one"));
    };
    let file = read_backup(path, input, &options.reading)?;
    let (backup, profile, _) = open(&file, library, options.reading.treat_as.as_deref())?;
    let hide: Vec<Hide> = options
        .hide
        .iter()
        .map(|what| match what {
            HideWhat::Addresses => Hide::Addresses,
            HideWhat::Names => Hide::Names,
        })
        .collect();
    let made = redact(&backup, &profile, &hide);
    write_new(copy, made.text.as_bytes())?;
    if general.json {
        printer.json(&json!({
            "file": copy.display().to_string(), "secrets": made.secrets, "names": made.names,
            "addresses": made.addresses,
        }))?;
        return Ok(Status::Done);
    }
    printer.line(&format!("{BOLD}{}{BOLD:#}", clean(&copy.display().to_string())))?;
    printer.line(&format!(
        "  {} hidden, with settings that the profile gives no type",
        count(made.secrets, "secret")
    ))?;
    if hide.contains(&Hide::Names) {
        printer.line(&format!("  {} hidden", count(made.names, "name")))?;
    }
    if hide.contains(&Hide::Addresses) {
        printer
            .line(&format!("  {} replaced by addresses for documentation", count(made.addresses, "place")))?;
    }
    printer.line("  Look it through before you show it: what a person wrote into notes can tell more.")?;
    Ok(Status::Done)
}

/// The files that were named; a folder stands for all in it.
fn files(named: &[PathBuf]) -> Result<Vec<PathBuf>, Failed> {
    let mut files = Vec::new();
    for path in named {
        if path.is_dir() { files.extend(files_below(path)?) } else { files.push(path.clone()) }
    }
    Ok(files)
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
    for path in files(&options.backups)? {
        let file = path.display().to_string();
        let read = read_backup(&path, input, &options.reading);
        let opened = read.and_then(|read| {
            let (backup, profile, _) = open(&read, library, options.reading.treat_as.as_deref())?;
            let identity = &backup.identity;
            let model = identity.model.as_deref().and_then(|name| profile.model(name).ok());
            let title = model.map_or(profile.title.as_str(), |model| model.title.as_str());
            shown.insert(file.clone(), (title.to_owned(), identity.release.clone(), identity.kind.clone()));
            Ok(Item {
                file: file.clone(),
                line: profile.line.clone(),
                unit: identity.unit.clone(),
                taken: identity.taken.as_deref().and_then(survey::date_of),
                is_whole: identity.is_whole,
                hash: Entry::new("backup", &read.name, read.text.as_bytes()).hash().to_owned(),
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
        printer.json(&list_json(&listed, &shown, &left))?;
    } else {
        print_list(printer, &listed, &shown, &left, today)?;
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
        let these =
            if left.len() == 1 { "1 file is".to_owned() } else { format!("{} files are", left.len()) };
        printer.line(&format!("\n  {these} no backup that can be read:"))?;
        for left in left {
            printer.line(&format!("    {}: {}", clean(&left.file), clean(&left.why)))?;
        }
    }
    Ok(())
}

fn list_json(listed: &[(Item, Vec<Remark>)], shown: &Shown, left: &[Left]) -> Value {
    let item = |(item, remarks): &(Item, Vec<Remark>)| {
        let (title, release, kind) = &shown[&item.file];
        json!({
            "file": item.file, "line": item.line, "platform": title, "release": release, "kind": kind,
            "unit": item.unit, "taken": item.taken.map(|taken| taken.to_string()), "whole": item.is_whole,
            "blake3": item.hash, "remarks": remarks.iter().map(Remark::word).collect::<Vec<_>>(),
        })
    };
    let left: Vec<Value> = left.iter().map(|left| json!({ "file": left.file, "why": left.why })).collect();
    json!({ "backups": listed.iter().map(item).collect::<Vec<_>>(), "left": left })
}

fn print(
    printer: &mut Printer<'_>,
    read: &InputFile,
    backup: &Backup<'_>,
    profile: &Profile,
    file: &ProfileFile,
    counted: &survey::Survey,
) -> Result<(), Failed> {
    let identity = &backup.identity;
    let model = identity.model.as_deref().and_then(|name| profile.model(name).ok());
    let unit = model.map_or(profile.title.as_str(), |model| model.title.as_str());
    printer.line(&format!("{BOLD}{}{BOLD:#}", clean(backup.tree.source().name)))?;
    printer.line(&format!("  {} on release {}", clean(unit), clean(&identity.release)))?;
    let mut about = Vec::new();
    about.extend(identity.unit.as_ref().map(|unit| format!("of `{unit}`")));
    if let Some(taken) = &identity.taken {
        about.push(match counted.age_days {
            Some(days) => format!("taken {taken}, {} ago", count(usize::try_from(days).unwrap_or(0), "day")),
            None => format!("taken {taken}"),
        });
    }
    about.extend(identity.kind.as_ref().map(|kind| match identity.is_whole {
        Some(false) => format!("kind `{kind}`, which does not hold everything"),
        _ => format!("kind `{kind}`"),
    }));
    about.extend(identity.label.as_ref().map(|label| format!("label `{label}`")));
    if !about.is_empty() {
        printer.line(&format!("  {}", clean(&about.join("; "))))?;
    }
    let packed = read.packing.map(|(packing, bytes)| {
        format!("{} in {}, {} unpacked", packing.word(), count(bytes, "byte"), count(read.text.len(), "byte"))
    });
    let charset = (!read.charset.is_utf8()).then(|| format!("text in {}", read.charset.name()));
    let form: Vec<String> = packed.into_iter().chain(charset).collect();
    if !form.is_empty() {
        printer.line(&format!("  {}", form.join("; ")))?;
    }
    let dated = profile.dated.as_deref().map(|date| format!(" of {date}")).unwrap_or_default();
    printer.line(&format!("  read under the profile {}{dated}\n", file.file))?;
    let total = SectionCount { name: "all".into(), ..counted.total() };
    let rows = counted.sections.iter().chain([&total]).map(|section| {
        let number = |number: usize| if number == 0 { "-".to_owned() } else { number.to_string() };
        vec![
            section.name.clone(),
            number(section.objects),
            number(section.settings),
            number(section.secrets),
            number(section.unknown),
        ]
    });
    printer.line(&columns(&["section", "objects", "settings", "secrets", "unknown"], &[1, 2, 3, 4], rows))?;
    printer.line("")?;
    if total.unknown > 0 {
        printer.line(&format!(
            "  {} unknown to the profile: whether a rule speaks of {} is for `carry` to say.",
            count(total.unknown, "setting") + if total.unknown == 1 { " is" } else { " are" },
            if total.unknown == 1 { "it" } else { "them" }
        ))?;
    }
    if total.secrets > 0 {
        printer.line(&format!(
            "  {} in it: keep this file, and what is made from it, where only you can read it.",
            count(total.secrets, "secret") + if total.secrets == 1 { " is" } else { " are" }
        ))?;
    }
    if counted.comments > 0 {
        printer.line(&format!("  {}, which are no settings.", count(counted.comments, "comment")))?;
    }
    let identity = profile.identity();
    if !identity.is_empty() {
        printer.line(&format!("  It is this unit, and no other, by {}.", identity.join(", ")))?;
    }
    if !profile.never_held.is_empty() {
        printer.line("  A backup of this line never holds:")?;
        for never in &profile.never_held {
            printer.line(&format!("    - {}: {}", never.what, never.remedy))?;
        }
    }
    Ok(())
}

fn to_json(read: &InputFile, backup: &Backup<'_>, profile: &Profile, counted: &survey::Survey) -> Value {
    let identity = &backup.identity;
    let section = |section: &SectionCount| {
        json!({
            "name": section.name, "objects": section.objects, "settings": section.settings,
            "secrets": section.secrets, "unknown": section.unknown,
        })
    };
    let never_held: Vec<Value> = profile
        .never_held
        .iter()
        .map(|never| json!({ "what": never.what, "remedy": never.remedy }))
        .collect();
    json!({
        "file": backup.tree.source().name,
        "packed": read.packing.map(|(packing, _)| packing.word()),
        "charset": read.charset.name(),
        "line": profile.line,
        "model": identity.model,
        "release": identity.release,
        "read_as": identity.read_as,
        "taken": identity.taken,
        "age_days": counted.age_days,
        "kind": identity.kind,
        "label": identity.label,
        "unit": identity.unit,
        "whole": identity.is_whole,
        "profile": { "file": profile.file, "dated": profile.dated },
        "sections": counted.sections.iter().map(section).collect::<Vec<_>>(),
        "comments": counted.comments,
        "identity": profile.identity(),
        "never_held": never_held,
    })
}
