//! `map`: what becomes of each port.

use super::plan::{Plan, load, open_base, read_base};
use crate::arguments::{General, Map};
use crate::files::read_text;
use crate::output::table::columns;
use crate::output::{Printer, count};
use crate::sources::Sources;
use crate::status::{Failed, Status};
use fordcross_core::mapping::{
    Destination, MapContents, MapFile, MapSides, MapUse, PortUse, Proposal, parse_map, used_names,
    used_ports, write_map,
};
use fordcross_core::profile::Model;
use fordcross_core::source::Source;
use serde_json::{Value, json};
use std::fs;
use std::io::{Read, Write as _};
use std::path::Path;

pub(crate) fn map(
    general: &General,
    options: &Map,
    input: &mut dyn Read,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    let inputs = load(general, &options.way, input)?;
    let ready = inputs.ready(general, &options.way)?;
    let model = ready.new_model(&inputs.receiver);
    let walk = ready.walk();
    let used = used_ports(&ready.backup, &ready.course[0], &walk);
    let existing = match &options.output {
        Some(path) if path.exists() && !fs::metadata(path).is_ok_and(|found| found.is_file()) => {
            return Err(Failed::message(format!("`{}` is not a file", path.display())).help("name another"));
        }
        Some(path) if path.exists() => Some(read_map(path, &used, &ready, model, MapUse::ProposeAgain)?),
        _ => None,
    };
    let given = existing.as_ref().map(|(_, map)| map.clone()).unwrap_or_default();
    let base_file = read_base(&options.base, &options.way.reading, &inputs, input)?;
    let base = base_file.as_ref().map(|file| open_base(file, &inputs)).transpose()?;
    let (proposals, mut findings) =
        ready.propose(&used, model, (&given, MapUse::ProposeAgain), base.as_ref(), options.same_names);
    findings.splice(0..0, ready.notices.iter().cloned());
    let open = proposals.iter().filter(|proposal| proposal.target == Destination::Open).count();
    let status = if open > 0 && options.strict { Status::PersonNeeded } else { Status::Done };
    if let Some(path) = &options.output {
        let contents = MapContents {
            proposals: &proposals,
            from: &ready.from(),
            to: &inputs.receiver.to_string(),
            unit: ready.backup.identity.unit.as_deref(),
            used: &used_names(&ready.backup, ready.old(), &walk),
        };
        let text = write_map(&contents, existing.as_ref().map(|(text, _)| text.as_str()));
        write_whole(path, &text)?;
    }
    if general.json {
        proposals.iter().for_each(|proposal| printer.result(to_json(proposal)));
        printer.findings_apart(&findings)?;
        return Ok(status);
    }
    print(printer, &proposals)?;
    match &options.output {
        Some(path) => printer.line(&format!("\nwritten to {}", path.display()))?,
        None => printer.line("\nnothing was written; add `-o FILE` to keep and edit the map")?,
    }
    if open > 0 {
        printer.line(&format!(
            "{} open: `carry` is blocked until the map decides about {}",
            count(open, "port"),
            if open == 1 { "it" } else { "them" }
        ))?;
    }
    printer.findings_apart(&findings)?;
    Ok(status)
}

/// Reads an existing map file; findings about it come with its lines.
pub(crate) fn read_map(
    path: &Path,
    used: &[PortUse],
    ready: &Plan<'_>,
    model: Option<&Model>,
    purpose: MapUse,
) -> Result<(String, MapFile), Failed> {
    let text = read_text(path)?;
    let name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let names: Vec<&str> = used.iter().map(|port| port.name.as_str()).collect();
    let platforms = (ready.old().platform.as_str(), ready.new_profile().platform.as_str());
    let unit = ready.backup.identity.unit.as_deref();
    let sides = MapSides { platforms, unit, old: ready.old_model(), new: model, used: &names };
    match parse_map(Source::new(&name, &text), &sides, purpose) {
        Ok(map) => Ok((text, map)),
        Err(findings) => {
            let mut sources = Sources::default();
            sources.add(&name, &text);
            Err(Failed::Findings(findings, sources))
        }
    }
}

fn print(printer: &mut Printer<'_>, proposals: &[Proposal]) -> Result<(), Failed> {
    let rows = proposals.iter().map(|proposal| {
        vec![
            proposal.old.clone(),
            proposal.target.word().to_owned(),
            proposal.settings.to_string(),
            proposal.why.clone(),
        ]
    });
    printer.line(&columns(&["old", "new", "settings", "why"], &[2], rows))?;
    Ok(())
}

fn to_json(proposal: &Proposal) -> Value {
    json!({
        "old": proposal.old, "new": proposal.target.word(), "settings": proposal.settings,
        "why": proposal.why, "by_person": proposal.by_person,
    })
}

/// Writes a file whole or not at all; behind a link, where that leads.
fn write_whole(path: &Path, text: &str) -> Result<(), Failed> {
    let failed = |error: std::io::Error| Failed::file(path, "write", &error);
    let path = &fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let mut half = tempfile::NamedTempFile::new_in(folder).map_err(failed)?;
    half.write_all(text.as_bytes()).and_then(|()| half.as_file().sync_all()).map_err(failed)?;
    if let Ok(found) = fs::metadata(path) {
        // A file that others may read stays so.
        half.as_file().set_permissions(found.permissions()).map_err(failed)?;
    }
    half.persist(path).map_err(|error| failed(error.error))?;
    Ok(())
}
