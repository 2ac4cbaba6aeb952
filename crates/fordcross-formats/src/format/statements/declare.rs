//! `[grammar]` and `[block.NAME]` of a profile.

use super::blocks::{Block, BlockId, Delimiters, Item, StatementId, TOP, Unknown};
use super::check::{Places, check};
use super::comments::{read_comments, read_trailing};
use super::expansions::read_expansions;
use super::facts::GrammarFact;
use super::pairs::PairTypes;
use super::shape::StatementShape;
use super::wording::{any_one, read_words};
use super::{End, Grammar, Includes, Statement, VALUE};
use crate::declaration::{Section, Word, as_word, as_words, inside, separator};
use crate::finding::Suggestion;
use crate::notation::{Clause, Content, Start, StepName};
use crate::text::shape::Shape;
use std::sync::Arc;
use toml::Spanned;
use toml::de::DeValue;

/// A table or list of a profile.
type Value<'s> = Spanned<DeValue<'s>>;

/// How a section says that a platform writes statements.
pub(super) fn declared(holder: &Section<'_, '_>, types: &PairTypes) -> Grammar {
    let mut grammar = Grammar::default();
    if let Some(section) = holder.section("grammar") {
        read_grammar(&section, &mut grammar);
        section.finish();
    }
    let mut places = Places { statements: Vec::new(), blocks: vec![holder.span()], misread: Vec::new() };
    if let Some(blocks) = holder.section("block") {
        let members = blocks.members();
        let mut names: Vec<&str> =
            members.iter().map(|(name, _)| name.text).filter(|name| *name != "top").collect();
        names.insert(TOP.0, "top");
        let sections: Vec<_> = members
            .iter()
            .filter_map(|(name, value)| {
                let section = blocks.as_section(value);
                if section.is_none() {
                    blocks.report().add(value.span().into(), GrammarFact::NoBlock);
                }
                Some((name, section?))
            })
            .collect();
        grammar.blocks =
            names.iter().map(|name| Block { name: (*name).to_owned(), ..Block::top() }).collect();
        places.blocks = vec![blocks.span(); names.len()];
        // Signs separate words, so that all are known before a shape is read.
        for (name, section) in &sections {
            let id = names.iter().position(|known| *known == name.text).unwrap_or(TOP.0);
            places.blocks[id] = name.span;
            read_block(section, &mut grammar.blocks[id]);
            if section.has("delimiters") && grammar.blocks[id].delimiters == Delimiters::None {
                places.misread.push(BlockId(id));
            }
        }
        for (name, section) in sections {
            let id = names.iter().position(|known| *known == name.text).unwrap_or(TOP.0);
            let items = read_items(&section, &names, types, &mut grammar, &mut places);
            grammar.blocks[id].statements = items;
            section.finish();
        }
    }
    check(holder.report(), &grammar, &places);
    grammar
}

fn read_grammar(section: &Section<'_, '_>, grammar: &mut Grammar) {
    if let Some(value) = section.raw("comments") {
        grammar.comments = read_comments(section, value);
    }
    grammar.trailing = read_trailing(section);
    let continuation = section.word("continuation");
    grammar.continuation = continuation.and_then(|word| any_one(section, word));
    grammar.comments_continue = section.word("comments-continue").map(|word| word.text.to_owned());
    read_words(section, grammar);
    grammar.expansions = read_expansions(section);
    grammar.quotes_matter = section.boolean("quotes-matter").unwrap_or(false);
    grammar.any_case = section.boolean("case-insensitive").unwrap_or(false);
    grammar.end = read_end(section);
    if let Some(indent) = section.word("indent") {
        indent.text.clone_into(&mut grammar.indent);
    }
    if let Some(word) = continuation.filter(|_| !grammar.end.line) {
        section.report().add(word.span, GrammarFact::ContinuationOfNoLine);
    }
    if grammar.quotes.is_empty() {
        for key in ["quotes-matter", "escape"].into_iter().filter(|key| section.has(key)) {
            let span = section.raw(key).map_or(section.span(), |value| value.span().into());
            section.report().add(span, GrammarFact::WithoutQuotes { key });
        }
    }
}

/// `"line"`, `";"`, or a list of both: the first is what we write.
fn read_end(section: &Section<'_, '_>) -> End {
    let words = section.words("end");
    let Some(first) = words.first() else { return End::LINE };
    let mut end = End { line: false, sign: None, is_written: first.text != "line" };
    for word in &words {
        if word.text == "line" {
            end.line = true;
        } else {
            end.sign = separator(section, *word);
        }
    }
    end
}

fn read_block(section: &Section<'_, '_>, block: &mut Block) {
    block.delimiters = match section.raw("delimiters") {
        Some(value) => read_delimiters(section, value),
        None => Delimiters::None,
    };
    block.holds_text = section.pick_given("holds", &[("statements", false), ("text", true)]).unwrap_or(false);
    block.unknown = section.pick_given("unknown", &Unknown::ALL).unwrap_or_default();
    if !block.holds_text {
        return;
    }
    if section.has("statements") {
        section.report().add(section.span(), GrammarFact::TextWithStatements);
    }
    if matches!(block.delimiters, Delimiters::Indent | Delimiters::NextSection | Delimiters::None) {
        section.report().add(section.span(), GrammarFact::TextWithoutEnd);
    }
}

fn read_delimiters(section: &Section<'_, '_>, value: &Value<'_>) -> Delimiters {
    let report = section.report();
    match as_word(value).map(|word| word.text) {
        Some("indent") => return Delimiters::Indent,
        Some("next-section") => return Delimiters::NextSection,
        _ => {}
    }
    let words = as_words(value);
    let Some(&[open, close]) = words.as_deref() else {
        report.add(value.span().into(), GrammarFact::NoDelimiters);
        return Delimiters::None;
    };
    if close.text.is_empty() {
        report.add(value.span().into(), GrammarFact::DelimitersEmpty);
        return Delimiters::None;
    }
    let is_sign = |c: char| !c.is_alphanumeric() && !c.is_whitespace();
    let mut signs = open.text.chars();
    if let (Some(sign), None) = (signs.next().filter(|sign| is_sign(*sign)), signs.next()) {
        let mut behind = close.text.chars();
        if let Some(close_sign) =
            behind.next().filter(|close_sign| is_sign(*close_sign) && *close_sign != sign)
        {
            return Delimiters::Signs { open: sign, close: close_sign, behind: behind.as_str().to_owned() };
        }
    }
    let shape = |word: Word<'_>| match Shape::parse(word.text) {
        Ok(shape) => Some(shape),
        Err(bad) => {
            let span = inside(word, report.source, bad.at.start, bad.at.end);
            report.add(span, GrammarFact::Delimiter { shape: bad.fact });
            None
        }
    };
    let opened = if open.text.is_empty() { None } else { shape(open) };
    match shape(close) {
        Some(close) => Delimiters::Words { open: opened, close },
        None => Delimiters::None,
    }
}

/// `statements = [[shape, at], [shape, at, block], { shape = …, at = … }, "block", ".."]`
fn read_items(
    section: &Section<'_, '_>,
    names: &[&str],
    types: &PairTypes,
    grammar: &mut Grammar,
    places: &mut Places,
) -> Vec<Item> {
    let Some(value) = section.raw("statements") else { return Vec::new() };
    let Some(list) = value.get_ref().as_array() else {
        section.report().add(value.span().into(), GrammarFact::NoStatements);
        return Vec::new();
    };
    let mut items = Vec::new();
    for item in list {
        if let Some(word) = as_word(item) {
            items.extend(match word.text {
                ".." => Some(Item::Around),
                _ => block_named(section, word, names).map(Item::All),
            });
            continue;
        }
        let statement = if let Some(table) = section.as_entry(item, "statements") {
            let read = read_table(&table, names, types, grammar);
            table.finish();
            read
        } else {
            let words = as_words(item);
            match words.as_deref() {
                Some(&[shape, at]) => read_statement(section, (shape, at, None), names, types, grammar),
                Some(&[shape, at, block]) => {
                    read_statement(section, (shape, at, Some(block)), names, types, grammar)
                }
                _ => {
                    section.report().add(item.span().into(), GrammarFact::NoStatement);
                    None
                }
            }
        };
        if let Some(statement) = statement {
            items.push(Item::One(StatementId(grammar.statements.len())));
            grammar.statements.push(statement);
            places.statements.push(item.span().into());
        }
    }
    items
}

fn block_named(section: &Section<'_, '_>, word: Word<'_>, names: &[&str]) -> Option<BlockId> {
    let found = names.iter().position(|name| *name == word.text);
    if found.is_none() {
        let instead = Suggestion::among(word.text, names.iter().copied());
        section.report().add(word.span, GrammarFact::BlockUnknown { name: word.text.to_owned(), instead });
    }
    found.map(BlockId)
}

/// A statement as a table, which can say more.
fn read_table(
    section: &Section<'_, '_>,
    names: &[&str],
    types: &PairTypes,
    grammar: &Grammar,
) -> Option<Statement> {
    let (shape, at) = (section.need_word("shape"), section.need_word("at"));
    let block = section.word("block");
    let reads = section.word("reads-files");
    let (include, exclude) = (section.words("include"), section.words("exclude"));
    let optional = section.boolean("optional").unwrap_or(false);
    let unquote = section.word("unquote").and_then(|word| any_one(section, word));
    let statement = read_statement(section, (shape?, at?, block), names, types, grammar)?;
    let texts = |words: Vec<Word<'_>>| words.into_iter().map(|word| word.text.to_owned()).collect();
    let includes = reads.map(|word| {
        if !statement.shape.has(word.text) {
            section.report().add(word.span, GrammarFact::Uncaptured { name: word.text.to_owned() });
        }
        let (takes, skips) = (texts(include), texts(exclude));
        Includes { of: word.text.to_owned(), takes, skips, may_be_missing: optional }
    });
    Some(Statement { unquote, includes, ..statement })
}

fn read_statement(
    section: &Section<'_, '_>,
    (shape, at, block): (Word<'_>, Word<'_>, Option<Word<'_>>),
    names: &[&str],
    types: &PairTypes,
    grammar: &Grammar,
) -> Option<Statement> {
    let report = section.report();
    let block = match block {
        Some(word) => Some(block_named(section, word, names)?),
        None => None,
    };
    let (read, pairs) = StatementShape::parse(shape.text, &grammar.punctuation, &types.names())
        .map_err(|bad| report.add(shape.span, GrammarFact::Shape { shape: bad }))
        .ok()?;
    let pairs = pairs
        .into_iter()
        .filter_map(|(capture, name)| Some((capture, Arc::clone(types.get(&name)?))))
        .collect();
    if let Some(sign) = shape_sign(&read, grammar) {
        report.add(shape.span, GrammarFact::SignInShape { sign });
    }
    let side = match Clause::parse_side(at.text) {
        Ok(side) => side,
        Err(bad) => {
            let span = inside(at, report.source, bad.at.start, bad.at.end);
            report.add(span, GrammarFact::At { notation: bad.fact });
            return None;
        }
    };
    let [clause] = side.as_slice() else {
        report.add(at.span, GrammarFact::AtOfSeveral);
        return None;
    };
    let is_plain =
        !clause.reads && !clause.optional && !clause.path.object && clause.path.start == Start::Here;
    let value = match &clause.content {
        Content::None => Some(None),
        Content::Value { at_least: false, text } => text.as_literal().map(Some),
        _ => None,
    };
    let (Some(value), true) = (value, is_plain) else {
        report.add(at.span, GrammarFact::AtOfSeveral);
        return None;
    };
    let mut path = Vec::new();
    for step in &clause.path.steps {
        let (StepName::Parts(parts), None) = (&step.name, &step.key) else {
            report.add(at.span, GrammarFact::AtOfSeveral);
            return None;
        };
        match Shape::of(parts) {
            Ok(shape) if shape.is_plain() => path.push(shape),
            _ => {
                report.add(at.span, GrammarFact::AtOfSeveral);
                return None;
            }
        }
    }
    for name in path.iter().flat_map(Shape::captures).filter(|name| !read.has(name)) {
        report.add(at.span, GrammarFact::StepUncaptured { name: name.to_owned() });
    }
    let text = shape.text.to_owned();
    let statement = Statement { shape: read, text, path, value, block, unquote: None, includes: None, pairs };
    if statement.value.is_some() && statement.shape.has(VALUE) {
        report.add(at.span, GrammarFact::ValueTwice);
    }
    if statement.makes_value() {
        let beside =
            statement.shape.names().into_iter().find(|name| *name != VALUE && !statement.has_in_path(name));
        if let Some(name) = beside {
            report.add(shape.span, GrammarFact::BesideValue { name: name.to_owned() });
        }
        if let Some(word) = block.map(|_| shape) {
            report.add(word.span, GrammarFact::ValueWithBlock);
        }
    }
    Some(statement)
}

/// A sign that ends statements, or opens or closes blocks, in a word of a shape: it never gets there.
fn shape_sign(shape: &StatementShape, grammar: &Grammar) -> Option<char> {
    let signs = grammar.signs().flat_map(|(open, close)| [open, close]).chain(grammar.end.sign);
    let signs: Vec<char> = signs.collect();
    shape.words().into_iter().flat_map(|word| word.chars().collect::<Vec<_>>()).find(|c| signs.contains(c))
}
