//! `[statements]` and `[[statement]]` of a profile.

use super::facts::{GrammarFact, ShapeFact};
use super::shape::StatementShape;
use super::{Escape, Grammar, Includes, Inside, Nesting, PathPart, Statement};
use crate::declaration::{Section, Word, separator};

/// How a section says that a platform writes statements.
pub(super) fn declared(holder: &Section<'_, '_>) -> Grammar {
    let mut grammar = Grammar::default();
    if let Some(section) = holder.section("statements") {
        read_grammar(&section, &mut grammar);
        section.finish();
    }
    for section in holder.sections("statement") {
        let read = read_statement(&section, &grammar.marks);
        grammar.statements.extend(read);
        section.finish();
    }
    grammar
}

/// One character of any kind.
fn any_one(section: &Section<'_, '_>, word: Word<'_>) -> Option<char> {
    let mut chars = word.text.chars();
    let only = chars.next().filter(|_| chars.next().is_none());
    if only.is_none() {
        section.report().add(word.span, GrammarFact::NoCharacter);
    }
    only
}

const NESTING: [(&str, Nesting); 4] = [
    ("flat", Nesting::Flat),
    ("braces", Nesting::Braces),
    ("indent", Nesting::Indent),
    ("until-next", Nesting::UntilNext),
];

fn read_grammar(section: &Section<'_, '_>, grammar: &mut Grammar) {
    let comments = section.words("comments");
    if section.has("comments") {
        grammar.comments = comments.iter().map(|word| word.text.to_owned()).collect();
    }
    grammar.trailing_comments = section.boolean("trailing-comments").unwrap_or(false);
    grammar.continues = section.word("continues").and_then(|word| any_one(section, word));
    read_words(section, grammar);
    grammar.keeps_quotes = section.boolean("keeps-quotes").unwrap_or(false);
    grammar.end = section.word("end").and_then(|word| separator(section, word));
    grammar.end_needed = section.boolean("end-needed").unwrap_or(false);
    if let Some(indent) = section.word("indent") {
        indent.text.clone_into(&mut grammar.indent);
    }
    let close = section.word("close").map(|word| word.text.to_owned());
    grammar.nesting = section.pick_given("nesting", &NESTING).unwrap_or(Nesting::Flat);
    if let Some(close) = close {
        grammar.nesting = Nesting::Words(close);
    }
}

/// How words are parted and quoted.
fn read_words(section: &Section<'_, '_>, grammar: &mut Grammar) {
    grammar.quotes = section.words("quotes").into_iter().filter_map(|word| any_one(section, word)).collect();
    grammar.escape = section.pick_given("escape", &Escape::ALL).unwrap_or(grammar.escape);
    grammar.marks = section.words("marks").into_iter().filter_map(|word| separator(section, word)).collect();
    if let Some(plain) = section.word("plain") {
        plain.text.clone_into(&mut grammar.plain);
    }
    grammar.any_case = section.pick_given("letter-case", &[("any", true)]).unwrap_or(false);
    grammar.bare_numbers = section.boolean("bare-numbers").unwrap_or(false);
}

fn read_statement(section: &Section<'_, '_>, marks: &[char]) -> Option<Statement> {
    let shape = section.need_word("shape");
    let at = section.need_word("as");
    let within = section.words("within").into_iter().map(|word| word.text.to_owned()).collect();
    let opens = section.boolean("opens").unwrap_or(false);
    let body_until = section.word("body-until").map(|word| word.text.to_owned());
    let value = section.word("value").map(|word| word.text.to_owned());
    let includes = section.word("includes");
    let unquote = section.word("unquote").and_then(|word| any_one(section, word));
    let (shape, at) = (shape?, at?);
    let read = StatementShape::parse(shape.text, marks)
        .map_err(|bad| section.report().add(shape.span, GrammarFact::Shape { shape: bad }))
        .ok()?;
    let mut path = Vec::new();
    for step in at.text.split('/') {
        let capture = step.strip_prefix('{').and_then(|step| step.strip_suffix('}'));
        path.push(match capture {
            Some(name) => PathPart::Capture(name.to_owned()),
            None => PathPart::Name(step.to_owned()),
        });
        if step.is_empty() || capture.is_some_and(|name| !read.has(name)) {
            let fact = match capture {
                Some(name) => GrammarFact::StepUncaptured { name: name.to_owned() },
                None => GrammarFact::StepNameless,
            };
            section.report().add(at.span, fact);
        }
    }
    let (takes, skips) = (section.words("takes"), section.words("skips"));
    let may_be_missing = section.boolean("may-be-missing").unwrap_or(false);
    let texts = |words: Vec<Word<'_>>| words.into_iter().map(|word| word.text.to_owned()).collect();
    let includes = includes.map(|word| {
        if !read.has(word.text) {
            section.report().add(word.span, GrammarFact::Uncaptured { name: word.text.to_owned() });
        }
        Includes { of: word.text.to_owned(), takes: texts(takes), skips: texts(skips), may_be_missing }
    });
    let inside = section.section("inside").and_then(|own| {
        let inside = read_inside(&own, &read);
        own.finish();
        inside
    });
    Some(Statement { shape: read, path, within, opens, body_until, value, unquote, includes, inside })
}

/// `[statement.inside]`: a captured text that is pairs.
fn read_inside(section: &Section<'_, '_>, shape: &StatementShape) -> Option<Inside> {
    let of = section.need_word("of");
    let pairs = section.need_word("pairs");
    let mut grammar = Grammar { comments: Vec::new(), ..Grammar::default() };
    read_words(section, &mut grammar);
    let (of, pairs) = (of?, pairs?);
    if !shape.parts.iter().any(|part| part.captures(of.text)) {
        section.report().add(of.span, GrammarFact::WordUncaptured { name: of.text.to_owned() });
    }
    let group = pairs.text.replace("{name}", "{pair.key}").replace("{value}", "{pair.value}");
    let parsed = StatementShape::parse(&format!("({group})+?"), &grammar.marks);
    let known = parsed.as_ref().is_ok_and(|shape| shape.names() == ["pair"]);
    if !known {
        let shape = parsed.err().unwrap_or(ShapeFact::NoPair);
        section.report().add(pairs.span, GrammarFact::Pairs { shape });
        return None;
    }
    Some(Inside { of: of.text.to_owned(), shape: parsed.ok()?, grammar })
}
