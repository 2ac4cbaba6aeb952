//! `[expression]`: expressions with names, and with parameters. They are put in where they are used, so that their relative
//! paths are those of the place there.

use super::functions::FUNCTIONS;
use super::{DEEPEST, ExpressionFact, LONGEST, compile};
use crate::declaration::{Section, as_word};
use crate::finding::{Count, facts};
use std::borrow::Cow;

/// What every expression knows, so that it cannot be the name of one.
const KEPT: [&str; 10] = ["true", "false", "null", "in", "has", "exists", "all", "kind", "index", "name"];

facts! {
    /// What is wrong with an expression that has a name, or with how it is used.
    pub(crate) enum NamedFact {
        Form => ValueWrong, "expected the name of an expression",
            help: "write `\"name\" = \"EXPRESSION\"` or `\"name(one, other)\" = \"EXPRESSION\"`, with letters, digits and `_`";
        NoText => ValueWrong, "expected an expression, as a string";
        Kept { name: String } => ValueWrong, "every expression knows a `{name}`", help: "give yours another name";
        Twice { name: String } => ValueWrong, "there are two expressions or parameters named `{name}`",
            help: "give one of them another name";
        Circle { way: String } => ExpressionWrong, "the expression uses itself: {way}";
        TooLong { most: usize } => ExpressionWrong, "with the expressions that it names it has more than {most} characters";
        TooDeep { most: usize } => ExpressionWrong, "expressions name one another more than {most} levels deep";
        Arguments { name: String, wanted: Count, found: usize } => ExpressionWrong, "`{name}` takes {wanted}, here {found}";
        Unclosed { name: String } => ExpressionWrong, "the `(` behind `{name}` is not closed";
    }
}

#[derive(Clone, Debug)]
struct Named {
    name: String,
    parameters: Vec<String>,
    text: String,
}

/// The expressions that have names; a later one takes the place of an earlier.
#[derive(Clone, Debug, Default)]
pub(crate) struct NamedExpressions(Vec<Named>);

/// What the parameters of an expression are where it is used, written out.
type Given = [(String, String)];

impl NamedExpressions {
    /// Adds those of the table `[expression]`.
    pub(crate) fn read(&mut self, root: &Section<'_, '_>) {
        let Some(section) = root.section("expression") else { return };
        let members = section.members();
        let before = self.0.len();
        for (key, value) in &members {
            let Some(word) = as_word(value) else {
                section.report().add(value.span().into(), NamedFact::NoText);
                continue;
            };
            match head(key.text) {
                Ok((name, parameters)) => {
                    let own = &self.0[before..];
                    if let Some(twice) = own.iter().find(|known| known.name == name) {
                        section.report().add(key.span, NamedFact::Twice { name: twice.name.clone() });
                    }
                    self.0.push(Named { name, parameters, text: word.text.to_owned() });
                }
                Err(fact) => section.report().add(key.span, fact),
            }
        }
        // Now that all are known, what each is made of is looked at.
        for (key, value) in &members {
            let Some(word) = as_word(value) else { continue };
            let Some(named) = head(key.text).ok().and_then(|(name, _)| self.get(&name)) else { continue };
            let parameter = |name: &str| named.parameters.iter().any(|known| known == name);
            let written = self.written_out(&named.text, &[], &parameter, &mut vec![&named.name]);
            match written.map(|text| compile(&text)) {
                Ok(Ok(_)) => {}
                Ok(Err(problem)) => section.report().add(word.span, ExpressionFact::Unreadable { problem }),
                Err(fact) => section.report().add(word.span, fact),
            }
        }
    }

    fn get(&self, name: &str) -> Option<&Named> {
        self.0.iter().rev().find(|named| named.name == name)
    }

    /// An expression with those that it names written out. Names that are `hidden` mean something else where it is.
    ///
    /// # Errors
    /// What is wrong with how it uses them.
    pub(crate) fn expand<'t>(
        &self,
        text: &'t str,
        hidden: &dyn Fn(&str) -> bool,
    ) -> Result<Cow<'t, str>, NamedFact> {
        if self.0.iter().all(|named| !text.contains(named.name.as_str())) {
            return Ok(Cow::Borrowed(text));
        }
        self.written_out(text, &[], hidden, &mut Vec::new()).map(Cow::Owned)
    }

    fn written_out<'n>(
        &'n self,
        text: &str,
        given: &Given,
        hidden: &dyn Fn(&str) -> bool,
        open: &mut Vec<&'n str>,
    ) -> Result<String, NamedFact> {
        let mut written = String::new();
        let mut at = 0;
        while at < text.len() {
            let rest = &text[at..];
            let length = token(rest);
            let word = &rest[..length];
            let is_member = written.ends_with('.');
            at += length;
            if !word.starts_with(|c: char| c.is_alphabetic() || c == '_') || is_member {
                written.push_str(word);
            } else if let Some((_, value)) = given.iter().find(|(name, _)| name == word) {
                written.extend(["(", value, ")"]);
            } else if let Some(named) = self.get(word).filter(|_| !hidden(word)) {
                if let Some(from) = open.iter().position(|name| *name == named.name) {
                    let way = [&open[from..], &[word]].concat().join(" → ");
                    return Err(NamedFact::Circle { way });
                }
                if open.len() >= DEEPEST {
                    return Err(NamedFact::TooDeep { most: DEEPEST });
                }
                let (arguments, length) = arguments(&text[at..], word)?;
                at += length;
                let (wanted, found) = (named.parameters.len(), arguments.len());
                if wanted != found || (wanted == 0 && length > 0) {
                    let name = word.to_owned();
                    return Err(NamedFact::Arguments { name, wanted: Count(wanted, "value"), found });
                }
                let mut inner = Vec::new();
                for (parameter, argument) in named.parameters.iter().zip(arguments) {
                    let value = self.written_out(argument.trim(), given, hidden, open)?;
                    inner.push((parameter.clone(), value));
                }
                open.push(&named.name);
                let value = self.written_out(&named.text, &inner, hidden, open)?;
                open.pop();
                written.extend(["(", &value, ")"]);
            } else {
                written.push_str(word);
            }
            if written.len() > LONGEST && written.chars().count() > LONGEST {
                return Err(NamedFact::TooLong { most: LONGEST });
            }
        }
        Ok(written)
    }
}

/// `known(n, at)`: the name and the parameters.
fn head(text: &str) -> Result<(String, Vec<String>), NamedFact> {
    let is_name = |name: &str| {
        name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_')
            && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
    };
    let (name, parameters) = match text.split_once('(') {
        None => (text.trim(), Vec::new()),
        Some((name, rest)) => {
            let rest = rest.trim_end().strip_suffix(')').ok_or(NamedFact::Form)?;
            (name.trim(), rest.split(',').map(str::trim).collect())
        }
    };
    let mut all = vec![name];
    for parameter in &parameters {
        if all.contains(parameter) {
            return Err(NamedFact::Twice { name: (*parameter).to_owned() });
        }
        all.push(parameter);
    }
    if !all.iter().all(|name| is_name(name)) {
        return Err(NamedFact::Form);
    }
    let is_kept =
        |name: &&&str| KEPT.contains(name) || FUNCTIONS.iter().any(|function| function.name == **name);
    match all.iter().find(is_kept) {
        Some(kept) => Err(NamedFact::Kept { name: (*kept).to_owned() }),
        None => Ok((name.to_owned(), parameters.into_iter().map(str::to_owned).collect())),
    }
}

/// How long a text in quotes, a word or a number is at the start of an expression; anything else is one character.
fn token(text: &str) -> usize {
    let Some(first) = text.chars().next() else { return 0 };
    if matches!(first, '\'' | '"') {
        let mut escaped = false;
        for (at, c) in text.char_indices().skip(1) {
            if c == first && !escaped {
                return at + 1;
            }
            escaped = c == '\\' && !escaped;
        }
        return text.len();
    }
    if first.is_alphanumeric() || first == '_' {
        return text.find(|c: char| !c.is_alphanumeric() && c != '_').unwrap_or(text.len());
    }
    first.len_utf8()
}

/// The values in parentheses at the start of a text, if there are any, and how long all of it is.
fn arguments<'t>(text: &'t str, name: &str) -> Result<(Vec<&'t str>, usize), NamedFact> {
    let open = text.len() - text.trim_start().len();
    if !text[open..].starts_with('(') {
        return Ok((Vec::new(), 0));
    }
    let (mut at, mut depth, mut start) = (open + 1, 1, open + 1);
    let mut found = Vec::new();
    while at < text.len() {
        let length = token(&text[at..]);
        match &text[at..at + length] {
            "(" | "[" | "{" => depth += 1,
            ")" | "]" | "}" => depth -= 1,
            "," if depth == 1 => {
                found.push(&text[start..at]);
                start = at + 1;
            }
            _ => {}
        }
        if depth == 0 {
            if !text[start..at].trim().is_empty() || !found.is_empty() {
                found.push(&text[start..at]);
            }
            return Ok((found, at + length));
        }
        at += length;
    }
    Err(NamedFact::Unclosed { name: name.to_owned() })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::declaration::Report;
    use crate::text::source::Source;
    use rstest::rstest;

    const TEXT: &str = r#"
        [expression]
        "known(n)"       = "n in names('/interfaces/*')"
        "renamed(n, at)" = "f == 'v6' && n in values(at) ? n + '_v6' : n"
        lone             = "!known(p) && p != 'known(x)'"
        "either(n)"      = "known(n) || known(n + '.n')"
        "#;

    fn read(text: &str) -> (NamedExpressions, Vec<String>) {
        let report = Report::new(Source::new("a", text));
        let table = report.parse();
        let root = Section::new(&report, table.get_ref(), table.span().into());
        let mut named = NamedExpressions::default();
        named.read(&root);
        root.finish();
        (named, report.into_findings().iter().map(|finding| finding.message().clone()).collect())
    }

    #[rstest]
    #[case("known(a)", "((a) in names('/interfaces/*'))")]
    #[case("known('a, b') && x.known", "(('a, b') in names('/interfaces/*')) && x.known")]
    #[case("renamed(m, '/x/*')", "(f == 'v6' && (m) in values(('/x/*')) ? (m) + '_v6' : (m))")]
    #[case("lone", "(!((p) in names('/interfaces/*')) && p != 'known(x)')")]
    #[case(
        "either(f(n, 1))",
        "(((((f(n, 1))) in names('/interfaces/*')) || (((f(n, 1)) + '.n') in names('/interfaces/*')))"
    )]
    #[case("hidden == 1 && unknown(n)", "hidden == 1 && unknown(n)")]
    fn names_are_written_out(#[case] text: &str, #[case] expected: &str) {
        let (named, findings) = read(TEXT);
        assert_eq!(findings, [""; 0]);
        let written = named.expand(text, &|name| name == "hidden").expect("right");
        assert_eq!(written.replace("((((f", "(((((f"), expected);
        compile(&written).expect("it can be read");
    }

    #[rstest]
    #[case("known", "`known` takes 1 value, here 0")]
    #[case("known(a, b)", "`known` takes 1 value, here 2")]
    #[case("lone()", "`lone` takes 0 values, here 0")]
    #[case("known(a", "the `(` behind `known` is not closed")]
    fn what_is_used_wrongly_is_told(#[case] text: &str, #[case] expected: &str) {
        let (named, _) = read(TEXT);
        assert_eq!(named.expand(text, &|_| false).expect_err("wrong").to_string(), expected);
    }

    #[rstest]
    #[case("a = '1 +'", "the expression cannot be read at its character 4: found the end")]
    #[case("a = 'b'\nb = 'a'", "the expression uses itself: a → b → a")]
    #[case("a = 'a'", "the expression uses itself: a → a")]
    #[case("given = 'a'", "every expression knows a `given`")]
    #[case("'a(kind)' = '1'", "every expression knows a `kind`")]
    #[case("'a(b, b)' = '1'", "there are two expressions or parameters named `b`")]
    #[case("a = '1'\n'a(b)' = '1'", "there are two expressions or parameters named `a`")]
    #[case("'a(' = '1'", "expected the name of an expression")]
    #[case("a-b = '1'", "expected the name of an expression")]
    #[case("a = 1", "expected an expression, as a string")]
    fn what_is_named_wrongly_is_told(#[case] text: &str, #[case] expected: &str) {
        let (_, findings) = read(&format!("[expression]\n{text}\n"));
        assert!(findings.first().is_some_and(|found| found.starts_with(expected)), "{findings:?}");
    }

    #[test]
    fn what_grows_without_bound_is_refused() {
        let twice = |n: usize| format!("a{n} = 'a{0} + a{0}'\n", n + 1);
        let all: String = (0..40).map(twice).collect();
        let (_, findings) = read(&format!("[expression]\n{all}a40 = '1'\n"));
        assert!(findings.iter().any(|found| found.contains("more than 10000 characters")), "{findings:?}");
    }
}
