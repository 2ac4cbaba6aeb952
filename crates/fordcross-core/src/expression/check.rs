//! What can be told about an expression before it is evaluated: names that do not exist, and kinds of
//! values that cannot go together. What is not known is let through.

use super::OperandKind::{self, Boolean, Integer, Text, Unknown};
use super::functions::{FUNCTIONS, QUESTIONS};
use crate::finding::did_you_mean;
use cel::common::ast::{CallExpr, Expr, IdedExpr, LiteralValue};
use std::collections::HashMap;

/// One thing that is wrong with an expression.
#[derive(Debug)]
pub(crate) struct Problem {
    pub(crate) message: String,
    pub(crate) help: Option<String>,
}

/// The functions and methods of the language itself that expressions may use.
const OF_THE_LANGUAGE: [&str; 10] =
    ["size", "int", "uint", "double", "string", "startsWith", "endsWith", "contains", "max", "min"];

/// The calls that ask about the surroundings, with their paths.
pub(super) fn questions(expression: &IdedExpr) -> Vec<(&'static str, String)> {
    let mut found = Vec::new();
    walk(expression, &mut |expression| {
        if let Expr::Call(call) = &expression.expr
            && let Some(question) = QUESTIONS.into_iter().find(|question| *question == call.func_name)
            && let Some(path) = call.args.first().and_then(literal_text)
        {
            found.push((question, path.to_owned()));
        }
    });
    found
}

/// The text with each question in it as its variable.
pub(super) fn with_variables(text: &str, questions: &[(&'static str, String)]) -> String {
    let mut out = String::new();
    let mut rest = text;
    let mut number = 0;
    while let Some((function, path)) = questions.get(number) {
        // The questions were found in the order of the text, each with its path in quotes.
        let calls = ['\'', '"'].map(|quote| format!("{quote}{path}{quote}"));
        let found = rest.match_indices(function).find_map(|(at, _)| {
            let open = rest[at + function.len()..].trim_start().strip_prefix('(')?.trim_start();
            let after = calls.iter().find_map(|call| open.strip_prefix(call.as_str()))?.trim_start();
            Some((at, after.strip_prefix(')')?))
        });
        let Some((at, after)) = found else { break };
        out.push_str(&rest[..at]);
        out.push_str(&super::variable_of(number));
        rest = after;
        number += 1;
    }
    out + rest
}

fn literal_text(expression: &IdedExpr) -> Option<&str> {
    match &expression.expr {
        Expr::Literal(LiteralValue::String(text)) => Some(text.inner()),
        _ => None,
    }
}

fn walk(expression: &IdedExpr, visit: &mut dyn FnMut(&IdedExpr)) {
    visit(expression);
    each_part(expression, &mut |part| walk(part, visit));
}

fn each_part(expression: &IdedExpr, visit: &mut dyn FnMut(&IdedExpr)) {
    match &expression.expr {
        Expr::Call(call) => call.target.iter().map(AsRef::as_ref).chain(&call.args).for_each(visit),
        Expr::List(list) => list.elements.iter().for_each(visit),
        Expr::Select(select) => visit(&select.operand),
        _ => {}
    }
}

/// Whether an expression goes deeper than so many levels.
pub(super) fn is_deeper(expression: &IdedExpr, levels: usize) -> bool {
    let Some(below) = levels.checked_sub(1) else { return true };
    let mut deeper = false;
    each_part(expression, &mut |part| deeper = deeper || is_deeper(part, below));
    deeper
}

pub(super) fn check(
    expression: &IdedExpr,
    variables: &HashMap<&str, OperandKind>,
    wanted: OperandKind,
) -> Vec<Problem> {
    let mut checker = Checker { variables, problems: Vec::new() };
    let found = checker.kind(expression);
    if checker.problems.is_empty() && !agree(found, wanted) {
        checker.problem(format!("expected {}, and this is {}", words(wanted), words(found)), None);
    }
    checker.problems
}

fn agree(a: OperandKind, b: OperandKind) -> bool {
    a == b || a == Unknown || b == Unknown
}

fn words(kind: OperandKind) -> &'static str {
    match kind {
        Text => "a text",
        Integer => "a whole number",
        Boolean => "a truth value",
        Unknown => "a value",
    }
}

struct Checker<'c> {
    variables: &'c HashMap<&'c str, OperandKind>,
    problems: Vec<Problem>,
}

impl Checker<'_> {
    fn problem(&mut self, message: impl Into<String>, help: Option<String>) {
        self.problems.push(Problem { message: message.into(), help });
    }

    fn kind(&mut self, expression: &IdedExpr) -> OperandKind {
        match &expression.expr {
            Expr::Literal(literal) => match literal {
                LiteralValue::String(_) => Text,
                LiteralValue::Int(_) | LiteralValue::UInt(_) => Integer,
                LiteralValue::Boolean(_) => Boolean,
                _ => Unknown,
            },
            Expr::Ident(name) => match self.variables.get(name.as_str()) {
                Some(kind) => *kind,
                None => {
                    let mut known: Vec<&str> = self.variables.keys().copied().collect();
                    known.sort_unstable();
                    let help = did_you_mean(name, known);
                    self.problem(format!("there is no `{name}` here"), Some(help));
                    Unknown
                }
            },
            Expr::Call(call) => self.call(call),
            Expr::List(list) => {
                for element in &list.elements {
                    self.kind(element);
                }
                Unknown
            }
            Expr::Select(_) | Expr::Map(_) | Expr::Struct(_) | Expr::Comprehension(_) | Expr::Unspecified => {
                self.problem("fields, maps and loops have no meaning here", None);
                Unknown
            }
        }
    }

    fn call(&mut self, call: &CallExpr) -> OperandKind {
        let target = call.target.as_ref().map(|target| self.kind(target));
        let arguments: Vec<OperandKind> = call.args.iter().map(|argument| self.kind(argument)).collect();
        match (call.func_name.as_str(), arguments.as_slice()) {
            ("_&&_" | "_||_" | "!_", all) => {
                for kind in all {
                    if !agree(*kind, Boolean) {
                        self.problem(
                            format!("`&&`, `||` and `!` take a truth value, and this is {}", words(*kind)),
                            None,
                        );
                    }
                }
                Boolean
            }
            ("_==_" | "_!=_" | "_<_" | "_<=_" | "_>_" | "_>=_", [a, b]) => {
                self.same(*a, *b, "compared");
                Boolean
            }
            ("_+_" | "_-_" | "_*_" | "_/_" | "_%_", [a, b]) => {
                self.same(*a, *b, "put together");
                if *a == Unknown { *b } else { *a }
            }
            ("-_", [kind]) => *kind,
            ("_?_:_", [condition, yes, no]) => {
                if !agree(*condition, Boolean) {
                    self.problem("what stands before `?` is not a truth value", None);
                }
                self.same(*yes, *no, "given by one expression");
                if *yes == Unknown { *no } else { *yes }
            }
            ("@in" | "_in_", _) => Boolean,
            ("_[_]", _) => Unknown,
            (name, arguments) => self.function(name, target, arguments, call),
        }
    }

    fn same(&mut self, a: OperandKind, b: OperandKind, what: &str) {
        if !agree(a, b) {
            self.problem(format!("{} and {} cannot be {what}", words(a), words(b)), None);
        }
    }

    fn function(
        &mut self,
        name: &str,
        target: Option<OperandKind>,
        arguments: &[OperandKind],
        call: &CallExpr,
    ) -> OperandKind {
        let Some(function) = FUNCTIONS.iter().find(|function| function.name == name) else {
            if OF_THE_LANGUAGE.contains(&name) {
                return match name {
                    "size" | "int" | "uint" => Integer,
                    "string" => Text,
                    "startsWith" | "endsWith" | "contains" => Boolean,
                    _ => Unknown,
                };
            }
            let known: Vec<&str> =
                FUNCTIONS.iter().map(|function| function.name).chain(OF_THE_LANGUAGE).collect();
            self.problem(format!("there is no function `{name}`"), Some(did_you_mean(name, known)));
            return Unknown;
        };
        if target.is_some() {
            self.problem(format!("`{name}` is called by itself, not on a value"), None);
        }
        if arguments.len() != function.takes.len() {
            self.problem(
                format!(
                    "`{name}` takes {}, here {}",
                    crate::finding::count(function.takes.len(), "value"),
                    arguments.len()
                ),
                Some(function.about.to_owned()),
            );
        }
        for (found, wanted) in arguments.iter().zip(function.takes) {
            if !agree(*found, *wanted) {
                let message = format!("`{name}` takes {}, and this is {}", words(*wanted), words(*found));
                self.problem(message, Some(function.about.to_owned()));
            }
        }
        if QUESTIONS.contains(&name) && call.args.first().and_then(literal_text).is_none() {
            self.problem(format!("`{name}` takes the path itself, in quotes"), None);
        }
        function.gives
    }
}
