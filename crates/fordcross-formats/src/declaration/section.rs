//! Reading our own TOML files so that every problem is reported at once, each with its exact place.
//!
//! A [`Section`] is asked for the keys it may have; what nobody asked for is a finding with the
//! nearest key that could have been meant.

use super::facts::DeclarationFact;
use super::toml_errors::TomlProblem;
use crate::finding::{Code, Fact, Finding, Findings, Location, Severity, Suggestion};
use crate::text::source::{SharedLines, Source, Span};
use crate::tree::pattern::{BadPattern, Pattern};
use std::cell::{Cell, RefCell};
use std::collections::HashSet;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

/// A text with its place.
#[derive(Clone, Copy, Debug)]
pub struct Word<'t> {
    /// What it says.
    pub text: &'t str,
    /// Where it is, with its quotes.
    pub span: Span,
}

/// Where findings of one file go.
pub struct Report<'s> {
    /// The file.
    pub source: Source<'s>,
    /// Where its lines begin, computed with the first finding: there may be very many.
    lines: SharedLines,
    findings: RefCell<Findings>,
}

impl<'s> Report<'s> {
    /// An empty report of a file.
    pub fn new(source: Source<'s>) -> Self {
        Self { source, lines: SharedLines::default(), findings: RefCell::default() }
    }

    /// Reports something at a place of the file.
    pub fn add(&self, span: Span, fact: impl Fact + 'static) {
        let mut finding = Finding::new(fact);
        finding.location = Some(Location::indexed(&self.lines.of(self.source), span));
        self.findings.borrow_mut().push(finding);
    }

    /// The line of a place of the file.
    pub fn line_of(&self, span: Span) -> u32 {
        self.lines.of(self.source).position(span.start).line
    }

    /// Tells that a path leads to something that its profile does not declare; `known` could have been there.
    pub fn unknown_path(&self, span: Span, owner: &str, name: &str, known: &[String]) {
        let instead = Suggestion::declared(name, known);
        let (owner, name) = (owner.to_owned(), name.to_owned());
        self.add(span, DeclarationFact::PathUnknown { owner, name, instead });
    }

    /// All findings, in the order of the file. A line that could not be read as TOML has no other finding: what was made of it
    /// is not what was meant.
    pub fn into_findings(self) -> Findings {
        let mut findings = self.findings.into_inner();
        let at =
            |finding: &Finding| finding.location.as_ref().map(|place| (place.file.clone(), place.at.line));
        let malformed = findings.iter().filter(|finding| finding.code() == Code::TomlMalformed);
        let unread: HashSet<_> = malformed.filter_map(at).collect();
        findings.retain(|finding| {
            finding.code() == Code::TomlMalformed
                || unread.is_empty()
                || at(finding).is_none_or(|at| !unread.contains(&at))
        });
        findings.sort_by_key(|finding| finding.location.as_ref().map(|place| place.span));
        findings.dedup_by(|one, other| one.location == other.location && one.message() == other.message());
        findings
    }

    /// Whether there is nothing that keeps the file from being used.
    pub fn is_clean(&self) -> bool {
        self.findings.borrow().iter().all(|finding| finding.severity != Severity::Blocker)
    }

    /// Takes over what was found in a file that this one includes.
    pub fn take_over(&self, other: Report<'_>) {
        self.findings.borrow_mut().extend(other.findings.into_inner());
    }

    /// Parses the file's text; syntax errors are findings, and what could be read is gone on with.
    pub fn parse(&self) -> Spanned<DeTable<'s>> {
        let (table, errors) = DeTable::parse_recoverable(self.source.text);
        for error in errors {
            let span = error.span().map_or(Span::default(), Span::from);
            let text = self.source.text.get(span.range()).unwrap_or_default();
            self.add(span, DeclarationFact::Toml { problem: TomlProblem::of(error.message(), text) });
        }
        table
    }
}

/// One table of a file, being read.
pub struct Section<'r, 's> {
    report: &'r Report<'s>,
    table: &'r DeTable<'s>,
    /// Where the section begins, for what it lacks.
    span: Span,
    asked: RefCell<Vec<&'static str>>,
    forgiven: Cell<bool>,
    /// Where the section is, as `object.inherits`, for the test that holds the schemas to the code.
    #[cfg(feature = "recorded-keys")]
    path: String,
}

#[cfg(feature = "recorded-keys")]
thread_local! {
    /// Each key that was asked for, with the section that was asked.
    pub static ASKED: RefCell<std::collections::BTreeSet<(String, &'static str)>> = RefCell::default();
}

impl<'r, 's> Section<'r, 's> {
    /// A table that is about to be read.
    pub fn new(report: &'r Report<'s>, table: &'r DeTable<'s>, span: Span) -> Self {
        Self {
            report,
            table,
            span,
            asked: RefCell::default(),
            forgiven: Cell::default(),
            #[cfg(feature = "recorded-keys")]
            path: String::new(),
        }
    }

    /// Notes that the key may be here.
    fn ask(&self, key: &'static str) {
        self.asked.borrow_mut().push(key);
        #[cfg(feature = "recorded-keys")]
        ASKED.with_borrow_mut(|asked| asked.insert((self.path.clone(), key)));
    }

    /// Where it begins, for what it lacks.
    pub fn span(&self) -> Span {
        self.span
    }

    /// Where what is wrong with it is reported.
    pub fn report(&self) -> &'r Report<'s> {
        self.report
    }

    /// The value of a key, whatever it is.
    pub fn raw(&self, key: &'static str) -> Option<&'r Spanned<DeValue<'s>>> {
        self.ask(key);
        self.table.get(key)
    }

    fn wrong(&self, value: &Spanned<DeValue<'s>>, expected: &str) {
        let found = value.get_ref().type_str();
        let (expected, article) = (expected.to_owned(), article(found));
        self.report.add(value.span().into(), DeclarationFact::OtherKind { expected, article, found });
    }

    /// The string of a key.
    pub fn word(&self, key: &'static str) -> Option<Word<'r>> {
        let value = self.raw(key)?;
        let word = as_word(value);
        if word.is_none() {
            self.wrong(value, "a string");
        }
        word
    }

    /// The string of a key that must be there.
    pub fn need_word(&self, key: &'static str) -> Option<Word<'r>> {
        if !self.has(key) {
            self.ask(key);
            self.missing(key);
            return None;
        }
        self.word(key)
    }

    fn missing(&self, key: &str) {
        self.report.add(self.span, DeclarationFact::KeyMissing { key: key.to_owned() });
    }

    /// Whether a key is there. It does not count as asked for.
    pub fn has(&self, key: &str) -> bool {
        self.table.contains_key(key)
    }

    /// A list of strings; a single string stands for a list of one.
    pub fn words(&self, key: &'static str) -> Vec<Word<'r>> {
        let Some(value) = self.raw(key) else { return Vec::new() };
        if let Some(word) = as_word(value) {
            return vec![word];
        }
        let Some(array) = value.get_ref().as_array() else {
            self.wrong(value, "a string or a list of strings");
            return Vec::new();
        };
        array
            .iter()
            .filter_map(|entry| {
                let word = as_word(entry);
                if word.is_none() {
                    self.wrong(entry, "a string");
                }
                word
            })
            .collect()
    }

    /// The whole number of a key, with its place.
    pub fn integer(&self, key: &'static str) -> Option<(i64, Span)> {
        let value = self.raw(key)?;
        let number =
            value.get_ref().as_integer().and_then(|n| i64::from_str_radix(n.as_str(), n.radix()).ok());
        if number.is_none() {
            self.wrong(value, "a whole number");
        }
        Some((number?, value.span().into()))
    }

    /// One of some words, by what each stands for; a word that must be there.
    pub fn pick<T: Clone>(&self, key: &'static str, known: &[(&str, T)]) -> Option<T> {
        let word = self.need_word(key)?;
        let found = known.iter().find(|(name, _)| *name == word.text).map(|(_, value)| value.clone());
        if found.is_none() {
            let instead =
                Suggestion::among(word.text, known.iter().map(|(name, _)| *name).collect::<Vec<_>>());
            let (word_text, key) = (word.text.to_owned(), key.to_owned());
            self.report.add(word.span, DeclarationFact::NoneOfThese { word: word_text, key, instead });
        }
        found
    }

    /// The same where nothing may be said.
    pub fn pick_given<T: Clone>(&self, key: &'static str, known: &[(&str, T)]) -> Option<T> {
        self.raw(key)?;
        self.pick(key, known)
    }

    /// The truth value of a key.
    pub fn boolean(&self, key: &'static str) -> Option<bool> {
        let value = self.raw(key)?;
        let boolean = value.get_ref().as_bool();
        if boolean.is_none() {
            self.wrong(value, "`true` or `false`");
        }
        boolean
    }

    /// The table of `[key]`.
    pub fn section(&self, key: &'static str) -> Option<Section<'r, 's>> {
        let value = self.raw(key)?;
        let section = self.section_below(value, key);
        if section.is_none() {
            self.wrong(value, "a table");
        }
        section
    }

    /// The table of `[key]`, which must be there.
    pub fn need_section(&self, key: &'static str) -> Option<Section<'r, 's>> {
        if !self.has(key) {
            self.ask(key);
            self.report.add(Span::default(), DeclarationFact::TableMissing { table: key.to_owned() });
            return None;
        }
        self.section(key)
    }

    /// The tables of `[[key]]`.
    pub fn sections(&self, key: &'static str) -> Vec<Section<'r, 's>> {
        let Some(value) = self.raw(key) else { return Vec::new() };
        let Some(array) = value.get_ref().as_array() else {
            self.wrong(value, &format!("tables, each headed `[[{key}]]`"));
            return Vec::new();
        };
        array
            .iter()
            .filter_map(|entry| {
                let section = self.section_below(entry, key);
                if section.is_none() {
                    self.wrong(entry, "a table");
                }
                section
            })
            .collect()
    }

    /// The table of `[key]`, or those of `[[key]]`, whichever is there.
    pub fn tables(&self, key: &'static str) -> Vec<Section<'r, 's>> {
        let Some(value) = self.raw(key) else { return Vec::new() };
        match value.get_ref().as_array() {
            Some(_) => self.sections(key),
            None => self.section(key).into_iter().collect(),
        }
    }

    /// The table that a member is, where keys are open.
    pub fn as_section(&self, value: &'r Spanned<DeValue<'s>>) -> Option<Section<'r, 's>> {
        self.section_below(value, "*")
    }

    /// The table that an entry of the list of `key` is.
    pub fn as_entry(&self, value: &'r Spanned<DeValue<'s>>, key: &str) -> Option<Section<'r, 's>> {
        self.section_below(value, key)
    }

    #[cfg_attr(
        not(feature = "recorded-keys"),
        expect(unused_variables, reason = "the path of a section is for a test")
    )]
    fn section_below(&self, value: &'r Spanned<DeValue<'s>>, key: &str) -> Option<Section<'r, 's>> {
        let table = value.get_ref().as_table()?;
        let section = Section::new(self.report, table, value.span().into());
        #[cfg(feature = "recorded-keys")]
        let section =
            Section { path: format!("{}.{key}", self.path).trim_start_matches('.').into(), ..section };
        Some(section)
    }

    /// All members by their paths, in the order of the file; those of a member `path/` are below that path.
    pub fn members_below(&self) -> Vec<(String, Word<'r>, &'r Spanned<DeValue<'s>>)> {
        let mut members = Vec::new();
        for (key, value) in self.members() {
            match key.text.strip_suffix('/').zip(self.as_section(value)) {
                Some((above, inner)) => {
                    let below = inner.members().into_iter();
                    members.extend(below.map(|(key, value)| (format!("{above}/{}", key.text), key, value)));
                }
                None => members.push((key.text.to_owned(), key, value)),
            }
        }
        members
    }

    /// All members in the order of the file, for tables whose keys are open.
    pub fn members(&self) -> Vec<(Word<'r>, &'r Spanned<DeValue<'s>>)> {
        let mut members: Vec<_> = self
            .table
            .iter()
            .map(|(key, value)| (Word { text: key.get_ref(), span: key.span().into() }, value))
            .collect();
        members.sort_by_key(|(key, _)| key.span);
        members
    }

    /// Lets keys be that nobody asks for: after another mistake it is not known which may be here.
    pub fn forgive(&self) {
        self.forgiven.set(true);
    }

    /// Reports the keys that nobody asked for. To be called once all known keys were.
    pub fn finish(self) {
        if self.forgiven.get() {
            return;
        }
        let mut asked = Vec::new();
        for key in self.asked.into_inner() {
            if !asked.contains(&key) {
                asked.push(key);
            }
        }
        for key in self.table.keys() {
            let name = key.get_ref().as_ref();
            if !asked.contains(&name) {
                let instead = Suggestion::among(name, asked.iter().copied());
                self.report
                    .add(key.span().into(), DeclarationFact::KeyUnknown { key: name.to_owned(), instead });
            }
        }
    }
}

/// A value as a string with its place; `None` if it is something else.
pub fn as_word<'r>(value: &'r Spanned<DeValue<'_>>) -> Option<Word<'r>> {
    value.get_ref().as_str().map(|text| Word { text, span: value.span().into() })
}

/// The strings of a list with their places; `None` if it is no list, or holds anything else.
pub fn as_words<'r>(value: &'r Spanned<DeValue<'_>>) -> Option<Vec<Word<'r>>> {
    value.get_ref().as_array()?.iter().map(as_word).collect()
}

/// A pattern of plain names and wildcards.
pub fn parse_pattern(section: &Section<'_, '_>, word: Word<'_>) -> Option<Pattern> {
    match Pattern::parse(word.text) {
        Ok(pattern) => Some(pattern),
        Err(BadPattern { at, fact: pattern }) => {
            let span = inside(word, section.report().source, at.start, at.end);
            section.report().add(span, DeclarationFact::Pattern { pattern });
            None
        }
    }
}

/// The span of part of a quoted string's content, if the string is spelled without escapes.
pub fn inside(word: Word<'_>, source: Source<'_>, start: usize, end: usize) -> Span {
    let spelled = source.text.get(word.span.range()).unwrap_or("");
    match spelled.find(word.text) {
        Some(at) if end <= word.text.len() => Span::new(start, end).shifted(word.span.start as usize + at),
        _ => word.span,
    }
}

fn article(noun: &str) -> &'static str {
    if noun.starts_with(['a', 'e', 'i', 'o', 'u']) { "an" } else { "a" }
}

/// One character that parts or marks something.
pub fn separator(section: &Section<'_, '_>, word: Word<'_>) -> Option<char> {
    let mut chars = word.text.chars();
    let only =
        chars.next().filter(|c| chars.next().is_none() && !c.is_alphanumeric() && !"[]\"".contains(*c));
    if only.is_none() {
        section.report().add(word.span, DeclarationFact::NoSeparator);
    }
    only
}
