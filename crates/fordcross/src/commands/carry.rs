//! `carry`: converts a backup and accounts for every setting.

use super::map::read_map;
use super::plan::{Inputs, Plan, load, open_base, read_base, threads};
use crate::arguments::{Carry, General};
use crate::backup_file::InputFile;
use crate::output::table::columns;
use crate::output::{BOLD, Printer, count};
use crate::passphrase::new_passphrase;
use crate::receipt::{Entry, RunningHash, receipt};
use crate::result_folder::{Existing, RECEIPT, ResultFolder};
use crate::sources::Sources;
use crate::status::{Failed, Status, needs_person};
use crate::wall::{self, Openings};
use fordcross_core::account::{LedgerWriter, Untyped};
use fordcross_core::backup::Backup;
use fordcross_core::carry::{Carried, CarryInput, FateCount, Scan, carry as carry_over};
use fordcross_core::fate::Fate;
use fordcross_core::finding::Finding;
use fordcross_core::mapping::{
    Accepted, MapContents, MapFile, MapUse, Mapping, Proposal, UsedNames, used_names, used_ports, write_map,
};
use fordcross_core::opening::{Member, Passphrase, encrypt};
use fordcross_core::profile::{Container, Installed, Profile};
use serde_json::{Value, json};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::mpsc::sync_channel;

pub(crate) fn carry(
    general: &General,
    options: &Carry,
    input: &mut dyn Read,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    let passphrase = if options.encrypt { Some(new_passphrase(&options.way.reading)?) } else { None };
    let existing = if options.replace { Existing::Replace } else { Existing::Refuse };
    // Where nothing can be put, nothing is read; and what is read is read behind a wall with one opening.
    let folder = ResultFolder::begin(&options.output, existing, &read_from(general, options))?;
    wall::raise(Openings { writable: &[folder.half()], replaceable: &[folder.parent()] });
    let inputs = load(general, &options.way, input)?;
    let ready = inputs.ready(general, &options.way)?;
    let base_file = read_base(&options.base, &options.way.reading, &inputs, input)?;
    let base = base_file.as_ref().map(|file| open_base(file, &inputs)).transpose()?;
    let walk = ready.walk();
    check_answers(&options.answers, &ready)?;
    let decisions =
        decide((options.map.as_deref(), options.same_names), &inputs, &ready, &walk, base.as_ref())?;
    let names = used_names(&ready.backup, ready.old(), &walk);
    let map_name = options
        .map
        .as_ref()
        .and_then(|path| path.file_name())
        .map(|name| name.to_string_lossy().into_owned());
    let map_name = map_name.unwrap_or_else(|| MAP.to_owned());
    let said = decisions.map.as_ref().map(|(_, map)| map.clone()).unwrap_or_default();
    let mapping = Mapping::new(&map_name, &decisions.proposals, &said);
    let input = CarryInput {
        backup: &ready.backup,
        course: &ready.course,
        model: ready.new_model(&inputs.receiver),
        proposals: &decisions.proposals,
        mapping: &mapping,
        answers: &options.answers,
        severities: &general.severity,
        accepted: &said.accepted,
        base: base.as_ref(),
        pins: options.pin.into(),
        threads: threads(),
    };
    let mut carried = carry_over(input, walk);
    let noticed = ready.notices.iter().cloned().chain(decisions.findings).collect();
    carried.add_findings(noticed);
    let mut entries = input_entries(options, &inputs, &ready)?;
    let of_base = base_file.iter().flat_map(|file| file.entries.iter().cloned());
    entries.extend(of_base.map(|entry| entry.in_role("base")));
    let files = write(
        &folder,
        options,
        &inputs,
        &ready,
        (&entries, &decisions.proposals, &names),
        &mut carried,
        passphrase.as_ref(),
    )?;
    folder.finish()?;
    let counts = carried.counts();
    if general.json {
        printer.result(to_json(&carried, &counts, &files));
    } else {
        print(printer, options, &carried, &counts, &files)?;
    }
    printer.findings(&carried.findings, &Sources::default())?;
    let needing = carried.findings.iter().filter(|finding| needs_person(finding)).count();
    let strict = options.strict.then_some(carried.accepted().len() + needing);
    let status = Status::of_carry(carried.is_blocked(), &counts, strict);
    // The program ends here, and the system takes memory back faster than millions of rows can be freed.
    std::mem::forget(carried);
    Ok(status)
}

/// All that a run reads.
fn read_from<'o>(general: &'o General, options: &'o Carry) -> Vec<&'o Path> {
    let reading = &options.way.reading;
    let named = [&options.map, &reading.passphrase_file].into_iter().flatten();
    let named = named
        .chain(&options.base)
        .chain(&reading.also)
        .map(PathBuf::as_path)
        .chain([options.way.backup.as_path()]);
    named.chain(general.profiles.iter().map(PathBuf::as_path)).collect()
}

pub(super) const LEDGER: &str = "ledger.jsonl";
pub(super) const MAP: &str = "map.toml";
/// Where each file goes on the receiving system.
const INSTALL: &str = "install.csv";

pub(super) struct Decisions {
    map: Option<(String, MapFile)>,
    pub(super) proposals: Vec<Proposal>,
    pub(super) findings: Vec<Finding>,
}

/// The map that is used: the person's, with proposals for what it does not say.
pub(super) fn decide(
    (map, same_names): (Option<&Path>, bool),
    inputs: &Inputs,
    ready: &Plan<'_>,
    walk: &Scan,
    base: Option<&Backup<'_>>,
) -> Result<Decisions, Failed> {
    let model = ready.new_model(&inputs.receiver);
    let used = used_ports(&ready.backup, &ready.course[0], walk);
    let map = match map {
        Some(path) => Some(read_map(path, &used, ready, model, MapUse::Carry)?),
        None => None,
    };
    let given = map.as_ref().map(|(_, map)| map.clone()).unwrap_or_default();
    let (proposals, findings) = ready.propose(&used, model, (&given, MapUse::Carry), base, same_names);
    Ok(Decisions { map, proposals, findings })
}

/// Answers must be to what the crossings ask, and of the type that is asked for.
fn check_answers(answers: &[(String, String)], ready: &Plan<'_>) -> Result<(), Failed> {
    let asks = || ready.course.iter().flat_map(|leg| &leg.crossing.asks);
    for (fact, answer) in answers {
        let known: Vec<String> = asks().map(|ask| format!("`{}` ({})", ask.fact, ask.wanted())).collect();
        let listed = if known.is_empty() {
            "the crossings of this path ask nothing".to_owned()
        } else {
            format!("the crossings of this path ask {}", known.join(", "))
        };
        let Some(ask) = asks().find(|ask| ask.fact == *fact) else {
            return Err(
                Failed::usage(format!("`--answer {fact}={answer}`: nothing asks `{fact}`")).help(listed)
            );
        };
        if !ask.takes(answer) {
            return Err(Failed::usage(format!("`--answer {fact}={answer}`: expected {}", ask.wanted()))
                .help(format!("{}; without an answer the default `{}` is used", ask.why, ask.default)));
        }
    }
    Ok(())
}

/// A finding that a person passed, for the receipt.
fn accepted_json(accepted: &Accepted) -> Value {
    json!({
        "finding": accepted.finding, "shows": accepted.shows, "reason": accepted.reason,
        "by": accepted.by, "on": accepted.on,
    })
}

/// All that went in, apart from a base.
fn input_entries(options: &Carry, inputs: &Inputs, ready: &Plan<'_>) -> Result<Vec<Entry>, Failed> {
    let mut entries = inputs.file.entries.clone();
    entries.extend(
        ready
            .profile_files
            .iter()
            .map(|file| Entry::new("profile", &file.file, file.text.as_bytes()).of(file.ships())),
    );
    entries.extend(
        ready
            .crossing_files
            .iter()
            .map(|file| Entry::new("crossing", &file.file, file.text.as_bytes()).of(file.ships())),
    );
    if let Some(path) = &options.map {
        let text = crate::files::read_text(path)?;
        entries.push(Entry::new("map", &path.display().to_string(), text.as_bytes()));
    }
    Ok(entries)
}

/// Writes all result files; gives back their names.
fn write(
    folder: &ResultFolder,
    options: &Carry,
    inputs: &Inputs,
    ready: &Plan<'_>,
    (entries, proposals, names): (&[Entry], &[Proposal], &UsedNames),
    carried: &mut Carried<'_, '_>,
    passphrase: Option<&Passphrase>,
) -> Result<Vec<String>, Failed> {
    let given_map = options.map.as_deref().map(crate::files::read_text).transpose()?;
    let untyped = if options.show_untyped { Untyped::Show } else { Untyped::Hide };
    let write_result = |files: &[Member]| {
        let mut outputs = Vec::new();
        for member in files {
            let mut name = result_name(&inputs.file, ready.new_profile(), &member.path);
            let mut bytes = Cow::Borrowed(member.bytes.as_slice());
            if let Some(passphrase) = passphrase {
                name += ".age";
                let failed =
                    |error: std::io::Error| Failed::message(format!("cannot encrypt the result: {error}"));
                bytes = encrypt(&bytes, passphrase).map_err(failed)?.into();
            }
            folder.write(&name, |out| out.write_all(&bytes))?;
            outputs.push(Entry::new("configuration", &name, &bytes));
        }
        if let Some(table) = install_table(ready.new_profile(), files, &outputs) {
            folder.write(INSTALL, |out| out.write_all(&table))?;
            outputs.push(Entry::new("install", INSTALL, &table));
        }
        Ok::<_, Failed>(outputs)
    };
    let (ledger, result) = carried.write(|rows| write_ledger(folder, &rows.untyped(untyped)), write_result);
    let mut outputs = result.transpose()?.unwrap_or_default();
    outputs.push(ledger?);
    let contents = MapContents {
        proposals,
        from: &ready.from(),
        to: &inputs.receiver.to_string(),
        unit: ready.backup.identity.unit.as_deref(),
        used: names,
    };
    let map = write_map(&contents, given_map.as_deref());
    folder.write(MAP, |out| out.write_all(map.as_bytes()))?;
    outputs.push(Entry::new("map", MAP, map.as_bytes()));
    let decided = json!({
        "from": ready.from(),
        "read_as": ready.backup.identity.read_as,
        "to": inputs.receiver.to_string(),
        "blocked": carried.is_blocked(),
        "fates": fates(&carried.counts()),
        "accepted": carried.accepted().iter().map(accepted_json).collect::<Vec<_>>(),
    });
    let receipt = receipt(entries, &decided, &outputs);
    folder.write(RECEIPT, |out| out.write_all(receipt.as_bytes()))?;
    Ok(outputs.iter().map(|entry| entry.file.clone()).chain([RECEIPT.to_owned()]).collect())
}

/// A line for each file of the result of which the receiving platform says where it goes; nothing where it says so of none.
fn install_table(new: &Profile, files: &[Member], outputs: &[Entry]) -> Option<Vec<u8>> {
    let goes = |(file, written): (&Member, &Entry)| {
        let name = if file.path.is_empty() { &written.file } else { &file.path };
        new.installed(name).map(|goes| (written.file.clone(), goes))
    };
    let mut rows: Vec<(String, Installed)> = files.iter().zip(outputs).filter_map(goes).collect();
    rows.sort_by_key(|(_, goes)| goes.order);
    if rows.is_empty() {
        return None;
    }
    let mut table = csv::Writer::from_writer(Vec::new());
    let head = ["file", "path", "owner", "group", "mode", "order"].map(str::to_owned);
    let lines = (1..).zip(rows).map(|(number, (file, goes))| {
        [file, goes.path, goes.owner, goes.group, goes.mode, usize::to_string(&number)]
    });
    // Into memory nothing fails.
    let written = std::iter::once(head).chain(lines).try_for_each(|line| table.write_record(line));
    written.ok().and_then(|()| table.into_inner().ok())
}

/// What a file of the result is called: by the backup and the receiving platform, or as that wants it in a folder of its own.
pub(super) fn result_name(backup: &InputFile, new: &Profile, path: &str) -> String {
    // What is packed has several endings.
    let is_ending = |ending: &str| {
        ["gz", "zst", "age", "tar", "tgz", "zip"].contains(&ending.to_ascii_lowercase().as_str())
    };
    let mut stem = backup.name.as_str();
    while let Some((rest, ending)) = stem.rsplit_once('.') {
        if rest.is_empty() {
            break;
        }
        stem = rest;
        if !is_ending(ending) {
            break;
        }
    }
    if !path.is_empty() {
        return format!("{stem}.{}/{path}", new.platform);
    }
    let ending = new.container().map_or(Some(new.format().ending()), Container::ending);
    format!("{stem}.{}.{}", new.platform, ending.unwrap_or_default())
}

/// Rows that one worker makes at a time.
const BLOCK: usize = 2_048;

/// Writes the ledger. Workers make blocks of rows; one thread hashes and writes them in their order.
fn write_ledger(folder: &ResultFolder, rows: &LedgerWriter<'_>) -> Result<Entry, Failed> {
    let blocks = rows.len().div_ceil(BLOCK);
    let workers = std::thread::available_parallelism().map_or(1, usize::from).clamp(1, 4).min(blocks.max(1));
    let next = AtomicUsize::new(0);
    std::thread::scope(|scope| {
        let (made, pieces) = sync_channel::<(usize, Vec<u8>)>(workers);
        for _ in 0..workers {
            let (made, mut rows, next) = (made.clone(), rows.clone(), &next);
            scope.spawn(move || {
                loop {
                    let block = next.fetch_add(1, Ordering::Relaxed);
                    if block >= blocks {
                        return;
                    }
                    let mut piece = Vec::with_capacity(BLOCK * 512);
                    rows.write_rows(block * BLOCK..rows.len().min((block + 1) * BLOCK), &mut piece);
                    // A writer that failed takes no more; what it has to say comes below.
                    if made.send((block, piece)).is_err() {
                        return;
                    }
                }
            });
        }
        drop(made);
        let mut hash = RunningHash::default();
        folder.write(LEDGER, |out| {
            let mut early: BTreeMap<usize, Vec<u8>> = BTreeMap::new();
            let mut wanted = 0;
            for (block, piece) in pieces {
                early.insert(block, piece);
                while let Some(piece) = early.remove(&wanted) {
                    hash.add(&piece);
                    out.write_all(&piece)?;
                    wanted += 1;
                }
            }
            Ok(())
        })?;
        Ok(hash.entry("ledger", LEDGER))
    })
}

fn fates(counts: &[FateCount]) -> Value {
    let sums = Fate::ALL.iter().filter_map(|&fate| {
        let of_fate = counts.iter().filter(|count| count.fate == fate);
        let (settings, objects) =
            of_fate.fold((0, 0), |sum, count| (sum.0 + count.settings, sum.1 + count.objects));
        (settings + objects > 0)
            .then(|| (fate.word().to_owned(), json!({ "settings": settings, "objects": objects })))
    });
    Value::Object(sums.collect())
}

fn print(
    printer: &mut Printer<'_>,
    options: &Carry,
    carried: &Carried<'_, '_>,
    counts: &[FateCount],
    files: &[String],
) -> Result<(), Failed> {
    // A column for each fate that occurs, the mildest first; numbers are settings.
    let occurring: Vec<Fate> = Fate::ALL
        .iter()
        .copied()
        .filter(|&fate| counts.iter().any(|count| count.fate == fate && count.settings > 0))
        .collect();
    let mut sections: Vec<&str> = Vec::new();
    for count in counts.iter().filter(|count| !sections.contains(&count.section.as_str())).collect::<Vec<_>>()
    {
        if !sections.contains(&count.section.as_str()) {
            sections.push(&count.section);
        }
    }
    let cell = |section: Option<&str>, fate: Option<Fate>| {
        let fits = |count: &&FateCount| {
            section.is_none_or(|s| count.section == s) && fate.is_none_or(|f| count.fate == f)
        };
        counts.iter().filter(fits).map(|count| count.settings).sum::<usize>()
    };
    let number = |number: usize| if number == 0 { "-".to_owned() } else { number.to_string() };
    let row = |name: &str, section: Option<&str>| {
        let mut row = vec![name.to_owned()];
        row.extend(occurring.iter().map(|&fate| number(cell(section, Some(fate)))));
        row.push(number(cell(section, None)));
        row
    };
    let rows = sections.iter().map(|section| row(section, Some(section))).chain([row("all", None)]);
    let heads: Vec<&str> =
        ["section"].into_iter().chain(occurring.iter().map(|fate| fate.word())).chain(["all"]).collect();
    let right: Vec<usize> = (1..heads.len()).collect();
    printer.line(&columns(&heads, &right, rows))?;
    let objects: usize = counts.iter().map(|count| count.objects).sum();
    printer.line(&format!(
        "\n  {} and {} in the backup, each with one fate.",
        count(cell(None, None), "setting"),
        count(objects, "object")
    ))?;
    for (origin, number) in carried.origins() {
        printer.line(&format!(
            "  {} {}.",
            count(number, "setting") + " of the result" + if number == 1 { " is" } else { " are" },
            origin.about()
        ))?;
    }
    if carried.base_replaced() > 0 {
        printer.line(&format!(
            "  {} of the base {} overwritten or removed.",
            count(carried.base_replaced(), "setting"),
            if carried.base_replaced() == 1 { "was" } else { "were" }
        ))?;
    }
    let (taken, left) = carried.comments();
    if taken + left > 0 {
        let told = match (taken, left) {
            (taken, 0) => format!("{} copied.", count(taken, "comment")),
            (0, left) => format!("{} not copied.", count(left, "comment")),
            (taken, left) => format!("{} copied, {left} not.", count(taken, "comment")),
        };
        printer.line(&format!("  {told}"))?;
    }
    let work = carried.work();
    if !work.is_empty() {
        printer.line("\n  Runbook:")?;
        for (phase, text) in work {
            printer.line(&format!("    {}: {text}", phase.label()))?;
        }
    }
    if carried.is_blocked() {
        printer.line(&format!(
            "\n{BOLD}blocked{BOLD:#}: no configuration was written; the blockers are listed below"
        ))?;
    }
    printer.line(&format!("\nwritten to {}:", options.output.display()))?;
    for file in files {
        printer.line(&format!("  {file}"))?;
    }
    printer.line("")?;
    Ok(())
}

fn to_json(carried: &Carried<'_, '_>, counts: &[FateCount], files: &[String]) -> Value {
    let count = |count: &FateCount| {
        json!({
            "section": count.section, "fate": count.fate.word(),
            "settings": count.settings, "objects": count.objects,
        })
    };
    let work: Vec<Value> =
        carried.work().iter().map(|(phase, text)| json!({ "phase": phase.word(), "do": text })).collect();
    json!({
        "blocked": carried.is_blocked(),
        "counts": counts.iter().map(count).collect::<Vec<_>>(),
        "comments_taken": carried.comments().0,
        "comments_left": carried.comments().1,
        "base_replaced": carried.base_replaced(),
        "work": work,
        "files": files,
    })
}
