//! Types as profiles declare them.
//!
//! A type is a word (`"boolean"`, `"interface"`) or a table (`{ type = "integer", min = 1 }`).

use super::commands::ShownCommands;
use super::facts::TypeFact;
use super::quantity::Unit;
use super::{
    Alternative, Characters, Dimension, Family, Form, Limits, PrefixNotation, Protection, Quantity, Secret,
    SecretForm, Type, TypeId, Types,
};
use crate::declaration::{Section, Word, as_word, inside};
use crate::finding::Suggestion;
use crate::text::shape::Shape;
use crate::text::source::Span;

/// The types that need no declaration.
pub(crate) const BUILT_IN: [&str; 23] = [
    "text",
    "integer",
    "boolean",
    "choice",
    "duration",
    "size",
    "rate",
    "address",
    "network",
    "prefix-length",
    "mac",
    "port",
    "host-name",
    "host",
    "name",
    "path",
    "command",
    "release",
    "certificate",
    "date",
    "secret",
    "list",
    "shape",
];

/// Types being gathered: those that are named, and those that are at a setting.
#[derive(Default)]
pub(crate) struct RawTypes {
    pub(crate) types: Types,
    /// Paths of objects that types of names speak of, with where they do.
    pub(crate) references: Vec<(String, Span)>,
}

impl RawTypes {
    fn add(&mut self, name: &str, form: Form) -> TypeId {
        let id = TypeId(self.types.list.len() as u16);
        self.types.list.push(Type { name: name.to_owned(), form });
        id
    }

    /// Makes a name known before its declaration is read, so that types may be in any order.
    pub(crate) fn announce(&mut self, name: &str) {
        let id = self.add(name, Form::Text(Limits::default()));
        self.types.named.insert(name.to_owned(), id);
    }

    /// Gives an announced name its declaration.
    pub(crate) fn declare(&mut self, name: &str, id: TypeId) {
        if let Some(announced) = self.types.named.get(name) {
            self.types.list[announced.0 as usize].form = self.types.get(id).form.clone();
        }
    }

    /// Whether a value of the announced type would hold one of itself.
    pub(crate) fn holds_itself(&self, name: &str) -> bool {
        let Some(&start) = self.types.named.get(name) else { return false };
        let mut seen = vec![false; self.types.list.len()];
        let mut next = vec![start];
        while let Some(id) = next.pop() {
            for part in self.types.parts_of(id) {
                if part == start {
                    return true;
                }
                if !std::mem::replace(&mut seen[part.0 as usize], true) {
                    next.push(part);
                }
            }
        }
        false
    }

    /// The type of that name; a built-in one without conditions is made when it is first asked for.
    pub(crate) fn find(&mut self, section: &Section<'_, '_>, word: Word<'_>) -> Option<TypeId> {
        if let Some(&id) = self.types.named.get(word.text) {
            return Some(id);
        }
        if let Some(form) = bundled(word.text) {
            let id = self.add(word.text, form);
            self.types.named.insert(word.text.to_owned(), id);
            return Some(id);
        }
        match word.text {
            "choice" | "duration" | "size" | "rate" | "list" | "shape" => {
                let more = match word.text {
                    "choice" => "values = [\"…\"]",
                    "duration" => "unit = \"s\"",
                    "size" => "unit = \"MB\"",
                    "list" => "of = \"text\"",
                    "rate" => "unit = \"Mbit/s\"",
                    _ => "shapes = [\"{…}\"]",
                };
                section.report().add(word.span, TypeFact::NeedsMore { name: word.text.to_owned(), more });
            }
            unknown => {
                let own = self.types.names().into_iter().filter(|name| !BUILT_IN.contains(name));
                let known: Vec<&str> = BUILT_IN.into_iter().chain(own).collect();
                section.report().add(
                    word.span,
                    TypeFact::TypeUnknown {
                        unknown: unknown.to_owned(),
                        instead: Suggestion::among(unknown, known.iter().copied()),
                    },
                );
            }
        }
        None
    }

    /// Makes the bundled types known that were not asked for: a crossing may.
    pub(crate) fn add_bundled(&mut self) {
        for name in BUILT_IN {
            if let Some(form) = bundled(name).filter(|_| !self.types.named.contains_key(name)) {
                let id = self.add(name, form);
                self.types.named.insert(name.to_owned(), id);
            }
        }
    }
}

/// What values of a type are that needs no declaration.
fn bundled(name: &str) -> Option<Form> {
    Some(match name {
        "text" => Form::Text(Limits::default()),
        "integer" => Form::Integer { min: i64::MIN, max: i64::MAX, prefixes: false },
        "boolean" => Form::Boolean { on: vec!["true".into()], off: vec!["false".into()], any_case: false },
        "address" => Form::Address { family: Family::Any },
        "network" => Form::Network { family: Family::Any },
        "prefix-length" => Form::PrefixLength { written: PrefixNotation::Length },
        "mac" => Form::Mac { separator: ':', upper: false },
        "port" => Form::Port,
        "host-name" => Form::HostName,
        "host" => Form::Host,
        "name" => Form::Name { limits: Limits::default(), of: None },
        "path" => Form::Path,
        "command" => Form::Command(ShownCommands::default()),
        "release" => Form::Release,
        "certificate" => Form::Certificate,
        "date" => Form::Date,
        "secret" => {
            Form::Secret(Secret { kept: Protection::Plaintext, mask: None, key: None, forms: Vec::new() })
        }
        _ => return None,
    })
}

/// Reads the keys of a type from `section`, which may hold others; they are left for the caller to
/// ask for before it finishes the section.
pub(crate) fn declare_type(section: &Section<'_, '_>, types: &mut RawTypes) -> Option<TypeId> {
    let declared = read_type(section, types);
    if declared.is_none() {
        section.forgive();
    }
    declared
}

fn read_type(section: &Section<'_, '_>, types: &mut RawTypes) -> Option<TypeId> {
    let word = section.need_word("type")?;
    let form = match word.text {
        "text" => Form::Text(limits(section)?),
        "name" => {
            let of = section.word("refers-to");
            if let Some(of) = of {
                types.references.push((of.text.to_owned(), of.span));
            }
            let of = of.map(|of| of.text.split('/').map(str::to_owned).collect());
            Form::Name { limits: limits(section)?, of }
        }
        "integer" => {
            let min = section.integer("min").map_or(i64::MIN, |(min, _)| min);
            let (max, span) = section.integer("max").unwrap_or((i64::MAX, word.span));
            if min > max {
                section.report().add(span, TypeFact::MaxBelowMin);
            }
            Form::Integer { min, max, prefixes: section.boolean("radix-prefixes").unwrap_or(false) }
        }
        "command" => Form::Command(ShownCommands::new(section.words("shown").iter().map(|word| word.text))),
        "boolean" => {
            let or = |found: Vec<Word<'_>>, default: &str| match found.as_slice() {
                [] => vec![default.to_owned()],
                words => words.iter().map(|word| word.text.to_owned()).collect(),
            };
            Form::Boolean {
                on: or(section.words("on"), "true"),
                off: or(section.words("off"), "false"),
                any_case: any_case(section),
            }
        }
        "choice" => {
            let values = section.words("values");
            if values.is_empty() && !section.has("values") {
                section.need_word("values");
            }
            Form::Choice {
                values: values.iter().map(|word| word.text.split('|').map(str::to_owned).collect()).collect(),
                any_case: any_case(section),
            }
        }
        "duration" => Form::Quantity(quantity(section, Dimension::Time)?),
        "size" => Form::Quantity(quantity(section, Dimension::Size)?),
        "rate" => Form::Quantity(quantity(section, Dimension::Rate)?),
        "address" | "network" => {
            let known = [("any", Family::Any), ("ipv4", Family::V4), ("ipv6", Family::V6)];
            let family = if section.has("family") { section.pick("family", &known)? } else { Family::Any };
            if word.text == "address" { Form::Address { family } } else { Form::Network { family } }
        }
        "prefix-length" => {
            let known = [("mask", PrefixNotation::Mask), ("length", PrefixNotation::Length)];
            let written = if section.has("notation") {
                section.pick("notation", &known)?
            } else {
                PrefixNotation::Length
            };
            Form::PrefixLength { written }
        }
        "mac" => {
            let known = [("-", '-'), (":", ':')];
            let separator = if section.has("separator") { section.pick("separator", &known)? } else { ':' };
            let cases = [("upper", true), ("lower", false)];
            let upper = if section.has("case") { section.pick("case", &cases)? } else { false };
            Form::Mac { separator, upper }
        }
        "secret" => {
            let kept = if section.has("protection") {
                section.pick("protection", &Protection::WORDS)?
            } else {
                Protection::Plaintext
            };
            let kept = match kept {
                Protection::Hash(_) => Protection::Hash(section.need_word("scheme")?.text.to_owned()),
                kept => kept,
            };
            let said = |key| section.word(key).map(|word| word.text.to_owned());
            let mut forms: Vec<SecretForm> = section
                .sections("forms")
                .into_iter()
                .filter_map(|form| {
                    let read = secret_form(&form);
                    form.finish();
                    read
                })
                .collect();
            let own = secret_form(section)?;
            if own != SecretForm::default() {
                forms.push(own);
            }
            Form::Secret(Secret { kept, mask: said("mask"), key: said("unlocked-by"), forms })
        }
        "list" => {
            let of = section.need_word("of").and_then(|of| types.find(section, of));
            let separator = section.word("separator");
            if let Some(word) = separator.filter(|word| word.text.trim_ascii().is_empty()) {
                section.report().add(word.span, TypeFact::ListSeparator);
            }
            Form::List { of: of?, separator: separator.map_or(",", |word| word.text).to_owned() }
        }
        "shape" => {
            let shapes = section.words("shapes");
            if shapes.is_empty() && !section.has("shapes") {
                section.need_word("shapes");
            }
            let alternatives: Vec<_> = shapes.iter().map(|&word| alternative(section, word, types)).collect();
            Form::Shaped(alternatives.into_iter().collect::<Option<_>>()?)
        }
        _ => return types.find(section, word),
    };
    Some(types.add(word.text, form))
}

/// `case-insensitive = true`: capital and small letters are the same.
fn any_case(section: &Section<'_, '_>) -> bool {
    section.boolean("case-insensitive").unwrap_or(false)
}

/// What a system takes for a secret: `min = 12, in = "bytes"`, `begins = "$6$"`, `pem = "PRIVATE KEY"`.
fn secret_form(section: &Section<'_, '_>) -> Option<SecretForm> {
    let Limits { min, max, characters } = limits(section)?;
    let units = [("bytes", true), ("characters", false)];
    let in_bytes = section.pick_given("in", &units).unwrap_or(false);
    let said = |key| section.word(key).map(|word| word.text.to_owned());
    Some(SecretForm { characters, min, max, in_bytes, begins: said("begins"), pem: said("pem") })
}

fn limits(section: &Section<'_, '_>) -> Option<Limits> {
    let min = section.integer("min").map(|(min, _)| usize::try_from(min).unwrap_or(0));
    let max = section.integer("max").map(|(max, _)| usize::try_from(max).unwrap_or(0));
    let (characters, instead) = (section.word("allowed"), section.word("replacement"));
    let characters = match characters {
        Some(word) => {
            let made = Characters::parse(word.text, instead.map_or("", |word| word.text));
            if made.is_none() {
                section.report().add(word.span, TypeFact::Characters);
            }
            Some(made?)
        }
        None => None,
    };
    Some(Limits { min, max, characters })
}

fn quantity(section: &Section<'_, '_>, dimension: Dimension) -> Option<Quantity> {
    let known: Vec<(&str, Unit)> = dimension.units().iter().map(|unit| (unit.symbol, *unit)).collect();
    // `unit = "8 KiB"`: a bare number counts eight of them.
    let (count, unit) = match section
        .word("unit")
        .and_then(|word| Some((word.text.split_once(' ')?, word.span)))
    {
        Some(((count, unit), span)) => {
            let found = known.iter().find(|(symbol, _)| *symbol == unit).map(|(_, unit)| *unit);
            let count = count.parse().ok().filter(|count| *count > 0);
            if found.is_none() || count.is_none() {
                section.report().add(
                    span,
                    TypeFact::UnitUnknown { unit: unit.to_owned(), dimension: dimension.word().to_string() },
                );
            }
            (count.unwrap_or(1), found)
        }
        None => (1, section.pick("unit", &known)),
    };
    let fractions = section.boolean("decimals").unwrap_or(false);
    let prefixes = section.boolean("radix-prefixes").unwrap_or(false);
    let bound =
        |key, default| section.integer(key).map_or(default, |(value, _)| u64::try_from(value).unwrap_or(0));
    let (min, max) = (bound("min", 0), bound("max", u64::MAX));
    let never = section.word("unlimited").map(|word| word.text.to_owned());
    // `unit-suffixes = ["kB", "MB"]`, or `{ kB = "KiB" }` where the platform means another unit by it.
    let mut suffixes = Vec::new();
    let mut add = |spelling: &str, word: Word<'_>| match known.iter().find(|(symbol, _)| *symbol == word.text)
    {
        Some((_, unit)) => suffixes.push((spelling.to_owned(), *unit)),
        None => {
            let symbols: Vec<&str> = known.iter().map(|(symbol, _)| *symbol).collect();
            section.report().add(
                word.span,
                TypeFact::UnitUnlike {
                    unit: word.text.to_owned(),
                    dimension: dimension.word().to_string(),
                    instead: Suggestion::among(word.text, symbols),
                },
            );
        }
    };
    match section.raw("unit-suffixes").and_then(|value| section.as_section(value)) {
        Some(table) => {
            for (spelling, value) in table.members() {
                if let Some(word) = as_word(value) {
                    add(spelling.text, word);
                }
            }
        }
        None => section.words("unit-suffixes").into_iter().for_each(|word| add(word.text, word)),
    }
    let cut_until = section.word("cut-until").map(|word| word.text.to_owned());
    Some(Quantity {
        dimension,
        unit: unit?,
        count,
        fractions,
        prefixes,
        suffixes,
        min,
        max,
        never,
        cut_until,
        cuts: false,
    })
}

fn alternative(section: &Section<'_, '_>, word: Word<'_>, types: &mut RawTypes) -> Option<Alternative> {
    let source = section.report().source;
    let shape = match Shape::parse(word.text) {
        Ok(shape) => shape,
        Err(bad) => {
            let span = inside(word, source, bad.at.start, bad.at.end);
            section.report().add(span, TypeFact::Shape { shape: bad.fact });
            return None;
        }
    };
    if !shape.is_plain() {
        section.report().add(word.span, TypeFact::ShapeNotPlain);
        return None;
    }
    let mut found = Vec::new();
    for capture in shape.declared() {
        let span = inside(word, source, capture.at.start, capture.at.end);
        found.push(types.find(section, Word { text: capture.ty.as_deref().unwrap_or("text"), span }));
    }
    Some(Alternative { shape, types: found.into_iter().collect::<Option<_>>()? })
}

/// A type at a setting: its name alone, or a table.
pub(crate) fn type_at(
    holder: &Section<'_, '_>,
    value: &toml::Spanned<toml::de::DeValue<'_>>,
    types: &mut RawTypes,
) -> Option<TypeId> {
    as_word(value).and_then(|word| types.find(holder, word))
}
