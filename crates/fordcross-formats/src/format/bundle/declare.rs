//! `[[file]]` of a profile, and what `[profile]` says of the files of a backup of several.

use super::facts::FilesFact;
use super::members::{Container, Member, Members};
use crate::declaration::{Section, Word, inside};
use crate::finding::Suggestion;
use crate::format::{Dialect, Format, Scope};
use crate::notation::{Part, Path, Start, StepName};
use crate::text::shape::{BadShape, Shape};

impl Members {
    /// What `[profile]` says of the files of a backup of several.
    pub fn read(head: &Section<'_, '_>) -> Self {
        let texts = |key| head.words(key).into_iter().map(|word| word.text.to_owned()).collect();
        let container = head.pick_given("container", &Container::ALL);
        Self { container, files: Vec::new(), folders: texts("folders"), leftovers: texts("leftovers") }
    }
}

/// `[[file]]`: the files of a backup of several.
pub fn read_members(root: &Section<'_, '_>, mut all: Members) -> Members {
    let mut members: Vec<Member> = Vec::new();
    for section in root.sections("file") {
        let member = read_member(&section, &members, root);
        section.finish();
        members.extend(member);
    }
    all.files = members;
    all
}

fn read_member(section: &Section<'_, '_>, earlier: &[Member], root: &Section<'_, '_>) -> Option<Member> {
    let path = section.need_word("path");
    let at = section.need_word("at");
    let dialect = dialect_of(section, earlier, root);
    let needed = section.boolean("required").unwrap_or(false);
    let data = section.boolean("data").unwrap_or(false);
    let generated = section.boolean("generated").unwrap_or(false);
    let signs = section.words("detect").into_iter().map(|word| word.text.to_owned()).collect();
    if generated && needed {
        section.report().add(section.span(), FilesFact::GeneratedRequired);
    }
    let plain = |word: Word<'_>, shape: Result<Shape, BadShape>| match shape {
        Ok(shape) if shape.is_plain() => Some(shape),
        Ok(_) => {
            section.report().add(word.span, FilesFact::ShapeOfPath);
            None
        }
        Err(bad) => {
            let span = inside(word, section.report().source, bad.at.start, bad.at.end);
            section.report().add(span, FilesFact::Shape { shape: bad.fact });
            None
        }
    };
    let (path, at) = (path?, at?);
    let steps = place_of(section, at).and_then(|steps| {
        steps.iter().map(|parts| plain(at, Shape::of(parts))).collect::<Option<Vec<Shape>>>()
    });
    let (path_shape, steps) = (plain(path, Shape::parse(path.text))?, steps?);
    let known: Vec<&str> = path_shape.captures().collect();
    let used: Vec<&str> = steps.iter().flat_map(Shape::captures).collect();
    if known.iter().any(|name| !used.contains(name)) || used.iter().any(|name| !known.contains(name)) {
        section.report().add(at.span, FilesFact::CapturesDiffer);
    }
    Some(Member { path: path_shape, at: steps, dialect: dialect?, needed, data, signs, written: !generated })
}

/// The parts of each step of the place of a file.
fn place_of(section: &Section<'_, '_>, at: Word<'_>) -> Option<Vec<Vec<Part>>> {
    let path = match Path::parse(at.text) {
        Ok(path) => path,
        Err(bad) => {
            let span = inside(at, section.report().source, bad.at.start, bad.at.end);
            section.report().add(span, FilesFact::At { notation: bad.fact });
            return None;
        }
    };
    let steps = path.steps.into_iter().map(|step| match (step.name, step.key) {
        (StepName::Parts(parts), None) => Some(parts),
        _ => None,
    });
    let steps = steps.collect::<Option<Vec<_>>>().filter(|_| path.start == Start::Here && !path.object);
    if steps.is_none() {
        section.report().add(at.span, FilesFact::ShapeOfPath);
    }
    steps
}

/// How a file is written: as `format` and what belongs to it say, or as that of an earlier file.
fn dialect_of(section: &Section<'_, '_>, earlier: &[Member], root: &Section<'_, '_>) -> Option<Dialect> {
    let Some(word) = section.word("same-as") else {
        let Some(format) = section.pick("format", &Format::of(Scope::File)) else {
            // What else may be here is not known.
            section.forgive();
            return None;
        };
        return Some(format.declared(section, Scope::File, root));
    };
    if section.has("format") {
        let span = section.raw("format").map_or(section.span(), |value| value.span().into());
        section.report().add(span, FilesFact::SameAsWithFormat);
    }
    let Some(like) = earlier.iter().find(|member| member.is_at(word.text)) else {
        let known: Vec<String> = earlier.iter().map(Member::place).collect();
        let instead = Suggestion::among(word.text, known.iter().map(String::as_str));
        section.report().add(word.span, FilesFact::LikeUnknown { place: word.text.to_owned(), instead });
        section.forgive();
        return None;
    };
    Some(like.dialect.varied(section).unwrap_or_else(|| like.dialect.clone()))
}
