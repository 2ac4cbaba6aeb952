//! What a crossing looks up: tables of values, constants, ports that take each other's part; and files of
//! them that several crossings include.

use super::Table;
use super::facts::CrossingFact;
use super::reader::Reader;
use crate::declaration::{Report, Section, Word, as_word};
use crate::finding::Suggestion;
use crate::language::profile::is_second_edition;
use crate::notation::Word as Pattern;
use crate::text::source::Source;
use rustc_hash::FxHashMap;

pub(super) fn read_equivalents(root: &Section<'_, '_>) -> Vec<(String, String)> {
    let Some(section) = root.section("equivalent") else { return Vec::new() };
    let pairs = section.section("ports").map(|ports| read_pairs(&ports)).unwrap_or_default();
    section.finish();
    pairs
}

fn read_pairs(section: &Section<'_, '_>) -> Vec<(String, String)> {
    let mut pairs = Vec::new();
    for (key, value) in section.members() {
        match as_word(value) {
            Some(word) => pairs.push((key.text.to_owned(), word.text.to_owned())),
            None => {
                section.report().add(value.span().into(), CrossingFact::NoString);
            }
        }
    }
    pairs
}

pub(super) fn read_tables(root: &Section<'_, '_>) -> FxHashMap<String, Table> {
    let mut tables = FxHashMap::default();
    let Some(section) = root.section("table") else { return tables };
    for (name, value) in section.members() {
        match section.as_section(value) {
            Some(rows) => {
                let word = |text: String| Pattern { pieces: vec![Some(text).filter(|text| text != "*")] };
                let rows = read_pairs(&rows).into_iter().map(|(old, new)| (word(old), word(new)));
                tables.insert(name.text.to_owned(), Table::new(rows));
            }
            None => {
                section.report().add(value.span().into(), CrossingFact::NoTranslation);
            }
        }
    }
    tables
}

pub(super) fn read_constants(root: &Section<'_, '_>) -> Vec<(String, String)> {
    root.section("constant").map(|section| read_pairs(&section)).unwrap_or_default()
}

impl Reader<'_, '_> {
    /// Takes tables and constants over from a file that several crossings share.
    pub(super) fn include(&mut self, root: &Section<'_, '_>, file: Word<'_>, shared: &[Source<'_>]) {
        let Some(source) = shared.iter().find(|source| source.name == file.text) else {
            let known: Vec<&str> = shared.iter().map(|source| source.name).collect();
            let name = file.text.to_owned();
            let fact = if known.is_empty() {
                CrossingFact::NoFilesToInclude { file: name }
            } else {
                CrossingFact::IncludeMissing { file: name, instead: Suggestion::among(file.text, known) }
            };
            root.report().add(file.span, fact);
            return;
        };
        let report = Report::new(*source);
        let table = report.parse();
        let included = Section::new(&report, table.get_ref(), table.span().into());
        if !is_second_edition(&included) {
            return root.report().take_over(report);
        }
        self.tables.extend(read_tables(&included));
        self.constants.extend(read_constants(&included));
        self.expressions.read(&included);
        included.finish();
        root.report().take_over(report);
    }
}
