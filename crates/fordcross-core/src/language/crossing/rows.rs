//! `each`: a place is applied once a row of parameters, which are put into its texts before these are read.

use super::captures::Fixed;
use super::facts::CrossingFact;
use crate::declaration::{Section, Word};
use crate::language::expression::Operand;
use crate::text::source::Span;
use std::borrow::Cow;
use std::cell::RefCell;
use toml::de::DeValue;

/// What the parameters of a place are in one of its rows; none where it has no `each`.
#[derive(Debug, Default)]
pub(super) struct Parameters {
    list: Vec<Fixed>,
    /// Which of them were put into a text.
    used: RefCell<Vec<String>>,
}

impl Parameters {
    /// The rows of a place: one without parameters, if it says nothing.
    pub(super) fn rows_of(section: &Section<'_, '_>) -> Vec<Self> {
        let Some(value) = section.raw("each") else { return vec![Self::default()] };
        let wrong = |span: Span, fact| {
            section.report().add(span, fact);
            Vec::new()
        };
        let Some(items) = value.get_ref().as_array().filter(|items| !items.is_empty()) else {
            return wrong(value.span().into(), CrossingFact::NoRows);
        };
        let mut rows: Vec<Self> = Vec::new();
        for item in items {
            let Some(row) = section.as_section(item) else {
                return wrong(item.span().into(), CrossingFact::NoRows);
            };
            let mut list = Vec::new();
            for (name, value) in row.members() {
                let operand = match value.get_ref() {
                    DeValue::String(text) => Operand::Text(text.to_string()),
                    DeValue::Integer(number) => match number.to_string().parse() {
                        Ok(number) => Operand::Integer(number),
                        Err(_) => return wrong(value.span().into(), CrossingFact::NoParameter),
                    },
                    DeValue::Boolean(value) => Operand::Boolean(*value),
                    _ => return wrong(value.span().into(), CrossingFact::NoParameter),
                };
                if matches!(name.text, "kind" | "index" | "name") {
                    return wrong(name.span, CrossingFact::BoundByAll { name: name.text.to_owned() });
                }
                list.push(Fixed::parameter(name.text, operand, name.span));
            }
            let names = |row: &Self| {
                let mut names: Vec<String> = row.list.iter().map(|fixed| fixed.name.clone()).collect();
                names.sort_unstable();
                names
            };
            let row = Self { list, used: RefCell::default() };
            if rows.first().is_some_and(|first| names(first) != names(&row)) {
                return wrong(item.span().into(), CrossingFact::RowsDiffer);
            }
            rows.push(row);
        }
        rows
    }

    /// The parameters as names that expressions and tables know.
    pub(super) fn as_fixed(&self) -> impl Iterator<Item = Fixed> {
        self.list.iter().cloned()
    }

    /// A text with the parameters in it put in.
    pub(super) fn put<'t>(&self, text: &'t str) -> Cow<'t, str> {
        if self.list.is_empty() || !text.contains('{') {
            return Cow::Borrowed(text);
        }
        let mut made = String::new();
        let mut rest = text;
        while let Some(at) = rest.find(['{', '`']) {
            made.push_str(&rest[..at]);
            rest = &rest[at..];
            // What is between backticks is text.
            let length = rest.strip_prefix('`').and_then(|inner| inner.find('`')).map(|end| end + 2);
            let name = rest.strip_prefix('{').and_then(|inner| inner.split_once('}')).map(|(name, _)| name);
            let found = name.and_then(|name| self.list.iter().find(|fixed| fixed.name == name));
            if let Some(fixed) = found {
                self.used.borrow_mut().push(fixed.name.clone());
                made.push_str(&fixed.text());
                rest = &rest[fixed.name.len() + 2..];
            } else {
                let length = length.unwrap_or(1);
                made.push_str(&rest[..length]);
                rest = &rest[length..];
            }
        }
        made.push_str(rest);
        Cow::Owned(made)
    }

    /// Names of parameters as used.
    pub(super) fn mark<'n>(&self, names: impl IntoIterator<Item = &'n String>) {
        self.used.borrow_mut().extend(names.into_iter().cloned());
    }

    /// Parameters that nothing uses.
    pub(super) fn unused(&self) -> Vec<(&str, Span)> {
        let used = self.used.borrow();
        let unused = self.list.iter().filter(|fixed| !used.contains(&fixed.name));
        unused.map(|fixed| (fixed.name.as_str(), fixed.span)).collect()
    }
}

/// A word with the parameters put in, which has the place of the one that it was.
pub(super) fn put_in<'t>(text: &'t str, word: Word<'_>) -> Word<'t> {
    Word { text, span: word.span }
}
