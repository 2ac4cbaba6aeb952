//! The shape of a statement: words and captures, some of which may be left out or repeated.
//!
//! `host {db+,} {user+,} {address} {method} ({options.key}={options.value})+?`: `{x}` is one word, `{x=a|b}` one of two,
//! `{x+,}` words with commas between them, `{x+}` one or more words, `{x...}` all that is left as it is there, `(…)?` may be
//! missing, `(…)+?` be there any number of times. What the signs mean is said in [`crate::notation`].

use super::Grammar;
use super::facts::ShapeFact;
use crate::finding::AllOf;
use crate::notation::{self, Detail, List, Text, Word as Pattern};

/// The shape of a statement.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct StatementShape {
    pub(super) parts: Vec<Part>,
}

/// A part of a shape.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Part {
    /// A word of the language, in which `*` may be any text.
    Word(Pattern),
    /// What follows is written without a blank before it.
    Glue,
    /// One word; one of these, if there are any.
    Capture(String, Vec<Pattern>),
    /// Words with this between them.
    List(String, String),
    /// One or more words.
    Several(String),
    /// The rest as it is there.
    Rest(String),
    /// The name and the value of something in a branch.
    Pair(String, Half, Vec<Pattern>),
    /// One of these.
    Choice(Vec<Vec<Part>>),
    Optional(Vec<Part>),
    Repeated(Vec<Part>),
}

/// Which half of a pair.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Half {
    Key,
    Value,
}

/// What a word of a statement is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum WordKind {
    Plain,
    /// It is in quotes, and is never one of the language.
    Quoted,
    /// It is a mark, and never a value.
    Mark,
}

/// What a shape took, in order: the part and the words.
pub(super) type Taken<'p> = Vec<(&'p Part, std::ops::Range<usize>)>;

impl Part {
    /// Whether it is the one word of a capture of that name.
    pub(super) fn captures(&self, name: &str) -> bool {
        matches!(self, Self::Capture(known, _) if known == name)
    }
}

impl StatementShape {
    /// Reads a shape as a profile writes it; `types` are those of pairs. With it, which capture is of which of them.
    ///
    /// # Errors
    /// What is wrong with it.
    pub(super) fn parse(
        text: &str,
        punctuation: &[char],
        types: &[&str],
    ) -> Result<(Self, Vec<(String, String)>), ShapeFact> {
        let text = Text::parse(text).map_err(|bad| ShapeFact::Notation { notation: bad.fact })?;
        let mut pairs = Vec::new();
        let parts = parts_of(&text.parts, punctuation, types, &mut pairs)?;
        let Some((_, before)) = parts.split_last() else { return Err(ShapeFact::Empty) };
        if before.iter().any(|part| matches!(part, Part::Rest(_)) || holds_rest(part)) {
            return Err(ShapeFact::RestNotLast);
        }
        if let Some(text) = glued(&parts, punctuation) {
            return Err(ShapeFact::Glued { text });
        }
        Ok((Self { parts }, pairs))
    }

    /// The names of what it captures, those of pairs once.
    pub(super) fn names(&self) -> Vec<&str> {
        let mut names = Vec::new();
        collect(&self.parts, &mut |name| {
            if !names.contains(&name) {
                names.push(name);
            }
        });
        names
    }

    pub(super) fn has(&self, name: &str) -> bool {
        self.names().contains(&name)
    }

    /// The words of the language in it.
    pub(super) fn words(&self) -> Vec<String> {
        fn find(parts: &[Part], found: &mut Vec<String>) {
            for part in parts {
                match part {
                    Part::Word(word) => found.push(word.to_string()),
                    Part::Optional(parts) | Part::Repeated(parts) => find(parts, found),
                    Part::Choice(choices) => choices.iter().for_each(|parts| find(parts, found)),
                    _ => {}
                }
            }
        }
        let mut found = Vec::new();
        find(&self.parts, &mut found);
        found
    }

    /// Takes the words of a statement, if they fit.
    pub(super) fn fit<'p>(&'p self, words: &Words<'_, '_>) -> Option<Taken<'p>> {
        let mut taken = Vec::new();
        // Shapes are short and statements, too; a statement made to be ambiguous is said not to fit.
        let mut tries = 10_000;
        fit_all(&self.parts, 0, words, &mut taken, &mut tries, &mut |at, _| at == words.count)
            .then_some(taken)
    }
}

/// The words of a statement.
pub(super) struct Words<'w, 'p> {
    pub(super) count: usize,
    /// The text of each.
    pub(super) word: &'w dyn Fn(usize) -> (&'p str, WordKind),
    /// Those of the language are read in capitals, too.
    pub(super) any_case: bool,
}

impl Words<'_, '_> {
    fn is(&self, at: usize, wanted: &Pattern) -> bool {
        if at >= self.count {
            return false;
        }
        let (text, kind) = (self.word)(at);
        let is_it = match wanted.pieces.as_slice() {
            [Some(word)] if self.any_case => text.eq_ignore_ascii_case(word),
            _ => wanted.fits(text),
        };
        kind != WordKind::Quoted && is_it
    }

    fn is_value(&self, at: usize) -> bool {
        at < self.count && (self.word)(at).1 != WordKind::Mark
    }
}

/// Parts of the notation as parts of a statement. Blanks separate words, and `|` the choices of one.
fn parts_of(
    parts: &[notation::Part],
    punctuation: &[char],
    types: &[&str],
    pairs: &mut Vec<(String, String)>,
) -> Result<Vec<Part>, ShapeFact> {
    let mut words = WordParts { read: Vec::new(), choices: Vec::new(), start: 0, apart: true, punctuation };
    for part in parts {
        match part {
            notation::Part::Plain(plain) => {
                for c in plain.text.chars() {
                    if c.is_whitespace() && !plain.quoted {
                        words.end();
                    } else {
                        words.character(c);
                    }
                }
            }
            notation::Part::Any(_) => words.piece(None),
            notation::Part::Or(_) => words.or(),
            notation::Part::Expression(_) => return Err(ShapeFact::Expression),
            notation::Part::Capture(capture) => {
                let optional = capture.optional;
                let read = captured(capture, types, pairs)?;
                words.add(if optional { Part::Optional(vec![read]) } else { read });
            }
            notation::Part::Group(group) => {
                let choices: Result<Vec<_>, _> = group
                    .choices
                    .iter()
                    .map(|choice| parts_of(&choice.parts, punctuation, types, pairs))
                    .collect();
                let mut choices = choices?;
                let inner = if choices.len() == 1 { choices.remove(0) } else { vec![Part::Choice(choices)] };
                match (group.repeated, group.optional) {
                    (true, true) => words.add(Part::Repeated(inner)),
                    (true, false) => {
                        words.add(Part::Choice(vec![inner.clone()]));
                        words.apart = true;
                        words.add(Part::Repeated(inner));
                    }
                    (false, true) => words.add(Part::Optional(inner)),
                    (false, false) => words.add(Part::Choice(vec![inner])),
                }
            }
        }
    }
    words.end();
    Ok(words.read)
}

/// The parts of words while they are read.
struct WordParts<'m> {
    read: Vec<Part>,
    /// What the word at hand may be instead, and where it begins.
    choices: Vec<Vec<Part>>,
    start: usize,
    /// There is a blank before what comes next.
    apart: bool,
    punctuation: &'m [char],
}

impl WordParts<'_> {
    fn add(&mut self, part: Part) {
        if !self.apart && self.read.len() > self.start {
            self.read.push(Part::Glue);
        }
        self.apart = false;
        self.read.push(part);
    }

    fn character(&mut self, c: char) {
        if self.punctuation.contains(&c) {
            self.add(Part::Word(Pattern { pieces: vec![Some(c.to_string())] }));
            // What is behind it is a word of its own.
            self.read.push(Part::Glue);
            self.apart = true;
            return;
        }
        self.piece(Some(c));
    }

    /// A piece of a word of the language.
    fn piece(&mut self, c: Option<char>) {
        let is_word = !self.apart && self.read.len() > self.start;
        match self.read.last_mut() {
            Some(Part::Word(word)) if is_word => match (word.pieces.last_mut(), c) {
                (Some(Some(last)), Some(c)) => last.push(c),
                (_, c) => word.pieces.push(c.map(String::from)),
            },
            _ => self.add(Part::Word(Pattern { pieces: vec![c.map(String::from)] })),
        }
    }

    fn or(&mut self) {
        self.choices.push(self.read.drain(self.start..).collect());
        self.apart = true;
    }

    fn end(&mut self) {
        if matches!(self.read.last(), Some(Part::Glue)) {
            self.read.pop();
        }
        if !self.choices.is_empty() {
            self.or();
            let choices = std::mem::take(&mut self.choices);
            self.read.push(Part::Choice(choices));
        }
        self.start = self.read.len();
        self.apart = true;
    }
}

fn captured(
    capture: &notation::Capture,
    types: &[&str],
    pairs: &mut Vec<(String, String)>,
) -> Result<Part, ShapeFact> {
    let words = match &capture.detail {
        Detail::None => Vec::new(),
        Detail::Type(name) if types.contains(&name.as_str()) && capture.list.is_none() => {
            pairs.push((capture.name.clone(), name.clone()));
            Vec::new()
        }
        Detail::OneOf(words) => words.clone(),
        Detail::Type(name) => {
            let name = name.clone();
            return Err(if types.is_empty() {
                ShapeFact::NoPairTypes { name }
            } else {
                ShapeFact::Type { name, known: AllOf::of(types.iter().copied()) }
            });
        }
        Detail::Map(_) => return Err(ShapeFact::Table),
    };
    let name = capture.name.clone();
    if !words.is_empty() && capture.list.is_some() {
        return Err(ShapeFact::ListOfWords);
    }
    if let Some((holder, half)) = name.split_once('.') {
        let half = match half {
            "key" => Half::Key,
            "value" => Half::Value,
            _ => return Err(ShapeFact::PairHalf { name }),
        };
        return Ok(Part::Pair(holder.to_owned(), half, words));
    }
    Ok(match &capture.list {
        None => Part::Capture(name, words),
        Some(List::Rest) => Part::Rest(name),
        Some(List::Words(None)) => Part::Several(name),
        Some(List::Words(Some(between))) => Part::List(name, between.clone()),
    })
}

/// Text that is glued to a capture and is no punctuation: words are separated by blanks and punctuation, so that a
/// statement never fits.
fn glued(parts: &[Part], punctuation: &[char]) -> Option<String> {
    let is_own = |part: &Part| match part {
        Part::Word(word) => {
            word.as_literal().is_some_and(|word| word.chars().all(|c| punctuation.contains(&c)))
        }
        _ => false,
    };
    let text = |part: &Part| match part {
        Part::Word(word) => word.to_string(),
        _ => "{…}".to_owned(),
    };
    let beside = parts.windows(3).find_map(|three| match three {
        [one, Part::Glue, other] if !is_own(one) && !is_own(other) => {
            let word = if matches!(one, Part::Word(_)) { one } else { other };
            Some(text(word))
        }
        _ => None,
    });
    let inside = |part: &Part| match part {
        Part::Optional(parts) | Part::Repeated(parts) => glued(parts, punctuation),
        Part::Choice(choices) => choices.iter().find_map(|parts| glued(parts, punctuation)),
        _ => None,
    };
    beside.or_else(|| parts.iter().find_map(inside))
}

fn holds_rest(part: &Part) -> bool {
    let holds = |parts: &[Part]| parts.iter().any(|part| matches!(part, Part::Rest(_)) || holds_rest(part));
    match part {
        Part::Optional(parts) | Part::Repeated(parts) => holds(parts),
        Part::Choice(choices) => choices.iter().any(|parts| holds(parts)),
        _ => false,
    }
}

fn collect<'p>(parts: &'p [Part], report: &mut dyn FnMut(&'p str)) {
    for part in parts {
        match part {
            Part::Word(_) | Part::Glue => {}
            Part::Capture(name, _)
            | Part::List(name, _)
            | Part::Several(name)
            | Part::Rest(name)
            | Part::Pair(name, ..) => report(name),
            Part::Optional(parts) | Part::Repeated(parts) => collect(parts, report),
            Part::Choice(choices) => choices.iter().for_each(|parts| collect(parts, report)),
        }
    }
}

type Then<'t, 'p> = dyn FnMut(usize, &mut Taken<'p>) -> bool + 't;

/// Takes words by parts, one after the other, and then whatever `then` wants: with as many words for what
/// may be missing or repeated as it can.
fn fit_all<'p>(
    parts: &'p [Part],
    at: usize,
    words: &Words<'_, '_>,
    taken: &mut Taken<'p>,
    tries: &mut usize,
    then: &mut Then<'_, 'p>,
) -> bool {
    if *tries == 0 {
        return false;
    }
    *tries -= 1;
    let Some((part, rest)) = parts.split_first() else { return then(at, taken) };
    let length = taken.len();
    let word = words.word;
    let ok = match part {
        Part::Word(wanted) => words.is(at, wanted) && fit_all(rest, at + 1, words, taken, tries, then),
        Part::Glue => fit_all(rest, at, words, taken, tries, then),
        Part::Capture(_, choice) | Part::Pair(_, _, choice) => {
            let fits = words.is_value(at)
                && (choice.is_empty() || word(at).1 != WordKind::Quoted && is_choice(choice, word(at).0));
            fits && {
                taken.push((part, at..at + 1));
                fit_all(rest, at + 1, words, taken, tries, then)
            }
        }
        Part::List(_, between) => {
            words.is_value(at) && {
                // A comma at the end of a word says that the list goes on in the next one.
                let mut end = at + 1;
                while word(end - 1).0.ends_with(between.as_str()) && words.is_value(end) {
                    end += 1;
                }
                taken.push((part, at..end));
                fit_all(rest, end, words, taken, tries, then)
            }
        }
        Part::Several(_) => {
            let most = at + (at..words.count).take_while(|&at| words.is_value(at)).count();
            (at + 1..=most).rev().any(|end| {
                taken.truncate(length);
                taken.push((part, at..end));
                fit_all(rest, end, words, taken, tries, then)
            })
        }
        Part::Rest(_) => {
            at < words.count && {
                taken.push((part, at..words.count));
                fit_all(rest, words.count, words, taken, tries, then)
            }
        }
        Part::Choice(choices) => choices.iter().any(|choice| {
            taken.truncate(length);
            let inner = &mut |end: usize, taken: &mut Taken<'p>| {
                let mut tries = 1_000;
                fit_all(rest, end, words, taken, &mut tries, then)
            };
            fit_all(choice, at, words, taken, tries, inner)
        }),
        Part::Optional(group) => {
            let tries = &mut *tries;
            let with = {
                let inner = &mut |end: usize, taken: &mut Taken<'p>| {
                    let mut tries = 1_000;
                    fit_all(rest, end, words, taken, &mut tries, then)
                };
                fit_all(group, at, words, taken, tries, inner)
            };
            with || {
                taken.truncate(length);
                fit_all(rest, at, words, taken, tries, then)
            }
        }
        Part::Repeated(group) => {
            // As many as there are: what is behind a repeated group never begins like it.
            let mut at = at;
            loop {
                let before = taken.len();
                let mut end = at;
                let more = fit_all(group, at, words, taken, tries, &mut |to, _| {
                    end = to;
                    true
                });
                if !more || end == at {
                    taken.truncate(before);
                    break;
                }
                at = end;
            }
            fit_all(rest, at, words, taken, tries, then)
        }
    };
    if !ok {
        taken.truncate(length);
    }
    ok
}

/// Whether a word is one of those that a capture asks for.
pub(super) fn is_choice(choice: &[Pattern], text: &str) -> bool {
    choice.iter().any(|wanted| wanted.fits(text))
}

impl Grammar {
    /// Whether a word needs quotes to be one word that means itself.
    pub(super) fn needs_quotes(&self, text: &str) -> bool {
        let is_number = || {
            let digits = text.strip_prefix('-').unwrap_or(text);
            digits.starts_with(|c: char| c.is_ascii_digit()) && digits.parse::<f64>().is_ok()
        };
        text.is_empty()
            || self
                .without_expansions(text)
                .chars()
                .any(|c| !c.is_alphanumeric() && !self.word_characters.contains(c))
                && !(self.unquoted_numbers && is_number())
    }
}
