//! Conditions and computed values: the Common Expression Language (an open specification) with a few
//! functions of ours.
//!
//! An expression sees the captures of its rule as variables, and what is around it by functions that
//! take a path. It cannot loop, assign, or reach a file or a network. It is compiled when it is first
//! needed; [`Expression::check`] compiles it to tell what is wrong with it, unknown names and wrong
//! kinds of values included, before anything is carried.

mod check;
mod errors;
mod evaluator;
mod facts;
mod functions;
mod kinds;
mod named;
mod names;
mod networks;
mod path;

pub(crate) use evaluator::Evaluator;
pub(crate) use facts::ExpressionFact;
pub(crate) use functions::FUNCTIONS;
pub(crate) use kinds::{AskedSetting, kind_of};

use crate::language::typing::{Dimension, Value};
use cel::parser::{Expression as Program, PrattParser};
use ipnet::IpNet;
pub(crate) use named::{NamedExpressions, NamedFact};
pub(crate) use networks::Networks;
pub(crate) use path::{AskedStep, alternatives, asked_steps};
use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::{Arc, OnceLock};

/// A value as expressions see it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Operand {
    Text(String),
    Integer(i64),
    Boolean(bool),
    /// What is not there.
    Nothing,
}

/// The kind of an operand, as far as it is known before anything is carried.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum OperandKind {
    Text,
    Integer,
    Boolean,
    /// A list or a set of texts.
    List,
    Unknown,
}

/// What an expression can ask about the place it is evaluated at.
pub(crate) trait Surroundings {
    /// A variable: a capture, a fact.
    fn variable(&self, name: &str) -> Option<Operand>;
    /// How often a setting or object of that path, relative to the rule's place, is given.
    fn count(&self, path: &str) -> usize;
    /// The value that holds for a setting: the one given, or else the default.
    fn effective(&self, path: &str) -> Operand;
    /// The names of what is at that path.
    fn names(&self, path: &str) -> Vec<String>;
    /// The values of the settings of that path.
    fn values(&self, path: &str) -> Vec<String>;
    /// Whether a setting of that path has the name of the object as its value.
    fn named_by(&self, path: &str) -> bool;
    /// What is at that path: values of settings, names of objects and branches.
    fn standing(&self, path: &str) -> Vec<String>;
    /// Whether the same is at two paths.
    fn same(&self, one: &str, other: &str) -> bool;
    /// Whether the object leads back to itself over the settings of these paths, which name objects of its kind.
    fn circle(&self, paths: &[String]) -> bool;
    /// Whether in the branches of the object something is behind what names it by the settings of these paths.
    fn named_late(&self, paths: &[String]) -> bool;
    /// Whether the backup's release is that one or a later one.
    fn since(&self, release: &str) -> bool;
    /// The functions that do not depend on the place.
    fn evaluator(&self) -> &Evaluator;
}

/// An address, a network, or an address with the length of its network, as a network.
fn parse_network(text: &str) -> Option<IpNet> {
    match text.parse::<IpAddr>() {
        Ok(address) => Some(IpNet::from(address)),
        Err(_) => text.parse().ok(),
    }
}

/// One expression of a crossing.
#[derive(Debug)]
pub(crate) struct Expression {
    pub(crate) text: String,
    program: OnceLock<Result<Compiled, String>>,
}

#[derive(Debug)]
struct Compiled {
    /// With each question about the surroundings as a variable, answered beforehand.
    program: Program,
    questions: Vec<Question>,
    /// All variables that it mentions, each with how often.
    variables: Vec<(String, usize)>,
    /// What it is for each answer to its questions, where it depends on nothing but a few yeses and noes.
    known: Box<[OnceLock<Result<Operand, String>>]>,
}

/// What an expression asks about its surroundings.
#[derive(Clone, Debug)]
struct Question {
    function: &'static str,
    /// Nearly always one.
    paths: Vec<String>,
    /// What the program has in its place.
    variable: String,
}

/// How many questions of yes or no an expression may have for its values to be remembered.
const FEW_QUESTIONS: usize = 6;

impl Compiled {
    fn new(program: Program, questions: Vec<Question>) -> Self {
        let variables: Vec<(String, usize)> = program
            .references()
            .variables()
            .into_iter()
            .map(|name| (name.to_owned(), check::times(&program, name)))
            .collect();
        let is_asked =
            |(name, _): &(String, usize)| questions.iter().any(|question| question.variable == *name);
        let depends_on_answers = questions.len() <= FEW_QUESTIONS
            && questions.iter().all(|question| is_yes_or_no(question.function))
            && variables.iter().all(is_asked);
        let known = if depends_on_answers { 1 << questions.len() } else { 0 };
        Self { program, questions, variables, known: (0..known).map(|_| OnceLock::new()).collect() }
    }
}

fn is_yes_or_no(function: &str) -> bool {
    matches!(function, "given" | "since" | "named_by" | "same" | "circle" | "named_late")
}

/// What the program has in the place of a question.
fn variable_of(question: usize) -> String {
    format!("q_{question}_")
}

impl Question {
    fn path(&self) -> &str {
        &self.paths[0]
    }

    /// What a question of yes or no is answered with.
    fn answer(&self, here: &dyn Surroundings) -> bool {
        match self.function {
            "given" => here.count(self.path()) > 0,
            "since" => here.since(self.path()),
            "same" => here.same(self.path(), self.paths.last().map_or("", String::as_str)),
            "circle" => here.circle(&self.paths),
            "named_late" => here.named_late(&self.paths),
            _ => here.named_by(self.path()),
        }
    }
}

impl Expression {
    pub(crate) fn new(text: &str) -> Self {
        Self { text: text.to_owned(), program: OnceLock::new() }
    }

    /// Whether the name occurs as a word outside quotes.
    pub(crate) fn mentions(&self, name: &str) -> bool {
        let mut quote = None;
        let mut word = String::new();
        for c in self.text.chars().chain([' ']) {
            match (quote, c) {
                (Some(open), c) if c == open => quote = None,
                (Some(_), _) => {}
                (None, '\'' | '"') => quote = Some(c),
                (None, c) if c.is_alphanumeric() || c == '_' => word.push(c),
                (None, _) => {
                    if word == name {
                        return true;
                    }
                    word.clear();
                }
            }
        }
        false
    }

    fn compiled(&self) -> Result<&Compiled, &str> {
        let make = || {
            let mut program = compile(&self.text)?;
            let mut questions = Vec::new();
            check::take_questions(&mut program, &mut questions);
            Ok(Compiled::new(program, questions))
        };
        self.program.get_or_init(make).as_ref().map_err(String::as_str)
    }

    /// All that is wrong with the expression, given the kinds of its variables and of the settings that it asks for.
    pub(crate) fn check(
        &self,
        variables: &HashMap<&str, OperandKind>,
        settings: &dyn Fn(&str) -> Option<AskedSetting>,
        wanted: OperandKind,
    ) -> Vec<ExpressionFact> {
        match compile(&self.text) {
            Ok(program) => check::check(&program, (variables, settings), wanted),
            Err(problem) => vec![ExpressionFact::Unreadable { problem }],
        }
    }

    /// Whether it is true here. Without a value it is not.
    pub(crate) fn holds(&self, here: &dyn Surroundings) -> bool {
        self.evaluate(here) == Ok(Operand::Boolean(true))
    }

    /// Whether it depends on nothing but questions of yes or no about the surroundings.
    pub(crate) fn only_asks_around(&self) -> bool {
        self.compiled().is_ok_and(|compiled| !compiled.known.is_empty())
    }

    /// The paths that the expression asks about.
    pub(crate) fn paths(&self) -> Vec<&str> {
        self.asked().filter(|(function, _)| *function != "since").map(|(_, path)| path).collect()
    }

    /// All that it asks about its surroundings: the functions, each with the paths that it asks of.
    pub(crate) fn asked(&self) -> impl Iterator<Item = (&'static str, &str)> {
        let asked = self.compiled().map(|compiled| compiled.questions.as_slice()).unwrap_or_default();
        asked.iter().flat_map(|question| question.paths.iter().map(|path| (question.function, path.as_str())))
    }

    /// Whether what it gives is to stay as it is, whatever the map says.
    pub(crate) fn is_as_is(&self) -> bool {
        self.compiled().is_ok_and(|compiled| check::is_call(&compiled.program, functions::AS_IS))
    }

    /// Whether it draws on anything of the old side: not all that it says is in it.
    pub(crate) fn draws_on_old(&self) -> bool {
        self.compiled().is_ok_and(|compiled| !compiled.variables.is_empty())
    }

    /// What the expression is here, if all values that it asks for are there or have a default. A value of which it asks
    /// whether it is given may be missing: then the expression says itself what holds without it.
    pub(crate) fn evaluate_known(&self, here: &dyn Surroundings) -> Option<Result<Operand, String>> {
        let is_guarded = |path: &str| self.asked().any(|asked| asked == ("given", path));
        let known = self
            .asked()
            .filter(|(function, path)| *function == "effective" && !is_guarded(path))
            .all(|(_, path)| here.effective(path) != Operand::Nothing);
        known.then(|| self.evaluate(here))
    }

    /// What the expression is here.
    ///
    /// # Errors
    /// Why it has no value; in words for a person.
    pub(crate) fn evaluate(&self, here: &dyn Surroundings) -> Result<Operand, String> {
        let compiled = self.compiled().map_err(str::to_owned)?;
        if !compiled.known.is_empty() {
            let questions = compiled.questions.iter().enumerate();
            let answers = questions.fold(0, |answers, (number, question)| {
                answers | usize::from(question.answer(here)) << number
            });
            return compiled.known[answers].get_or_init(|| compiled.evaluate(here)).clone();
        }
        compiled.evaluate(here)
    }
}

impl Compiled {
    fn evaluate(&self, here: &dyn Surroundings) -> Result<Operand, String> {
        let mut context = here.evaluator().context.new_inner_scope();
        let mut most = 0_usize;
        for (name, times) in &self.variables {
            if let Some(operand) = here.variable(name) {
                if let Operand::Text(text) = &operand {
                    most = most.saturating_add(text.len().saturating_mul(*times));
                }
                context.add_variable_from_value(name.as_str(), to_cel(operand));
            }
        }
        // As long as it could be if all were put together.
        if most > MOST_TOGETHER {
            return Err(TOO_LONG.to_owned());
        }
        for question in &self.questions {
            let (path, variable) = (question.path(), &question.variable);
            let answer = match question.function {
                function if is_yes_or_no(function) => cel::Value::Bool(question.answer(here)),
                "held_by" | "overlapping" => {
                    cel::Value::Int(here.evaluator().networks_at(&question.paths, here))
                }
                "count" => cel::Value::Int(i64::try_from(here.count(path)).unwrap_or(i64::MAX)),
                "names" => {
                    let names = here.evaluator().names_at(path, here);
                    context.add_variable_as_val(variable.as_str(), Box::new(names));
                    continue;
                }
                "values" => here.evaluator().values_at(path, here),
                _ => to_cel(here.effective(path)),
            };
            context.add_variable_from_value(variable.as_str(), answer);
        }
        let found = cel::Value::resolve(&self.program, &context);
        here.evaluator().networks.clear();
        match found {
            Ok(value) => match from_cel(&value) {
                Ok(Operand::Text(text)) if text.len() > MOST_BYTES => Err(TOO_LONG.to_owned()),
                found => found,
            },
            Err(error) => Err(errors::reported(&error)),
        }
    }
}

/// The most bytes of a text that an expression gives.
const MOST_BYTES: usize = 64 << 10;

/// The most bytes that all texts in an expression may have together, each as often as it is mentioned.
const MOST_TOGETHER: usize = 256 * MOST_BYTES;

const TOO_LONG: &str = "an expression gives at most 64 KiB, and this would be more";

/// The most characters of an expression, and how deep it may go: working it out takes some of the stack for each level,
/// and the stack has an end.
const LONGEST: usize = 10_000;
const DEEPEST: usize = 32;

fn compile(text: &str) -> Result<Program, String> {
    let length = text.chars().count();
    if length > LONGEST {
        return Err(format!(
            "an expression has at most {LONGEST} characters, and this has {length}; say it in several rules"
        ));
    }
    // The parser that the crate uses by itself takes fifteen times as long.
    match PrattParser::default().parse(text) {
        Ok(program) if check::is_deeper(&program, DEEPEST) => {
            Err(format!("an expression goes at most {DEEPEST} levels deep; say it in several rules"))
        }
        Ok(program) => Ok(program),
        Err(errors) => Err(match errors.errors.first() {
            Some(error) => unreadable(text, error),
            None => "the expression cannot be read".to_owned(),
        }),
    }
}

/// Where an expression cannot be read, and why, in our words as far as the parser's are known.
fn unreadable(text: &str, error: &cel::ParseError) -> String {
    let why = error
        .msg
        .trim_start_matches("Syntax error: ")
        .replace("'<EOF>'", "the end")
        .replace("<EOF>", "the end");
    let why = match why.strip_prefix("mismatched input ").and_then(|rest| rest.split_once(" expecting ")) {
        Some((found, "expression")) => format!("found {found}, expected an expression"),
        Some((found, expected)) => format!("found {found}, expected {expected}"),
        None => why,
    };
    let (line, byte) = error.pos;
    let before = |line: &str| Some(line.get(..usize::try_from(byte - 1).ok()?)?.chars().count() + 1);
    let found = usize::try_from(line - 1).ok().and_then(|line| text.split('\n').nth(line)).and_then(before);
    let character = found.unwrap_or(1);
    let line = if text.trim_end().contains('\n') { format!("line {line}, ") } else { String::new() };
    format!("the expression cannot be read at its {line}character {character}: {why}")
}

fn to_cel(operand: Operand) -> cel::Value {
    match operand {
        Operand::Text(text) => cel::Value::String(Arc::new(text)),
        Operand::Integer(number) => cel::Value::Int(number),
        Operand::Boolean(boolean) => cel::Value::Bool(boolean),
        Operand::Nothing => cel::Value::Null,
    }
}

fn from_cel(value: &cel::Value) -> Result<Operand, String> {
    match value {
        cel::Value::String(text) => Ok(Operand::Text(text.as_ref().clone())),
        cel::Value::Int(number) => Ok(Operand::Integer(*number)),
        cel::Value::UInt(number) => {
            i64::try_from(*number).map(Operand::Integer).map_err(|_| "a number becomes too large".into())
        }
        cel::Value::Bool(boolean) => Ok(Operand::Boolean(*boolean)),
        cel::Value::Null => Ok(Operand::Nothing),
        _ => Err("it gives neither a text, a whole number nor a truth value".into()),
    }
}

impl Operand {
    /// A typed value as expressions see it: durations in seconds. Secrets are never seen.
    pub(crate) fn from_value(value: &Value<'_>) -> Self {
        match value {
            Value::Integer(number) => Self::Integer(*number),
            Value::Boolean(boolean) => Self::Boolean(*boolean),
            Value::Quantity(dimension, amount) => {
                let unit = if *dimension == Dimension::Time { 1_000 } else { 1 };
                Self::Integer(i64::try_from(amount / unit).unwrap_or(i64::MAX))
            }
            Value::PrefixLength(length) => Self::Integer(i64::from(*length)),
            // What has no text of its own: two of them would all be the same.
            Value::Secret(..) | Value::Parts(_) | Value::List(_) => Self::Nothing,
            other => Self::Text(crate::language::typing::plain_text(other).into_owned()),
        }
    }

    /// As a value to be written.
    pub(crate) fn into_value(self) -> Option<Value<'static>> {
        match self {
            Self::Text(text) => Some(Value::Text(text.into())),
            Self::Integer(number) => Some(Value::Integer(number)),
            Self::Boolean(boolean) => Some(Value::Boolean(boolean)),
            Self::Nothing => None,
        }
    }
}

#[cfg(test)]
mod tests;
