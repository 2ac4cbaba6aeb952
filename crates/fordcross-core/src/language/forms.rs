//! How a profile declares forms: `[ini]`, `[table]`, `[statements]` with `[[statement]]`, and `[[member]]` with the same.

use crate::container::hashes::Algorithm;
use crate::finding::{Code, did_you_mean};
use crate::format::form::{Container, FileForm, Member, Members, Writing};
use crate::format::shape::Shape;
use crate::format::statements::{
    Escape, Grammar, Includes, Inside, Nesting, PathPart, Statement, StatementShape,
};
use crate::language::toml_file::{Section, Word};
use crate::language::typing::pick;

/// How files of a form are written: the manners that stand in a section.
pub(crate) fn read_writing(section: &Section<'_, '_>, form: FileForm) -> Writing {
    let mut writing = Writing::new(form);
    let own = |key: &'static str, of: FileForm| {
        let own = section.section(key)?;
        if form != of {
            let message = format!(
                "`[{key}]` says how files of the form `{}` are written, and this is `{}`",
                of.word(),
                form.word()
            );
            section
                .report()
                .add(Code::ValueWrong, own.span(), message)
                .help(format!("write `form = \"{}\"`, or take it out", of.word()));
        }
        Some(own)
    };
    if let Some(ini) = own("ini", FileForm::Ini) {
        read_ini(&ini, &mut writing);
        ini.finish();
    }
    let is_table = if form == FileForm::Database { form } else { FileForm::Table };
    if let Some(table) = own("table", is_table) {
        if let Some(separator) = table.word("separator").and_then(|word| one(&table, word)) {
            writing.table.separator = separator;
        }
        if let Some(row) = table.word("row") {
            row.text.clone_into(&mut writing.table.row);
        }
        table.finish();
    }
    if let Some(statements) = own("statements", FileForm::Statements) {
        read_statements(&statements, &mut writing);
        statements.finish();
    }
    let marks = writing.grammar.marks.clone();
    for statement in section.sections("statement") {
        if form != FileForm::Statements {
            statement
                .report()
                .add(Code::ValueWrong, statement.span(), "statements are of the form `statements`")
                .help("write `form = \"statements\"`, or take it out");
        }
        if let Some(read) = read_statement(&statement, &marks) {
            writing.grammar.statements.push(read);
        }
        statement.finish();
    }
    writing
}

/// One character that parts or marks something.
fn one(section: &Section<'_, '_>, word: Word<'_>) -> Option<char> {
    let mut chars = word.text.chars();
    let only =
        chars.next().filter(|c| chars.next().is_none() && !c.is_alphanumeric() && !"[]\"".contains(*c));
    if only.is_none() {
        section.report().add(
            Code::ValueWrong,
            word.span,
            "expected one character that is no letter, digit, bracket or quote",
        );
    }
    only
}

/// One character of any kind.
fn any_one(section: &Section<'_, '_>, word: Word<'_>) -> Option<char> {
    let mut chars = word.text.chars();
    let only = chars.next().filter(|_| chars.next().is_none());
    if only.is_none() {
        section.report().add(Code::ValueWrong, word.span, "expected one character");
    }
    only
}

fn read_ini(section: &Section<'_, '_>, writing: &mut Writing) {
    let manners = &mut writing.ini;
    if let Some(separator) = section.word("separator").and_then(|word| one(section, word)) {
        manners.separator = separator;
    }
    let comments: Vec<char> =
        section.words("comments").into_iter().filter_map(|word| one(section, word)).collect();
    if !comments.is_empty() {
        manners.comments = comments;
    }
    manners.quotes = section.boolean("quotes").unwrap_or(false);
    if let Some(heading) = section.word("heading") {
        // `{section} {name}`: what stands between is what parts them.
        let parts = heading.text.strip_prefix("{section}").and_then(|rest| {
            let (between, setting) = rest.strip_suffix('}')?.split_once('{')?;
            (!between.is_empty() && !setting.is_empty()).then(|| (between.to_owned(), setting.to_owned()))
        });
        if parts.is_none() {
            section
                .report()
                .add(Code::ValueWrong, heading.span, "expected the parts of a heading")
                .help("write `{section} {name}`, with what stands between them and the name of the setting");
        }
        manners.heading = parts;
    }
}

const NESTING: [(&str, Nesting); 4] = [
    ("flat", Nesting::Flat),
    ("braces", Nesting::Braces),
    ("indent", Nesting::Indent),
    ("until-next", Nesting::UntilNext),
];

fn read_statements(section: &Section<'_, '_>, writing: &mut Writing) {
    let grammar = &mut writing.grammar;
    let comments = section.words("comments");
    if section.has("comments") {
        grammar.comments = comments.iter().map(|word| word.text.to_owned()).collect();
    }
    grammar.trailing_comments = section.boolean("trailing-comments").unwrap_or(false);
    grammar.continues = section.word("continues").and_then(|word| any_one(section, word));
    read_words(section, grammar);
    grammar.keeps_quotes = section.boolean("keeps-quotes").unwrap_or(false);
    grammar.end = section.word("end").and_then(|word| one(section, word));
    grammar.end_needed = section.boolean("end-needed").unwrap_or(false);
    if let Some(indent) = section.word("indent") {
        indent.text.clone_into(&mut grammar.indent);
    }
    let close = section.word("close").map(|word| word.text.to_owned());
    if section.has("nesting") {
        grammar.nesting = pick(section, "nesting", &NESTING).unwrap_or(Nesting::Flat);
    } else {
        section.raw("nesting");
    }
    if let Some(close) = close {
        grammar.nesting = Nesting::Words(close);
    }
}

/// How words are parted and quoted.
fn read_words(section: &Section<'_, '_>, grammar: &mut Grammar) {
    grammar.quotes = section.words("quotes").into_iter().filter_map(|word| any_one(section, word)).collect();
    if section.has("escape")
        && let Some(escape) = pick(section, "escape", &Escape::ALL)
    {
        grammar.escape = escape;
    } else {
        section.raw("escape");
    }
    grammar.marks = section.words("marks").into_iter().filter_map(|word| one(section, word)).collect();
    if let Some(plain) = section.word("plain") {
        plain.text.clone_into(&mut grammar.plain);
    }
    if section.has("letter-case") {
        grammar.any_case = pick(section, "letter-case", &[("any", true)]).unwrap_or(false);
    } else {
        section.raw("letter-case");
    }
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
        .map_err(|message| section.report().add(Code::RuleMalformed, shape.span, message))
        .ok()?;
    let mut path = Vec::new();
    for step in at.text.split('/') {
        let capture = step.strip_prefix('{').and_then(|step| step.strip_suffix('}'));
        path.push(match capture {
            Some(name) => PathPart::Capture(name.to_owned()),
            None => PathPart::Name(step.to_owned()),
        });
        if step.is_empty() || capture.is_some_and(|name| !read.has(name)) {
            let message = match capture {
                Some(name) => format!("the shape captures no `{name}`"),
                None => "a step of a path without a name".to_owned(),
            };
            section
                .report()
                .add(Code::CaptureUnknown, at.span, message)
                .help("name steps, or captures of `shape` in braces");
        }
    }
    let (takes, skips) = (section.words("takes"), section.words("skips"));
    let may_be_missing = section.boolean("may-be-missing").unwrap_or(false);
    let texts = |words: Vec<Word<'_>>| words.into_iter().map(|word| word.text.to_owned()).collect();
    let includes = includes.map(|word| {
        if !read.has(word.text) {
            section.report().add(
                Code::CaptureUnknown,
                word.span,
                format!("the shape captures no `{}`", word.text),
            );
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
    let mut writing = Writing::new(FileForm::Statements);
    read_words(section, &mut writing.grammar);
    writing.grammar.comments.clear();
    let (of, pairs) = (of?, pairs?);
    if !shape.parts.iter().any(|part| part.captures(of.text)) {
        let message = format!("the shape captures no one word `{}`", of.text);
        section.report().add(Code::CaptureUnknown, of.span, message);
    }
    let group = pairs.text.replace("{name}", "{pair.key}").replace("{value}", "{pair.value}");
    let parsed = StatementShape::parse(&format!("[{group}]..."), &writing.grammar.marks);
    let known = parsed.as_ref().is_ok_and(|shape| shape.names() == ["pair"]);
    if !known {
        let message = parsed.err().unwrap_or_else(|| "expected one pair".into());
        section
            .report()
            .add(Code::RuleMalformed, pairs.span, message)
            .help("write `{name}` and `{value}` with what stands between them, such as `{name}={value}`");
        return None;
    }
    Some(Inside { of: of.text.to_owned(), shape: parsed.ok()?, grammar: writing.grammar })
}

impl Members {
    /// What `[profile]` says of the files of a backup of several.
    pub(crate) fn read(head: &Section<'_, '_>) -> Self {
        let texts = |key| head.words(key).into_iter().map(|word| word.text.to_owned()).collect();
        let container = if head.has("container") {
            pick(head, "container", &Container::ALL)
        } else {
            head.raw("container");
            None
        };
        Self { container, files: Vec::new(), folders: texts("folders"), leftovers: texts("leftovers") }
    }
}

/// `[[member]]`: the files of a backup of several.
pub(crate) fn read_members(root: &Section<'_, '_>, mut all: Members) -> Members {
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
    // `like = "main"`: in the form of an earlier one, and written by the same manners.
    let like = section.word("like").map(|word| (word, earlier.iter().find(|member| member.is_at(word.text))));
    if let Some((word, None)) = like {
        let known: Vec<String> = earlier.iter().map(Member::place).collect();
        section
            .report()
            .add(Code::LocatorUnknown, word.span, format!("no file before this one is at `{}`", word.text))
            .help(did_you_mean(word.text, known.iter().map(String::as_str)));
    }
    let like = like.and_then(|(_, member)| member);
    let form = match like {
        Some(like) => Some(like.writing.form),
        None if section.has("like") => Some(FileForm::Opaque),
        None => pick(section, "form", &FileForm::OF_MEMBERS),
    };
    let needed = section.boolean("needed").unwrap_or(false);
    let data = section.boolean("data").unwrap_or(false);
    let written = section.boolean("written").unwrap_or(true);
    let signs = section.words("signs").into_iter().map(|word| word.text.to_owned()).collect();
    let root = section.word("root").map(|word| word.text.to_owned());
    let hash = if section.has("hash") {
        pick(section, "hash", &Algorithm::ALL)
    } else {
        section.raw("hash");
        None
    };
    let mut writing = match like {
        Some(like) => like.writing.clone(),
        None => read_writing(section, form.unwrap_or(FileForm::Opaque)),
    };
    let shape = |word: Word<'_>, text: &str| {
        Shape::parse(text)
            .map_err(|bad| section.report().add(Code::RuleMalformed, word.span, bad.message))
            .ok()
    };
    let (path, at) = (path?, at?);
    let steps: Option<Vec<Shape>> = at.text.split('/').map(|step| shape(at, step)).collect();
    let (path_shape, steps) = (shape(path, path.text)?, steps?);
    let known: Vec<&str> = path_shape.captures().collect();
    let used: Vec<&str> = steps.iter().flat_map(Shape::captures).collect();
    if known.iter().any(|name| !used.contains(name)) || used.iter().any(|name| !known.contains(name)) {
        section
            .report()
            .add(Code::CaptureUnknown, at.span, "the path of the file and its place do not capture the same")
            .help("each capture of `path` must stand in `at`, and each of `at` in `path`");
    }
    let form = form?;
    if form == FileForm::Xml && root.is_none() && like.is_none() {
        section.report().add(
            Code::KeyMissing,
            section.span(),
            "`root` is missing: what the outermost element is called",
        );
    }
    if let Some(root) = root {
        writing.root = root;
    }
    if (form == FileForm::Hashes) != hash.is_some() {
        section
            .report()
            .add(Code::KeyMissing, section.span(), "a list of hashes, and nothing else, says which: `hash`")
            .help("write `hash = \"sha-256\"` or `hash = \"sha-512\"` where `form = \"hashes\"`");
    }
    Some(Member { path: path_shape, at: steps, writing, needed, data, signs, written, hash })
}
