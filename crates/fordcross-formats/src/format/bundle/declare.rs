//! `[[member]]` of a profile, and what `[profile]` says of the files of a backup of several.

use super::facts::FilesFact;
use super::members::{Container, Member, Members};
use crate::declaration::{Section, Word};
use crate::finding::Suggestion;
use crate::format::{Dialect, Format, Scope};
use crate::text::shape::Shape;

impl Members {
    /// What `[profile]` says of the files of a backup of several.
    pub fn read(head: &Section<'_, '_>) -> Self {
        let texts = |key| head.words(key).into_iter().map(|word| word.text.to_owned()).collect();
        let container = head.pick_given("container", &Container::ALL);
        Self { container, files: Vec::new(), folders: texts("folders"), leftovers: texts("leftovers") }
    }
}

/// `[[member]]`: the files of a backup of several.
pub fn read_members(root: &Section<'_, '_>, mut all: Members) -> Members {
    let mut members: Vec<Member> = Vec::new();
    for section in root.sections("member") {
        let member = read_member(&section, &members);
        section.finish();
        members.extend(member);
    }
    all.files = members;
    all
}

fn read_member(section: &Section<'_, '_>, earlier: &[Member]) -> Option<Member> {
    let path = section.need_word("path");
    let at = section.need_word("at");
    let dialect = dialect_of(section, earlier);
    let needed = section.boolean("needed").unwrap_or(false);
    let data = section.boolean("data").unwrap_or(false);
    let written = section.boolean("written").unwrap_or(true);
    let signs = section.words("signs").into_iter().map(|word| word.text.to_owned()).collect();
    let shape = |word: Word<'_>, text: &str| {
        Shape::parse(text)
            .map_err(|bad| section.report().add(word.span, FilesFact::Shape { shape: bad.fact }))
            .ok()
            .filter(|shape| {
                let is_plain = shape.is_plain();
                if !is_plain {
                    section.report().add(word.span, FilesFact::ShapeOfPath);
                }
                is_plain
            })
    };
    let (path, at) = (path?, at?);
    let steps: Option<Vec<Shape>> = at.text.split('/').map(|step| shape(at, step)).collect();
    let (path_shape, steps) = (shape(path, path.text)?, steps?);
    let known: Vec<&str> = path_shape.captures().collect();
    let used: Vec<&str> = steps.iter().flat_map(Shape::captures).collect();
    if known.iter().any(|name| !used.contains(name)) || used.iter().any(|name| !known.contains(name)) {
        section.report().add(at.span, FilesFact::CapturesDiffer);
    }
    Some(Member { path: path_shape, at: steps, dialect: dialect?, needed, data, signs, written })
}

/// How a file is written: as `form` and what belongs to it say, or as that of an earlier file.
fn dialect_of(section: &Section<'_, '_>, earlier: &[Member]) -> Option<Dialect> {
    let Some(word) = section.word("like") else {
        let Some(format) = section.pick("form", &Format::of(Scope::File)) else {
            // What else may be here is not known.
            section.forgive();
            return None;
        };
        return Some(format.declared(section, Scope::File));
    };
    let Some(like) = earlier.iter().find(|member| member.is_at(word.text)) else {
        let known: Vec<String> = earlier.iter().map(Member::place).collect();
        let instead = Suggestion::among(word.text, known.iter().map(String::as_str));
        section.report().add(word.span, FilesFact::LikeUnknown { place: word.text.to_owned(), instead });
        section.forgive();
        return None;
    };
    Some(like.dialect.varied(section).unwrap_or_else(|| like.dialect.clone()))
}
