//! The output of `survey` for one backup, for people and for programs.

use crate::backup_file::InputFile;
use crate::output::table::columns;
use crate::output::{BOLD, Printer, clean, count};
use crate::status::Failed;
use fordcross_core::backup::Backup;
use fordcross_core::library::ProfileFile;
use fordcross_core::opening::Outcome;
use fordcross_core::profile::Profile;
use fordcross_core::survey::listing::{Read, Statement};
use fordcross_core::survey::{Expiring, Listed, SecretCount, SectionCount, Survey};
use fordcross_core::typing::Protection;
use serde_json::{Value, json};

/// A backup with all that is known of it.
pub(crate) struct Surveyed<'s> {
    pub(crate) file: &'s InputFile,
    pub(crate) backup: &'s Backup<'s>,
    pub(crate) profile: &'s Profile,
    pub(crate) survey: &'s Survey,
}

/// Days, for people: in months and years once there are many.
fn age(days: i64) -> String {
    let number = |number: i64, thing: &str| count(usize::try_from(number).unwrap_or(0), thing);
    match days {
        ..=-1 => format!("{} in the future: check the unit's clock", number(-days, "day")),
        0 => "today".into(),
        1..=59 => format!("{} ago", number(days, "day")),
        60..=729 => format!("{} ago, about {}", number(days, "day"), number(days / 30, "month")),
        _ => format!("{} ago, about {}", number(days, "day"), number(days / 365, "year")),
    }
}

pub(crate) fn print(
    printer: &mut Printer<'_>,
    surveyed: &Surveyed<'_>,
    profile_file: &ProfileFile,
) -> Result<(), Failed> {
    let Surveyed { file, profile, survey, .. } = *surveyed;
    print_head(printer, surveyed)?;
    let dated = profile.dated.as_deref().map(|date| format!(" of {date}")).unwrap_or_default();
    printer.line(&format!("  read under the profile {}{dated}\n", profile_file.file))?;
    print_files(printer, survey)?;
    let total = SectionCount { name: "all".into(), ..survey.total() };
    let rows = survey.sections.iter().chain([&total]).map(|section| {
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
            "  {} unknown to the profile: `carry` will tell whether a rule covers {}.",
            count(total.unknown, "setting") + if total.unknown == 1 { " is" } else { " are" },
            if total.unknown == 1 { "it" } else { "them" }
        ))?;
    }
    print_secrets(printer, survey)?;
    if survey.comments > 0 {
        let reported = if survey.comments == 1 { "not a setting" } else { "not settings" };
        printer.line(&format!("  {} ({reported}).", count(survey.comments, "comment")))?;
    }
    print_listed(printer, &survey.disabled, "entry is disabled", "entries are disabled")?;
    print_listed(
        printer,
        &survey.unnamed,
        "object is not referenced by anything",
        "objects are not referenced by anything",
    )?;
    print_expiring(printer, &survey.expiring)?;
    if let Some(candidate) = &survey.candidate {
        let reported = &candidate.differences;
        if reported.count == 0 {
            printer
                .line(&format!("  `{}` and `{}` are identical.", candidate.active, candidate.candidate))?;
        } else {
            printer.line(&format!(
                "  It has two configurations: `{}` is in force; `{}` was being worked on, and is carried with\n  \
                `--configuration candidate`. It differs in {}: {}.",
                candidate.active,
                candidate.candidate,
                count(reported.count, "setting"),
                listed(reported)
            ))?;
        }
    }
    let identity = profile.identity();
    if !identity.is_empty() {
        printer.line(&format!("  identity (must not be live twice): {}.", identity.join(", ")))?;
    }
    print_integrity(printer, file)?;
    for path in &survey.lacking {
        printer.line(&format!(
            "  A full backup of this platform has a file `{}`, which is missing here.",
            clean(path)
        ))?;
    }
    if !profile.never_held.is_empty() {
        printer.line("  A backup of this platform never holds:")?;
        for never in &profile.never_held {
            printer.line(&format!("    - {}: {}", never.what, never.remedy))?;
        }
    }
    Ok(())
}

/// Platform, release, unit, age, kind and how it is wrapped.
fn print_head(printer: &mut Printer<'_>, surveyed: &Surveyed<'_>) -> Result<(), Failed> {
    let Surveyed { file, backup, profile, survey } = *surveyed;
    let identity = &backup.identity;
    let model = identity.model.as_deref().and_then(|name| profile.model(name).ok());
    let unit = model.map_or(profile.title.as_str(), |model| model.title.as_str());
    printer.line(&format!("{BOLD}{}{BOLD:#}", clean(backup.tree.source().name)))?;
    let build = identity.build.as_ref().map(|build| format!(", build {build}")).unwrap_or_default();
    printer.line(&format!("  {} on release {}{}", clean(unit), clean(&identity.release), clean(&build)))?;
    let mut about = Vec::new();
    about.extend(identity.unit.as_ref().map(|unit| format!("of `{unit}`")));
    if let Some(taken) = &identity.taken {
        about.push(match survey.age_days {
            Some(days) => format!("taken {taken}, {}", age(days)),
            None => format!("taken {taken}"),
        });
    }
    about.extend(identity.kind.as_ref().map(|kind| match identity.is_whole {
        _ if identity.only_changes => {
            format!("kind `{kind}`, which holds only changes from the factory settings")
        }
        Some(false) => format!("kind `{kind}`, which is partial"),
        _ => format!("kind `{kind}`"),
    }));
    about.extend(identity.label.as_ref().map(|label| format!("label `{label}`")));
    if !about.is_empty() {
        printer.line(&format!("  {}", clean(&about.join("; "))))?;
    }
    let wrapped: Vec<&str> = file.wrapped.iter().map(|wrapping| wrapping.word()).collect();
    let packed = (!wrapped.is_empty()).then(|| {
        let (size, unpacked) = file.sizes;
        format!("{} in {}, {} unpacked", wrapped.join(", "), count(size, "byte"), count(unpacked, "byte"))
    });
    let parts = (file.parts > 0).then(|| format!("joined from {}", count(file.parts, "part")));
    let files = (file.pieces.len() > 1).then(|| count(file.pieces.len(), "file"));
    let charset = (!file.charset.is_utf8()).then(|| format!("text in {}", file.charset.name()));
    let form: Vec<String> = [packed, parts, files, charset].into_iter().flatten().collect();
    if !form.is_empty() {
        printer.line(&format!("  {}", form.join("; ")))?;
    }
    if !survey.components.is_empty() {
        let components: Vec<String> =
            survey.components.iter().map(|(name, release)| format!("{name} {release}")).collect();
        printer.line(&format!("  with {}", clean(&components.join(", "))))?;
    }
    Ok(())
}

/// The files of a backup of several, and how much of it is configuration.
fn print_files(printer: &mut Printer<'_>, survey: &Survey) -> Result<(), Failed> {
    if survey.files.is_empty() {
        return Ok(());
    }
    let rows = survey.files.iter().map(|file| {
        let about = match (file.known, file.data) {
            (false, _) => "not known to the profile",
            (true, true) => "data",
            (true, false) => "",
        };
        vec![clean(&file.path), file.bytes.to_string(), about.to_owned()]
    });
    printer.line(&columns(&["file", "bytes", ""], &[1], rows))?;
    let sum = |data: bool| -> usize {
        survey.files.iter().filter(|file| file.data == data).map(|file| file.bytes).sum()
    };
    if sum(true) > 0 {
        printer.line(&format!(
            "  {} of configuration, {} of data",
            count(sum(false), "byte"),
            count(sum(true), "byte")
        ))?;
    }
    printer.line("")?;
    Ok(())
}

fn print_secrets(printer: &mut Printer<'_>, survey: &Survey) -> Result<(), Failed> {
    if survey.is_redacted_copy() {
        return Ok(printer.line("  A redacted copy: its secrets are hidden, and it cannot be carried.")?);
    }
    for SecretCount { kept, count: number, key } in &survey.secrets {
        let what = count(*number, "secret");
        let reported = match kept {
            Protection::Plaintext => format!("{what} in plaintext."),
            Protection::Hash(scheme) => {
                format!("{what} hashed ({scheme}): usable on any system that accepts it.")
            }
            Protection::Bound => format!("{what} encrypted with a key that only the old unit has."),
            Protection::Masked => format!("{what} masked in the backup: set them again on the new unit."),
        };
        printer.line(&format!("  {reported}"))?;
        if let Some(key) = key {
            printer.line(&format!("    Using them needs {}.", clean(key)))?;
        }
    }
    if survey.must_be_guarded() {
        printer.line(
            "  Guard this file, and everything made from it, like a key: keep it readable for you only.",
        )?;
    }
    Ok(())
}

fn listed(reported: &Listed) -> String {
    let more = reported.count - reported.locators.len();
    let listed = clean(&reported.locators.join(", "));
    if more > 0 { format!("{listed} and {more} more") } else { listed }
}

fn print_listed(
    printer: &mut Printer<'_>,
    reported: &Listed,
    one: &str,
    several: &str,
) -> Result<(), Failed> {
    match reported.count {
        0 => {}
        1 => printer.line(&format!("  1 {one}: {}.", listed(reported)))?,
        number => printer.line(&format!("  {number} {several}: {}.", listed(reported)))?,
    }
    Ok(())
}

/// So many days before its end something is worth a look.
const SOON: i64 = 60;

fn print_expiring(printer: &mut Printer<'_>, expiring: &[Expiring]) -> Result<(), Failed> {
    for Expiring { locator, until, days_left } in expiring {
        let until = until.map_or_else(|| "a day that cannot be read".to_owned(), |until| until.to_string());
        let about = match days_left {
            Some(days) if *days < 0 => {
                let ago = count(usize::try_from(-days).unwrap_or(usize::MAX), "day");
                format!("EXPIRED {until} ({ago} ago)")
            }
            Some(days) if *days <= SOON => {
                format!("expires {until} (in {})", count(usize::try_from(*days).unwrap_or_default(), "day"))
            }
            _ => format!("expires {until}"),
        };
        printer.line(&format!("  {} {about}.", clean(locator)))?;
    }
    Ok(())
}

fn print_integrity(printer: &mut Printer<'_>, file: &InputFile) -> Result<(), Failed> {
    let lists: Vec<&str> = file.checked.iter().map(|checked| checked.list.as_str()).collect();
    if let Some(list) = lists.first() {
        let same = file.checked.iter().filter(|checked| checked.outcome == Outcome::Same).count();
        printer.line(&format!(
            "  checksums: {same} of {} match `{}`.",
            count(file.checked.len(), "file"),
            clean(list)
        ))?;
    }
    Ok(())
}

/// So many characters of a value are shown in a list; `--json` has them all.
const SHOWN_OF_VALUE: usize = 60;

fn shortened(value: &str) -> String {
    let characters = value.chars().count();
    if characters <= SHOWN_OF_VALUE {
        return value.to_owned();
    }
    let start: String = value.chars().take(SHOWN_OF_VALUE).collect();
    format!("{}… ({characters} characters)", start.trim_end())
}

/// Everything in the backup as it was read, and what the profile does not know of it.
pub(crate) fn print_tree(printer: &mut Printer<'_>, read: &[Read]) -> Result<(), Failed> {
    let in_one_file = read.iter().all(|one| one.file == read[0].file);
    let place = |one: &Read| {
        if in_one_file { one.at.line.to_string() } else { format!("{}:{}", one.file, one.at.line) }
    };
    let has_statements = read.iter().any(|one| one.statement != Statement::None);
    let mut last: Option<(String, &Statement)> = None;
    let rows = read.iter().map(|one| {
        let value = match &one.value {
            Some(value) => shortened(value),
            None if one.is_secret => "(secret)".to_owned(),
            None => String::new(),
        };
        let by = match &one.statement {
            // Once for all that it makes.
            _ if last.as_ref().is_some_and(|(at, by)| *at == place(one) && **by == one.statement) => {
                String::new()
            }
            Statement::Shape(shape) => shortened(shape),
            Statement::Unknown => "no statement fits".to_owned(),
            Statement::None => String::new(),
        };
        last = Some((place(one), &one.statement));
        let known = if one.is_known { String::new() } else { "not declared".to_owned() };
        let mut row = vec![place(one), one.locator.clone(), value];
        if has_statements {
            row.push(by);
        }
        row.push(known);
        row
    });
    let heads: &[&str] = if has_statements {
        &["line", "setting or object", "value", "by the statement", ""]
    } else {
        &["line", "setting or object", "value", ""]
    };
    printer.line("")?;
    printer.line(&columns(heads, if in_one_file { &[0] } else { &[] }, rows))?;
    let unknown: Vec<&Read> = read.iter().filter(|one| one.statement == Statement::Unknown).collect();
    if !unknown.is_empty() {
        printer
            .line(&format!("\n  {} that no statement of the profile fits:", count(unknown.len(), "line")))?;
        for one in unknown {
            printer.line(&format!(
                "    {}: {}",
                clean(&place(one)),
                clean(one.value.as_deref().unwrap_or(&one.locator))
            ))?;
        }
    }
    Ok(())
}

pub(crate) fn tree_json(read: &[Read]) -> Value {
    let one = |read: &Read| {
        let statement = match &read.statement {
            Statement::Shape(shape) => Some(shape),
            Statement::Unknown | Statement::None => None,
        };
        json!({
            "file": read.file, "line": read.at.line, "column": read.at.column, "locator": read.locator,
            "kind": if read.is_object { "object" } else { "setting" }, "value": read.value,
            "secret": read.is_secret, "known": read.is_known && read.statement != Statement::Unknown,
            "statement": statement,
        })
    };
    read.iter().map(one).collect()
}

pub(crate) fn to_json(surveyed: &Surveyed<'_>) -> Value {
    let Surveyed { file, backup, profile, survey } = *surveyed;
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
    let secret = |secret: &SecretCount| {
        let kept = match &secret.kept {
            Protection::Plaintext => "clear",
            Protection::Hash(_) => "hash",
            Protection::Bound => "bound",
            Protection::Masked => "masked",
        };
        json!({ "kept": kept, "count": secret.count, "key": secret.key })
    };
    let reported = |reported: &Listed| json!({ "count": reported.count, "locators": reported.locators });
    let expiring = |expiring: &Expiring| {
        json!({
            "locator": expiring.locator, "until": expiring.until.map(|until| until.to_string()),
            "days_left": expiring.days_left,
        })
    };
    let checked = file.checked.iter().map(|checked| {
        let outcome = match checked.outcome {
            Outcome::Same => "same",
            Outcome::Differs => "differs",
            Outcome::Missing => "missing",
        };
        json!({ "list": checked.list, "file": checked.path, "outcome": outcome })
    });
    let files = survey.files.iter().map(
        |file| json!({ "path": file.path, "bytes": file.bytes, "data": file.data, "known": file.known }),
    );
    json!({
        "file": backup.tree.source().name,
        "wrapped": file.wrapped.iter().map(|wrapping| wrapping.word()).collect::<Vec<_>>(),
        "parts": file.parts,
        "files": files.collect::<Vec<_>>(),
        "bytes": file.sizes.0,
        "bytes_unpacked": file.sizes.1,
        "charset": file.charset.name(),
        "platform": profile.platform,
        "model": identity.model,
        "release": identity.release,
        "build": identity.build,
        "read_as": identity.read_as,
        "taken": identity.taken,
        "age_days": survey.age_days,
        "kind": identity.kind,
        "label": identity.label,
        "unit": identity.unit,
        "whole": identity.is_whole,
        "only_changes": identity.only_changes,
        "lacking": survey.lacking,
        "components": survey.components.iter()
            .map(|(name, release)| json!({ "name": name, "release": release })).collect::<Vec<_>>(),
        "profile": { "file": profile.file, "date": profile.dated },
        "sections": survey.sections.iter().map(section).collect::<Vec<_>>(),
        "secrets": survey.secrets.iter().map(secret).collect::<Vec<_>>(),
        "guard": survey.must_be_guarded(),
        "comments": survey.comments,
        "disabled": reported(&survey.disabled),
        "unnamed": reported(&survey.unnamed),
        "expiring": survey.expiring.iter().map(expiring).collect::<Vec<_>>(),
        "candidate": survey.candidate.as_ref().map(|candidate| json!({
            "active": candidate.active, "candidate": candidate.candidate,
            "differences": reported(&candidate.differences),
        })),
        "hashes": checked.collect::<Vec<_>>(),
        "identity": profile.identity(),
        "never_held": never_held,
    })
}
