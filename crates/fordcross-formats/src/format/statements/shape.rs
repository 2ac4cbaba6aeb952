//! The shape of a statement: words and captures, some of which may be left out or repeated.
//!
//! `host {db,...} {user,...} {address} {method} [{options.key}={options.value}]...`: `{x}` is one word, `{x:a|b}`
//! one of two, where `*` stands for anything, `{x,...}` one word with commas that is a list, `{x}...` one or more words, `{x...}` all that is
//! left as it is there, `[…]` may be missing, `[…]...` be there any number of times.

use super::Grammar;
use super::facts::ShapeFact;
use crate::text::shape::is_name;
use wildmatch::WildMatch;

/// The shape of a statement.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct StatementShape {
    pub(super) parts: Vec<Part>,
}

/// A part of a shape.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Part {
    Word(String),
    /// What follows is written without a blank before it.
    Glue,
    /// One word; one of these, if there are any.
    Capture(String, Vec<String>),
    /// One word with commas in it.
    List(String),
    /// One or more words.
    Several(String),
    /// The rest as it is there.
    Rest(String),
    /// The name and the value of something in a branch.
    Pair(String, Half, Vec<String>),
    Optional(Vec<Part>),
    Repeated(Vec<Part>),
}

/// What a capture of certain words is called that says nothing: it makes no setting.
pub(super) const UNNAMED: &str = "_";

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
    /// Reads a shape as a profile writes it.
    ///
    /// # Errors
    /// What is wrong with it.
    pub(super) fn parse(text: &str, marks: &[char]) -> Result<Self, ShapeFact> {
        let mut groups: Vec<Vec<Part>> = vec![Vec::new()];
        let mut at = 0;
        let mut apart = true;
        while at < text.len() {
            let rest = &text[at..];
            let c = rest.chars().next().unwrap_or(' ');
            let parts = groups.len();
            let begins = !c.is_whitespace() && !matches!(c, '[' | ']');
            if begins && !apart && !groups[parts - 1].is_empty() {
                groups[parts - 1].push(Part::Glue);
            }
            apart = !begins;
            if c.is_whitespace() {
                at += c.len_utf8();
            } else if c == '[' {
                groups.push(Vec::new());
                at += 1;
            } else if c == ']' {
                let Some(group) = groups.pop().filter(|_| parts > 1) else {
                    return Err(ShapeFact::ClosesNothing);
                };
                let holder = groups.last_mut().ok_or(ShapeFact::ClosesNothing)?;
                if rest[1..].starts_with("...") {
                    holder.push(Part::Repeated(group));
                    at += 4;
                } else {
                    holder.push(Part::Optional(group));
                    at += 1;
                }
            } else if c == '{' {
                let end = rest.find('}').ok_or(ShapeFact::CaptureOpen)?;
                let several = rest[end + 1..].starts_with("...");
                let part = capture(&rest[1..end], several)?;
                groups[parts - 1].push(part);
                at += end + 1 + if several { 3 } else { 0 };
            } else {
                let end = if marks.contains(&c) {
                    c.len_utf8()
                } else {
                    rest.find(|c: char| c.is_whitespace() || "[]{".contains(c) || marks.contains(&c))
                        .unwrap_or(rest.len())
                };
                groups[parts - 1].push(Part::Word(rest[..end].to_owned()));
                at += end;
            }
        }
        let parts = groups.pop().filter(|_| groups.is_empty()).ok_or(ShapeFact::GroupOpen)?;
        if parts.is_empty() {
            return Err(ShapeFact::Empty);
        }
        let shape = Self { parts };
        let last = shape.parts.len() - 1;
        let misplaced = |part: &Part| matches!(part, Part::Rest(_));
        if shape.parts[..last].iter().any(misplaced) {
            return Err(ShapeFact::RestNotLast);
        }
        Ok(shape)
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

    /// Takes the words of a statement, if they fit.
    pub(super) fn fit<'p>(&'p self, words: &Words<'_, 'p>) -> Option<Taken<'p>> {
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
    fn is(&self, at: usize, wanted: &str) -> bool {
        if at >= self.count {
            return false;
        }
        let (text, kind) = (self.word)(at);
        let is_it = if self.any_case { text.eq_ignore_ascii_case(wanted) } else { text == wanted };
        kind != WordKind::Quoted && is_it
    }

    fn is_value(&self, at: usize) -> bool {
        at < self.count && (self.word)(at).1 != WordKind::Mark
    }
}

fn capture(inner: &str, several: bool) -> Result<Part, ShapeFact> {
    let bad = |name: &str| ShapeFact::CaptureName { name: name.to_owned() };
    if let Some(name) = inner.strip_suffix(",...") {
        return if is_name(name) { Ok(Part::List(name.to_owned())) } else { Err(bad(name)) };
    }
    if let Some(name) = inner.strip_suffix("...") {
        return if is_name(name) { Ok(Part::Rest(name.to_owned())) } else { Err(bad(name)) };
    }
    let (bare, choice) = inner.split_once(':').unwrap_or((inner, ""));
    let choice: Vec<String> = choice.split('|').filter(|word| !word.is_empty()).map(str::to_owned).collect();
    if let Some((name, half)) = bare.split_once('.') {
        let half = match half {
            "key" => Half::Key,
            "value" => Half::Value,
            _ => return Err(ShapeFact::PairHalf { name: inner.to_owned() }),
        };
        return if is_name(name) { Ok(Part::Pair(name.to_owned(), half, choice)) } else { Err(bad(name)) };
    }
    let name = bare;
    if !is_name(name) && (name != UNNAMED || choice.is_empty()) {
        return Err(bad(name));
    }
    if several {
        return Ok(Part::Several(name.to_owned()));
    }
    Ok(Part::Capture(name.to_owned(), choice))
}

fn collect<'p>(parts: &'p [Part], report: &mut dyn FnMut(&'p str)) {
    for part in parts {
        match part {
            Part::Word(_) | Part::Glue => {}
            Part::Capture(name, _)
            | Part::List(name)
            | Part::Several(name)
            | Part::Rest(name)
            | Part::Pair(name, ..) => {
                if name != UNNAMED {
                    report(name);
                }
            }
            Part::Optional(parts) | Part::Repeated(parts) => collect(parts, report),
        }
    }
}

type Then<'t, 'p> = dyn FnMut(usize, &mut Taken<'p>) -> bool + 't;

/// Takes words by parts, one after the other, and then whatever `then` wants: with as many words for what
/// may be missing or repeated as it can.
fn fit_all<'p>(
    parts: &'p [Part],
    at: usize,
    words: &Words<'_, 'p>,
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
        Part::List(_) => {
            words.is_value(at) && {
                // A comma at the end of a word says that the list goes on in the next one.
                let mut end = at + 1;
                while word(end - 1).0.ends_with(',') && words.is_value(end) {
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
pub(super) fn is_choice(choice: &[String], text: &str) -> bool {
    choice.iter().any(|wanted| wanted == text || wanted.contains('*') && WildMatch::new(wanted).matches(text))
}

impl Grammar {
    /// Whether a word needs quotes to be one word that means itself.
    pub(super) fn needs_quotes(&self, text: &str) -> bool {
        let is_number = || {
            let digits = text.strip_prefix('-').unwrap_or(text);
            digits.starts_with(|c: char| c.is_ascii_digit()) && digits.parse::<f64>().is_ok()
        };
        text.is_empty()
            || text.chars().any(|c| !c.is_alphanumeric() && !self.plain.contains(c))
                && !(self.bare_numbers && is_number())
    }
}
