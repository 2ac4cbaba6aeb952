//! `profile`: the profiles and crossings at hand, and what is wrong with a person's own.

use super::plan::{parse, reported};
use crate::arguments::{General, ProfileCommand, SchemaOf};
use crate::library;
use crate::output::table::columns;
use crate::output::{BOLD, Printer, count};
use crate::sources::Sources;
use crate::status::{Failed, Status};
use fordcross_core::crossing::Effect;
use fordcross_core::library::{Checking, CrossingFile, Library};
use serde_json::{Value, json};
use std::io::Read;

pub(crate) fn profile(
    general: &General,
    command: &ProfileCommand,
    input: &mut dyn Read,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    match command {
        ProfileCommand::List => list(general, printer),
        ProfileCommand::Try(options) => super::profile_try::try_out(general, options, input, printer),
        ProfileCommand::Show { platform } => super::profile_show::show(general, platform, printer),
        ProfileCommand::Schema { kind } => {
            printer.line(match kind {
                SchemaOf::Profile => fordcross_profiles::PROFILE_SCHEMA.trim_end(),
                SchemaOf::Crossing => fordcross_profiles::CROSSING_SCHEMA.trim_end(),
                SchemaOf::Output => fordcross_profiles::OUTPUT_SCHEMA.trim_end(),
            })?;
            Ok(Status::Done)
        }
        ProfileCommand::Check { folders } => {
            let folders: Vec<_> = general.profiles.iter().chain(folders).cloned().collect();
            match check(general, &folders, printer) {
                // Mistakes in rules are what was asked for, not a failure to answer.
                Err(Failed::Findings(findings, sources)) => {
                    printer.findings(&findings, &sources)?;
                    Ok(Status::Blocked)
                }
                ended => ended,
            }
        }
    }
}

fn list(general: &General, printer: &mut Printer<'_>) -> Result<Status, Failed> {
    let library = library::load(&general.profiles)?;
    let mut rows = Vec::new();
    let mut platforms = Vec::new();
    for file in library.profiles() {
        let profile = parse(file)?;
        let releases: Vec<&str> = profile.releases.iter().map(|release| release.name.as_str()).collect();
        let models: Vec<&str> = profile.models.iter().map(|model| model.name.as_str()).collect();
        platforms.push(json!({
            "platform": profile.platform, "title": profile.title, "date": profile.dated, "format": profile.format().word(),
            "releases": releases, "models": models, "file": profile.file,
        }));
        rows.push(vec![
            profile.platform.clone(),
            profile.title.clone(),
            releases.join(", "),
            models.join(", "),
        ]);
    }
    let crossings = library.crossings().iter();
    if general.json {
        let crossings: Vec<Value> = crossings
            .map(
                |file| json!({ "from": file.from.to_string(), "to": file.to.to_string(), "file": file.file }),
            )
            .collect();
        printer.result(json!({ "platforms": platforms, "crossings": crossings }));
        return Ok(Status::Done);
    }
    printer.line(&columns(&["platform", "title", "releases", "models"], &[], rows))?;
    printer.line("")?;
    let rows = crossings.map(|file| vec![file.from.to_string(), file.to.to_string(), file.file.to_string()]);
    printer.line(&columns(&["from", "to", "crossing"], &[], rows))?;
    Ok(Status::Done)
}

fn check(
    general: &General,
    folders: &[std::path::PathBuf],
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    let library = library::load(folders)?;
    let mut warnings = Vec::new();
    let mut sources = Sources::default();
    // All are checked, as a profile of one's own may take the place of one that ships; it is told of one's own.
    let is_told = |ships: bool| folders.is_empty() || !ships;
    for file in library.profiles() {
        let profile = reported(file, file.check())?;
        if !is_told(file.ships()) {
            continue;
        }
        let (settings, objects) = profile.declared();
        let secrets = profile.secrets();
        if general.json {
            let secrets: Vec<Value> =
                secrets.iter().map(|(what, kept)| json!({ "what": what, "kept": kept })).collect();
            printer.result(json!({
                "file": profile.file, "settings": settings, "objects": objects, "secrets": secrets,
                "identity": profile.identity(),
            }));
            continue;
        }
        printer.line(&format!("{BOLD}{}{BOLD:#}", profile.file))?;
        printer.line(&format!(
            "  {} and {} declared",
            count(settings, "setting"),
            count(objects, "object")
        ))?;
        for (what, kept) in secrets {
            printer.line(&format!("  secret   {what}, kept {kept}"))?;
        }
        for what in profile.identity() {
            printer.line(&format!("  identity {what}"))?;
        }
    }
    for file in library.crossings() {
        let crossing = check_whole(&library, file)?;
        let summary = crossing.summary();
        warnings.extend(crossing.warnings.iter().cloned());
        sources.add(&file.file, &file.text);
        if !is_told(file.ships()) {
            continue;
        }
        if general.json {
            let deeds = |deeds: &[Effect]| -> Vec<Value> {
                deeds
                    .iter()
                    .map(|deed| json!({ "what": deed.what, "detail": deed.detail, "line": deed.line }))
                    .collect()
            };
            printer.result(json!({
                "file": crossing.file, "rules": summary.rules, "adds": deeds(&summary.adds),
                "drops": deeds(&summary.drops), "by_hand": deeds(&summary.by_hand),
            }));
            continue;
        }
        printer.line(&format!("{BOLD}{}{BOLD:#}", crossing.file))?;
        printer.line(&format!("  {} to {}: {}", crossing.from, crossing.to, count(summary.rules, "rule")))?;
        for (word, deeds) in
            [("adds", &summary.adds), ("drops", &summary.drops), ("by hand", &summary.by_hand)]
        {
            for deed in deeds {
                printer.line(&format!("  {word:<8} {} (line {}): {}", deed.what, deed.line, deed.detail))?;
            }
        }
    }
    if !general.json {
        printer.line(if warnings.is_empty() { "\nno problems found" } else { "" })?;
    }
    printer.findings(&warnings, &sources)?;
    Ok(Status::Done)
}

/// A crossing with its expressions checked too, whether it ships or not.
fn check_whole(library: &Library, file: &CrossingFile) -> Result<fordcross_core::crossing::Crossing, Failed> {
    let old = parse(library.profile(&file.from.platform)?)?.at(&file.from.release)?;
    let new = parse(library.profile(&file.to.platform)?)?.at(&file.to.release)?;
    let file = CrossingFile { checking: Checking::Whole, ..file.clone() };
    file.parse(&old, &new, library).map_err(|findings| {
        let mut sources = Sources::default();
        sources.add(&file.file, &file.text);
        library.shared().iter().for_each(|(name, text)| sources.add(name, text));
        Failed::Findings(findings, sources)
    })
}
