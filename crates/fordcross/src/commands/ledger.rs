//! `ledger`: looks things up in what a carry wrote.

use crate::arguments::{Format, General, Ledger};
use crate::commands::carry::LEDGER;
use crate::commands::ledger_why::why;
use crate::files::{MAX_OWN, open_file, read_own};
use crate::output::Printer;
use crate::output::rows::{CsvRows, JsonRows, RowPrinter, TableRows};
use crate::receipt::Listed;
use crate::result_folder::RECEIPT;
use crate::status::{Failed, Status};
use fordcross_core::account::row::Row;
use fordcross_core::fate::{Fate, Origin};
use std::io::{BufRead as _, BufReader};
use wildmatch::WildMatch;

pub(crate) fn ledger(
    general: &General,
    options: &Ledger,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    let known: Vec<&str> = Fate::ALL
        .iter()
        .map(|fate| fate.word())
        .chain(Origin::ALL.iter().map(|origin| origin.word()))
        .chain(["overwritten", "removed"])
        .collect();
    if let Some(unknown) = options.fate.iter().find(|fate| !known.contains(&fate.as_str())) {
        let help = format!("the fates are {}", known.join(", "));
        return Err(Failed::usage(format!("there is no fate `{unknown}`")).help(help));
    }
    let path = options.folder.join(LEDGER);
    let file = open_file(&path)
        .map_err(|failed| failed.help("name the folder that `fordcross carry … -o DIR` wrote"))?;
    check_receipt(options)?;
    if let Some(locator) = &options.why {
        return why(general, options, locator, &mut BufReader::new(file), printer);
    }
    let filter = Filter::new(options);
    let mut rows: Box<dyn RowPrinter + '_> = match if general.json { Format::Json } else { options.format } {
        Format::Json => Box::new(JsonRows(&mut *printer.out)),
        Format::Csv => Box::new(CsvRows::new(&mut *printer.out)?),
        Format::Table => Box::new(TableRows::new(&mut *printer.out)),
    };
    let mut all = 0;
    let mut sections: Vec<String> = Vec::new();
    for (number, line) in BufReader::new(file).lines().enumerate() {
        let line = line.map_err(|error| Failed::file(&path, "read", &error))?;
        let Ok(row) = Row::read(&line) else {
            let message = format!("`{}` line {} is not a row of a ledger", path.display(), number + 1);
            return Err(Failed::message(message).help("it was changed or cut off: carry the backup again"));
        };
        all += 1;
        if let Some(section) =
            row.section.as_deref().filter(|&section| !sections.iter().any(|s| s == section))
        {
            sections.push(section.to_owned());
        }
        if filter.takes(&row) {
            rows.row(&line, &row)?;
        }
    }
    if let Some(unknown) = options.section.iter().find(|section| !sections.contains(section)) {
        let help = format!("the sections are {}", sections.join(", "));
        return Err(Failed::usage(format!("there is no section `{unknown}` in this ledger")).help(help));
    }
    rows.finish(all)?;
    Ok(Status::Done)
}

/// A ledger says what it said only where it is the one that the receipt lists.
fn check_receipt(options: &Ledger) -> Result<(), Failed> {
    let again = "carry the backup again";
    let receipt = read_own(&options.folder.join(RECEIPT), MAX_OWN).map_err(|failed| {
        failed.help("without its receipt a ledger cannot be trusted: carry the backup again")
    })?;
    let listed = Listed::parse(&receipt)
        .ok_or_else(|| Failed::message("the receipt next to the ledger is not one of a carry").help(again))?;
    if listed.is_unchanged(LEDGER, &options.folder.join(LEDGER)) {
        return Ok(());
    }
    let message = format!(
        "`{}` is not the ledger listed in the receipt next to it",
        options.folder.join(LEDGER).display()
    );
    Err(Failed::message(message).help(again))
}

struct Filter<'o> {
    options: &'o Ledger,
    locators: Vec<WildMatch>,
}

impl<'o> Filter<'o> {
    fn new(options: &'o Ledger) -> Self {
        Self { options, locators: options.locator.iter().map(|pattern| WildMatch::new(pattern)).collect() }
    }

    fn takes(&self, row: &Row<'_>) -> bool {
        let among =
            |wanted: &[String], found: &str| wanted.is_empty() || wanted.iter().any(|wanted| wanted == found);
        among(&self.options.fate, row.outcome())
            && among(&self.options.section, row.section.as_deref().unwrap_or_default())
            && self.takes_locator(row)
    }

    /// Old and new places alike, so that it can also be asked where something came from.
    fn takes_locator(&self, row: &Row<'_>) -> bool {
        let landings = row.landings().iter().map(|landing| &landing.locator);
        let mut locators = row.locator.iter().chain(landings);
        self.locators.is_empty()
            || locators.any(|locator| self.locators.iter().any(|pattern| pattern.matches(locator)))
    }
}
