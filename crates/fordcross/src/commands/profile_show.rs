//! `profile show`: what a profile declares.

use super::plan::parse;
use crate::arguments::General;
use crate::library;
use crate::output::table::columns;
use crate::output::{BOLD, Printer};
use crate::status::{Failed, Status};
use fordcross_core::profile::{Declared, Model, Profile};
use serde_json::{Value, json};

pub(crate) fn show(general: &General, platform: &str, printer: &mut Printer<'_>) -> Result<Status, Failed> {
    let library = library::load(&general.profiles)?;
    let (platform, release) =
        platform.split_once('@').map_or((platform, None), |(platform, release)| (platform, Some(release)));
    let whole = parse(library.profile(platform)?)?;
    let profile = release.map_or_else(|| Ok(whole.clone()), |release| whole.at(release))?;
    if general.json {
        printer.result(to_json(&profile, release));
        return Ok(Status::Done);
    }
    let dated = profile.dated.as_deref().map(|date| format!(" of {date}")).unwrap_or_default();
    printer.line(&format!("{BOLD}{}{BOLD:#}, {}{dated}", profile.title, profile.file))?;
    let releases: Vec<&str> = profile.releases.iter().map(|release| release.name.as_str()).collect();
    printer.line(&format!(
        "  {} with `{}`; releases {}",
        profile.format().word().to_uppercase(),
        profile.marker(),
        releases.join(", ")
    ))?;
    for model in &profile.models {
        printer.line(&format!("\n{BOLD}{}/{}{BOLD:#}  {}", profile.platform, model.name, model.title))?;
        printer.line(&columns(&["port", "medium", "speed", "role"], &[2], ports(model)))?;
        for limit in &model.limits {
            printer.line(&format!("  at most {} {}", limit.most, limit.of))?;
        }
    }
    printer.line("")?;
    let rows = profile.declarations().into_iter().map(|declared| {
        let releases = releases_of(&declared);
        vec![
            declared.path,
            declared.kind,
            declared.default.unwrap_or_default(),
            releases,
            declared.about.join("; "),
        ]
    });
    printer.line(&columns(&["path", "type", "default", "releases", ""], &[], rows))?;
    Ok(Status::Done)
}

/// Ports that are together and are alike, in one row.
fn ports(model: &Model) -> Vec<Vec<String>> {
    let mut groups: Vec<(&str, &str, &fordcross_core::profile::Port)> = Vec::new();
    for port in &model.ports {
        match groups.last_mut() {
            Some((_, last, first))
                if (&first.medium, first.speed, &first.role) == (&port.medium, port.speed, &port.role) =>
            {
                *last = &port.name;
            }
            _ => groups.push((&port.name, &port.name, port)),
        }
    }
    let row = |(first, last, port): &(&str, &str, &fordcross_core::profile::Port)| {
        let names = if first == last { (*first).to_owned() } else { format!("{first}..{last}") };
        let speed = if port.speed % 1_000 == 0 {
            format!("{}G", port.speed / 1_000)
        } else {
            format!("{}M", port.speed)
        };
        vec![names, port.medium.clone(), speed, port.role.clone().unwrap_or_default()]
    };
    groups.iter().map(row).collect()
}

fn releases_of(declared: &Declared) -> String {
    match (&declared.from, &declared.until) {
        (None, None) => String::new(),
        (Some(from), None) => format!("from {from}"),
        (None, Some(until)) => format!("until {until}"),
        (Some(from), Some(until)) => format!("{from} to {until}"),
    }
}

fn to_json(profile: &Profile, release: Option<&str>) -> Value {
    let model = |model: &Model| {
        let ports: Vec<Value> = model
            .ports
            .iter()
            .map(|port| json!({ "name": port.name, "medium": port.medium, "mbit": port.speed, "role": port.role }))
            .collect();
        let limits: Vec<Value> =
            model.limits.iter().map(|limit| json!({ "of": limit.of, "most": limit.most })).collect();
        json!({ "name": model.name, "title": model.title, "ports": ports, "limits": limits })
    };
    let declared = |declared: &Declared| {
        json!({
            "path": declared.path, "type": declared.kind, "about": declared.about,
            "default": declared.default, "from": declared.from, "until": declared.until,
        })
    };
    json!({
        "platform": profile.platform, "title": profile.title, "date": profile.dated, "format": profile.format().word(),
        "release": release,
        "releases": profile.releases.iter().map(|release| &release.name).collect::<Vec<_>>(),
        "models": profile.models.iter().map(model).collect::<Vec<_>>(),
        "declares": profile.declarations().iter().map(declared).collect::<Vec<_>>(),
    })
}
