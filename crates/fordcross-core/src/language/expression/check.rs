//! What can be checked of an expression before it is evaluated: names that do not exist, and kinds of
//! values that cannot go together. What is not known is let through.

use super::OperandKind::{self, Boolean, Integer, List, Text, Unknown};
use super::Question;
use super::facts::ExpressionFact;
use super::functions::FUNCTIONS;
use super::kinds::AskedSetting;
use crate::finding::{Count, OneOf, Suggestion};
use cel::common::ast::{CallExpr, ComprehensionExpr, Expr, IdedExpr, LiteralValue};
use std::collections::HashMap;
use std::fmt;

/// The functions and methods of the language itself that expressions may use.
const OF_THE_LANGUAGE: [&str; 6] = ["size", "int", "string", "startsWith", "endsWith", "contains"];

/// Puts variables in the place of all calls that ask about the surroundings, and gathers what they ask.
pub(super) fn take_questions(expression: &mut IdedExpr, found: &mut Vec<Question>) {
    if let Expr::Call(call) = &mut expression.expr
        && let Some(function) = FUNCTIONS.iter().find(|function| function.name == call.func_name)
        && let Some(first) = function.first_path()
        && let Some(paths) = call.args.get(first..).and_then(literal_texts)
        && !paths.is_empty()
    {
        let variable = super::variable_of(found.len());
        found.push(Question { function: function.name, paths, variable: variable.clone() });
        let variable = Expr::Ident(variable);
        if first == 0 {
            expression.expr = variable;
            return;
        }
        call.args.truncate(first);
        call.args.push(IdedExpr { id: expression.id, expr: variable });
    }
    each_part_mut(expression, &mut |part| take_questions(part, found));
}

/// Whether an expression is one call of that function.
pub(super) fn is_call(expression: &IdedExpr, name: &str) -> bool {
    matches!(&expression.expr, Expr::Call(call) if call.func_name == name)
}

fn literal_texts(arguments: &[IdedExpr]) -> Option<Vec<String>> {
    arguments.iter().map(|argument| literal_text(argument).map(str::to_owned)).collect()
}

fn literal_text(expression: &IdedExpr) -> Option<&str> {
    match &expression.expr {
        Expr::Literal(LiteralValue::String(text)) => Some(text.inner()),
        _ => None,
    }
}

fn each_part(expression: &IdedExpr, visit: &mut dyn FnMut(&IdedExpr)) {
    match &expression.expr {
        Expr::Call(call) => call.target.iter().map(AsRef::as_ref).chain(&call.args).for_each(visit),
        Expr::List(list) => list.elements.iter().for_each(visit),
        Expr::Select(select) => visit(&select.operand),
        Expr::Comprehension(each) => {
            let ComprehensionExpr { iter_range, accu_init, loop_cond, loop_step, result, .. } = &**each;
            [iter_range, accu_init, loop_cond, loop_step, result].into_iter().for_each(visit);
        }
        _ => {}
    }
}

fn each_part_mut(expression: &mut IdedExpr, visit: &mut dyn FnMut(&mut IdedExpr)) {
    match &mut expression.expr {
        Expr::Call(call) => call.target.iter_mut().map(AsMut::as_mut).chain(&mut call.args).for_each(visit),
        Expr::List(list) => list.elements.iter_mut().for_each(visit),
        Expr::Select(select) => visit(&mut select.operand),
        Expr::Comprehension(each) => {
            let ComprehensionExpr { iter_range, accu_init, loop_cond, loop_step, result, .. } = &mut **each;
            [iter_range, accu_init, loop_cond, loop_step, result].into_iter().for_each(visit);
        }
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

/// How often an expression mentions a variable.
pub(super) fn times(expression: &IdedExpr, name: &str) -> usize {
    let mut all = usize::from(matches!(&expression.expr, Expr::Ident(known) if known == name));
    each_part(expression, &mut |part| all += times(part, name));
    all
}

/// What is known before anything is carried: variables by name, settings by the path that asks for them.
pub(super) type Known<'k> = (&'k HashMap<&'k str, OperandKind>, &'k dyn Fn(&str) -> Option<AskedSetting>);

pub(super) fn check(
    expression: &IdedExpr,
    (variables, settings): Known<'_>,
    wanted: OperandKind,
) -> Vec<ExpressionFact> {
    let mut given = Vec::new();
    find_given(expression, &mut given);
    let is_condition = wanted == Boolean;
    let mut checker =
        Checker { variables, settings, given, is_condition, inner: Vec::new(), problems: Vec::new() };
    let found = checker.kind(expression);
    if checker.problems.is_empty() && !agree(found, wanted) {
        checker.problem(ExpressionFact::OtherKind { wanted, found });
    }
    checker.problems
}

/// The paths of which an expression asks whether they are given.
fn find_given(expression: &IdedExpr, given: &mut Vec<String>) {
    if let Expr::Call(call) = &expression.expr
        && matches!(call.func_name.as_str(), "given" | "count")
    {
        given.extend(call.args.iter().filter_map(literal_text).map(str::to_owned));
    }
    each_part(expression, &mut |part| find_given(part, given));
}

fn agree(a: OperandKind, b: OperandKind) -> bool {
    a == b || a == Unknown || b == Unknown
}

impl fmt::Display for OperandKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Text => "a text",
            Integer => "a whole number",
            Boolean => "a truth value",
            List => "a list",
            Unknown => "a value",
        })
    }
}

struct Checker<'c> {
    variables: &'c HashMap<&'c str, OperandKind>,
    settings: &'c dyn Fn(&str) -> Option<AskedSetting>,
    /// The paths of which it asks whether they are given.
    given: Vec<String>,
    /// What it gives decides whether something applies.
    is_condition: bool,
    /// The variables of the loops around the current expression.
    inner: Vec<String>,
    problems: Vec<ExpressionFact>,
}

impl Checker<'_> {
    fn problem(&mut self, fact: ExpressionFact) {
        self.problems.push(fact);
    }

    fn kind(&mut self, expression: &IdedExpr) -> OperandKind {
        match &expression.expr {
            Expr::Literal(literal) => match literal {
                LiteralValue::String(_) => Text,
                LiteralValue::Int(_) | LiteralValue::UInt(_) => Integer,
                LiteralValue::Boolean(_) => Boolean,
                _ => Unknown,
            },
            Expr::Ident(name) if self.inner.contains(name) => Unknown,
            Expr::Ident(name) => match self.variables.get(name.as_str()) {
                Some(kind) => *kind,
                None => {
                    let mut known: Vec<&str> = self.variables.keys().copied().collect();
                    known.sort_unstable();
                    let instead = Suggestion::among(name, known);
                    self.problem(ExpressionFact::Unknown { name: name.clone(), instead });
                    Unknown
                }
            },
            Expr::Call(call) => self.call(call),
            Expr::List(list) => {
                for element in &list.elements {
                    self.kind(element);
                }
                List
            }
            Expr::Comprehension(each) => self.each(each),
            Expr::Select(_) | Expr::Map(_) | Expr::Struct(_) | Expr::Unspecified => {
                self.problem(ExpressionFact::Meaningless);
                Unknown
            }
        }
    }

    /// `exists` and `all`, over what is in the object: of the whole there may be as much as there are objects.
    fn each(&mut self, each: &ComprehensionExpr) -> OperandKind {
        let is_own = match &each.iter_range.expr {
            Expr::Call(call) => {
                call.func_name == "values"
                    && call.args.first().and_then(literal_text).is_some_and(|path| !path.starts_with('/'))
            }
            Expr::List(_) => true,
            _ => false,
        };
        let is_asked = matches!(&each.accu_init.expr, Expr::Literal(LiteralValue::Boolean(_)))
            && each.iter_var2.is_none();
        if !is_asked {
            self.problem(ExpressionFact::OtherLoop);
        } else if !is_own {
            self.problem(ExpressionFact::LoopElsewhere);
        }
        self.kind(&each.iter_range);
        self.inner.extend([each.iter_var.clone(), each.accu_var.clone()]);
        self.kind(&each.loop_step);
        self.inner.truncate(self.inner.len() - 2);
        if is_asked { Boolean } else { Unknown }
    }

    fn call(&mut self, call: &CallExpr) -> OperandKind {
        let target = call.target.as_ref().map(|target| self.kind(target));
        let arguments: Vec<OperandKind> = call.args.iter().map(|argument| self.kind(argument)).collect();
        match (call.func_name.as_str(), arguments.as_slice()) {
            ("_&&_" | "_||_" | "!_", all) => {
                for kind in all {
                    if !agree(*kind, Boolean) {
                        self.problem(ExpressionFact::NoTruth { found: *kind });
                    }
                }
                Boolean
            }
            ("_==_" | "_!=_" | "_<_" | "_<=_" | "_>_" | "_>=_", [a, b]) => {
                self.same(*a, *b, "compared");
                self.can_be(&call.args);
                Boolean
            }
            ("_+_" | "_-_" | "_*_" | "_/_" | "_%_", [a, b]) => {
                self.same(*a, *b, "put together");
                if *a == Unknown { *b } else { *a }
            }
            ("-_", [kind]) => *kind,
            ("_?_:_", [condition, yes, no]) => {
                if !agree(*condition, Boolean) {
                    self.problem(ExpressionFact::ChoiceNoTruth);
                }
                self.same(*yes, *no, "given by one expression");
                if *yes == Unknown { *no } else { *yes }
            }
            ("@in" | "_in_", [one, list]) => {
                self.is_in(*one, *list, &call.args[1]);
                Boolean
            }
            ("@not_strictly_false", _) => Boolean,
            ("_[_]", _) => Unknown,
            (name, arguments) => self.function(name, target, arguments, call),
        }
    }

    /// A choice of words is compared with one of them.
    fn can_be(&mut self, sides: &[IdedExpr]) {
        let [one, other] = sides else { return };
        for (asked, text) in [(one, other), (other, one)] {
            let Some(path) = effective_path(asked) else { continue };
            let (Some(setting), Some(text)) = ((self.settings)(path), literal_text(text)) else { continue };
            // A text that is not there is the empty text.
            if let Some(words) = setting.words
                && !text.is_empty()
                && !words.iter().any(|word| word == text)
            {
                let known = OneOf::of(words.iter().map(String::as_str));
                self.problem(ExpressionFact::NeverIs { path: path.to_owned(), text: text.to_owned(), known });
            }
        }
    }

    fn is_in(&mut self, one: OperandKind, list: OperandKind, of: &IdedExpr) {
        if !agree(list, List) {
            return self.problem(ExpressionFact::InNoList { found: list });
        }
        match &of.expr {
            Expr::List(list) => {
                for element in &list.elements {
                    let element = self.kind(element);
                    self.same(one, element, "compared");
                }
            }
            // What is there at a path is texts.
            Expr::Call(_) if !agree(one, Text) => self.problem(ExpressionFact::InNoTexts { found: one }),
            _ => {}
        }
    }

    /// The kind of the setting that holds at a path.
    fn effective(&mut self, call: &CallExpr) -> OperandKind {
        let Some(path) = call.args.first().and_then(literal_text) else { return Unknown };
        let Some(setting) = (self.settings)(path) else { return Unknown };
        if setting.is_secret {
            self.problem(ExpressionFact::Secret { path: path.to_owned() });
            return Unknown;
        }
        let is_asked = self.given.iter().any(|given| given == path);
        // A condition without a value does not hold, and nobody would know; a value that cannot be worked out is reported.
        if self.is_condition && !agree(setting.kind, Text) && !setting.has_default && !is_asked {
            self.problem(ExpressionFact::CanBeMissing { path: path.to_owned() });
        }
        setting.kind
    }

    fn same(&mut self, a: OperandKind, b: OperandKind, operation: &'static str) {
        if !agree(a, b) {
            self.problem(ExpressionFact::Differ { one: a, other: b, operation });
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
            let instead = Suggestion::among(name, known);
            self.problem(ExpressionFact::FunctionUnknown { name: name.to_owned(), instead });
            return Unknown;
        };
        if target.is_some() {
            self.problem(ExpressionFact::OnValue { function: function.name });
        }
        let wanted = function.takes.len();
        if arguments.len() != wanted && !(function.takes_more && arguments.len() > wanted) {
            let (function_name, usage) = (function.name, function.about);
            let (wanted, found) = (Count(wanted, "value"), arguments.len());
            self.problem(if function.takes_more {
                ExpressionFact::ArgumentsAtLeast { function: function_name, wanted, found, usage }
            } else {
                ExpressionFact::Arguments { function: function_name, wanted, found, usage }
            });
        }
        for (found, wanted) in arguments.iter().zip(function.takes) {
            if !agree(*found, *wanted) {
                let (wanted, found, usage) = (*wanted, *found, function.about);
                self.problem(ExpressionFact::ArgumentKind { function: function.name, wanted, found, usage });
            }
        }
        let paths = function.first_path().and_then(|first| call.args.get(first..));
        if paths.is_some_and(|paths| literal_texts(paths).is_none()) {
            self.problem(ExpressionFact::PathComputed { function: function.name });
        }
        if function.name == "effective" {
            return self.effective(call);
        }
        function.gives
    }
}

/// The path that an expression asks for what holds at, if it is just that.
fn effective_path(expression: &IdedExpr) -> Option<&str> {
    match &expression.expr {
        Expr::Call(call) if call.func_name == "effective" => call.args.first().and_then(literal_text),
        _ => None,
    }
}
