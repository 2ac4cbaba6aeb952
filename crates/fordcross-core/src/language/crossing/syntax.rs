//! The two sides of a rule as text.
//!
//! Left: clauses with `;` between them, each a path with an optional shape of the value:
//! `address = {a}; netmask = {m}?`. A `?` at the end makes a clause optional.
//!
//! Right: places with `,` between them, each a path with what is written there:
//! `protocol = {p}, port = {n}`. `routes[]: to = {n}, via = {g}` makes one new entry of a list and
//! writes both fields into it.

use super::Table;
use super::facts::SideFact;
use crate::text::shape::{BadShape, Shape};
use crate::tree::pattern::{BadPattern, RawStep, parse_steps, pieces};
use std::ops::Range;

/// Why a text is no side of a rule, and where in it.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct BadSide {
    pub(super) at: Range<usize>,
    pub(super) fact: SideFact,
}

impl BadSide {
    fn shifted(self, by: usize) -> Self {
        Self { at: self.at.start + by..self.at.end + by, fact: self.fact }
    }
}

impl From<BadPattern> for BadSide {
    fn from(BadPattern { at, fact: pattern }: BadPattern) -> Self {
        Self { at, fact: SideFact::Pattern { pattern } }
    }
}

impl From<BadShape> for BadSide {
    fn from(BadShape { at, fact: shape }: BadShape) -> Self {
        Self { at, fact: SideFact::Shape { shape } }
    }
}

#[derive(Debug)]
pub(super) struct RawClause {
    pub(super) steps: Vec<RawStep>,
    pub(super) shape: Option<Shape>,
    pub(super) optional: bool,
    /// Written with `/` behind it: the object itself, that it is there.
    pub(super) presence: bool,
    pub(super) at: Range<usize>,
    /// Where the shape begins in the text of the side.
    pub(super) shape_at: usize,
}

#[derive(Clone, Debug)]
pub(super) struct RawTargetStep {
    pub(super) name: Shape,
    pub(super) append: bool,
    pub(super) at: Range<usize>,
}

#[derive(Debug)]
pub(super) struct RawField {
    pub(super) path: Vec<RawTargetStep>,
    pub(super) template: Option<Shape>,
    pub(super) at: Range<usize>,
    /// Where the template begins in the text of the side.
    pub(super) template_at: usize,
    /// Written with `>=`: only where what holds there is less.
    pub(super) at_least: bool,
}

#[derive(Debug)]
pub(super) struct RawTarget {
    /// Written with `/` in front: from the top, wherever the rule is.
    pub(super) top: bool,
    /// `@place[{key}]`: the name of the place, the capture that is the key, where it is.
    pub(super) start: Option<(String, String, Range<usize>)>,
    pub(super) base: Vec<RawTargetStep>,
    pub(super) fields: Vec<RawField>,
    /// Written with `/` behind them: objects that are to be there.
    pub(super) objects: Vec<Vec<RawTargetStep>>,
}

pub(super) fn parse_left(text: &str) -> Result<Vec<RawClause>, BadSide> {
    pieces(text, ';').into_iter().map(|range| parse_clause(text, trim(text, range))).collect()
}

fn parse_clause(text: &str, at: Range<usize>) -> Result<RawClause, BadSide> {
    let whole = &text[at.clone()];
    let optional = whole.ends_with('?');
    let body = whole.strip_suffix('?').unwrap_or(whole);
    let (path, value) = split_equals(body);
    let (path, presence) = match path.strip_suffix('/').filter(|path| !path.is_empty()) {
        Some(path) if value.is_none() => (path, true),
        _ => (path, false),
    };
    let steps = parse_steps(path).map_err(|bad| BadSide::from(bad).shifted(at.start))?;
    let shape_at = at.start + value.as_ref().map_or(0, |(start, _)| *start);
    let shape = match value {
        Some((start, value)) => {
            Some(Shape::parse(value).map_err(|bad| BadSide::from(bad).shifted(at.start + start))?)
        }
        None => None,
    };
    Ok(RawClause { steps, shape, optional, presence, at, shape_at })
}

pub(super) fn parse_right(text: &str) -> Result<Vec<RawTarget>, BadSide> {
    let mut targets: Vec<RawTarget> = Vec::new();
    let mut in_group = false;
    for range in pieces(text, ',') {
        let mut at = trim(text, range);
        if let Some(colon) = find_colon(&text[at.clone()]) {
            let (start, rest) = parse_start(text, at.start..at.start + colon)?;
            let (top, rest) = from_top(text, rest);
            let base = parse_target_path(text, rest)?;
            targets.push(RawTarget { top, start, base, fields: Vec::new(), objects: Vec::new() });
            in_group = true;
            at = trim(text, at.start + colon + 1..at.end);
        } else if !in_group {
            let (start, rest) = parse_start(text, at.clone())?;
            let (top, rest) = from_top(text, rest);
            at = rest;
            targets.push(RawTarget { top, start, base: Vec::new(), fields: Vec::new(), objects: Vec::new() });
        }
        let (path, value) = split_equals(&text[at.clone()]);
        let template_at = at.start + value.as_ref().map_or(0, |(start, _)| *start);
        let template = match value {
            Some((start, value)) => {
                Some(Shape::parse(value).map_err(|bad| BadSide::from(bad).shifted(at.start + start))?)
            }
            None => None,
        };
        if let Some(object) = path.strip_suffix('/').filter(|_| template.is_none()) {
            let path = parse_target_path(text, at.start..at.start + object.len())?;
            targets.last_mut().into_iter().for_each(|target| target.objects.push(path.clone()));
            continue;
        }
        let plain = path.strip_suffix(" >").filter(|_| template.is_some());
        let at_least = plain.is_some();
        let path = plain.map_or(path, str::trim_end);
        let path = parse_target_path(text, at.start..at.start + path.len())?;
        if let Some(target) = targets.last_mut() {
            target.fields.push(RawField { path, template, at, template_at, at_least });
        }
    }
    Ok(targets)
}

/// Whether a path begins at the top, and the rest of it.
fn from_top(text: &str, at: Range<usize>) -> (bool, Range<usize>) {
    let top = text[at.clone()].starts_with('/');
    (top, at.start + usize::from(top)..at.end)
}

/// Where a place leads: a path, from the top or from where an object of another place went.
pub(super) fn parse_place_target(text: &str) -> Result<RawTarget, BadSide> {
    let (start, rest) = parse_start(text, 0..text.len())?;
    let base = parse_target_path(text, rest)?;
    Ok(RawTarget { top: false, start, base, fields: Vec::new(), objects: Vec::new() })
}

/// What a target may begin with, and the rest of it.
#[expect(clippy::type_complexity, reason = "taken apart at once")]
fn parse_start(
    text: &str,
    at: Range<usize>,
) -> Result<(Option<(String, String, Range<usize>)>, Range<usize>), BadSide> {
    let Some(start) = text[at.clone()].strip_prefix('@') else { return Ok((None, at)) };
    let parsed = start.split_once("[{").and_then(|(name, rest)| {
        let (key, rest) = rest.split_once("}]")?;
        let rest = rest.strip_prefix('/').unwrap_or(rest);
        Some((name.to_owned(), key.to_owned(), at.end - rest.len()))
    });
    match parsed {
        Some((name, key, rest)) => Ok((Some((name, key, at.start..rest)), rest..at.end)),
        None => Err(BadSide { at, fact: SideFact::Start }),
    }
}

/// A path into the new tree: names that may hold captures, `[]` for a new entry of a list.
pub(super) fn parse_target_path(text: &str, at: Range<usize>) -> Result<Vec<RawTargetStep>, BadSide> {
    let path = &text[at.clone()];
    if path.is_empty() {
        return Ok(Vec::new());
    }
    pieces(path, '/')
        .into_iter()
        .map(|range| {
            let at = at.start + range.start..at.start + range.end;
            let piece = &text[at.clone()];
            let name = piece.strip_suffix("[]").unwrap_or(piece);
            let append = name.len() < piece.len();
            if name.is_empty() || name.contains(['[', ']', '*', '|', ' ']) && !name.contains('{') {
                return Err(BadSide { at, fact: SideFact::Step { step: piece.to_owned() } });
            }
            let shape = Shape::parse(name).map_err(|bad| BadSide::from(bad).shifted(at.start))?;
            Ok(RawTargetStep { name: shape, append, at })
        })
        .collect()
}

/// What a capture's detail says in a template: `allow=permit, deny=refuse, *=refuse`.
pub(super) fn parse_table(text: &str) -> Option<Table> {
    let mut table = Table::default();
    for row in text.split(',') {
        let (from, to) = row.split_once('=')?;
        let (from, to) = (from.trim(), to.trim().to_owned());
        if from == "*" {
            table.otherwise = Some(to);
        } else {
            table.rows.push((from.to_owned(), to));
        }
    }
    Some(table)
}

/// Splits `path = value`; gives the value with where it begins.
fn split_equals(text: &str) -> (&str, Option<(usize, &str)>) {
    // `x >= {n}`: the sign of comparison stays at the path.
    let equals = text.find(" = ");
    if let Some(at) = text.find(" >= ").filter(|at| equals.is_none_or(|equals| *at < equals)) {
        return (&text[..at + 2], Some((at + 4, &text[at + 4..])));
    }
    match equals {
        Some(at) => (text[..at].trim_end(), Some((at + 3, &text[at + 3..]))),
        // `x =` stands for an empty value.
        None => match text.strip_suffix(" =") {
            Some(path) => (path, Some((text.len(), ""))),
            None => (text, None),
        },
    }
}

/// The colon between a group's place and its first field.
fn find_colon(text: &str) -> Option<usize> {
    let before_value = text.find(" = ").unwrap_or(text.len());
    let mut depth = 0;
    text[..before_value].char_indices().find_map(|(at, c)| {
        match c {
            '{' | '[' => depth += 1,
            '}' | ']' => depth -= 1,
            _ => {}
        }
        (c == ':' && depth == 0 && text[at + 1..].starts_with(' ')).then_some(at)
    })
}

fn trim(text: &str, range: Range<usize>) -> Range<usize> {
    let piece = &text[range.clone()];
    let start = range.start + (piece.len() - piece.trim_start().len());
    start..start + piece.trim().len()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("mtu", "mtu::false")]
    #[case("address = {a}; netmask = {m}?", "address:a:false netmask:m:true")]
    #[case("service = {proto}/{port}", "service:proto+port:false")]
    #[case("host[{k}]/ip", "host/ip::false")]
    fn left(#[case] text: &str, #[case] expected: &str) {
        let clauses = parse_left(text).expect("a left side");
        let shown: Vec<String> = clauses
            .iter()
            .map(|clause| {
                let names: Vec<_> = clause
                    .steps
                    .iter()
                    .map(|step| match &step.step {
                        crate::tree::pattern::Step::Names(names) => names.join("|"),
                        other => format!("{other:?}"),
                    })
                    .collect();
                let captures: Vec<_> = clause.shape.iter().flat_map(Shape::captures).collect();
                format!("{}:{}:{}", names.join("/"), captures.join("+"), clause.optional)
            })
            .collect();
        assert_eq!(shown.join(" "), expected);
    }

    #[rstest]
    #[case("mtu", "(mtu)")]
    #[case("protocol = {p}, port = {n}", "(protocol) (port)")]
    #[case("routes[]: to = {n}, via = {g}", "routes[]:(to via)")]
    #[case("action = {a: allow=permit, deny=refuse}", "(action)")]
    #[case("display/brightness", "(display/brightness)")]
    fn right(#[case] text: &str, #[case] expected: &str) {
        let path = |steps: &[RawTargetStep]| {
            let names: Vec<_> = steps
                .iter()
                .map(|step| {
                    format!(
                        "{}{}",
                        step.name.as_literal().unwrap_or("{}"),
                        if step.append { "[]" } else { "" }
                    )
                })
                .collect();
            names.join("/")
        };
        let targets = parse_right(text).expect("a right side");
        let shown: Vec<String> = targets
            .iter()
            .map(|target| {
                let fields: Vec<_> = target.fields.iter().map(|field| path(&field.path)).collect();
                let base = path(&target.base);
                format!("{base}{}({})", if base.is_empty() { "" } else { ":" }, fields.join(" "))
            })
            .collect();
        assert_eq!(shown.join(" "), expected);
    }

    #[rstest]
    #[case("a//b", 2..2)]
    #[case("ok; a = {", 8..9)]
    fn refuses_left(#[case] text: &str, #[case] at: Range<usize>) {
        assert_eq!(parse_left(text).expect_err("refused").at, at);
    }

    #[rstest]
    #[case("a/*", 2..3)]
    #[case("@a/b", 0..4)]
    fn refuses_right(#[case] text: &str, #[case] at: Range<usize>) {
        assert_eq!(parse_right(text).expect_err("refused").at, at);
    }
}
