//! A line of `ledger.jsonl`, as all who read it see it. The writer puts the same lines together from pieces: at millions of
//! settings that is a third of all work. A test holds the two to the same bytes.

use serde::{Deserialize, Deserializer, Serialize};
use serde_json::value::RawValue;
use std::borrow::Cow;

/// What a row is of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Deserialize, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum RowKind {
    /// A setting of the backup.
    Setting,
    /// An object of the backup.
    Object,
    /// Something of the result that nothing of the backup is behind.
    Origin,
    /// A setting of the base that is not what it was.
    Base,
}

impl RowKind {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Setting => "setting",
            Self::Object => "object",
            Self::Origin => "origin",
            Self::Base => "base",
        }
    }
}

/// One line. What a kind of rows does not have is left out.
#[derive(Debug, Deserialize, Serialize)]
#[serde(deny_unknown_fields)]
pub struct Row<'a> {
    /// Its number in the ledger, from 1.
    pub row: u64,
    /// What it is of.
    pub kind: RowKind,
    /// Why the result has it, of a row that nothing of the backup is behind.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub origin: Option<Cow<'a, str>>,
    /// The file of the backup, or of the base.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub file: Option<Cow<'a, str>>,
    /// Its line, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub line: Option<u64>,
    /// Its column, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub column: Option<u64>,
    /// Its path.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub locator: Option<Cow<'a, str>>,
    /// The section of the profile that it is in; `-` for none.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub section: Option<Cow<'a, str>>,
    /// The type that the profile declares for it.
    #[serde(borrow, default, rename = "type", skip_serializing_if = "Option::is_none")]
    pub type_name: Option<Cow<'a, str>>,
    /// Its value, a string or a number; never that of a secret.
    #[serde(borrow, default, deserialize_with = "present", skip_serializing_if = "Option::is_none")]
    pub value: Option<&'a RawValue>,
    /// Its fate.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub fate: Option<Cow<'a, str>>,
    /// What decided it: a rule, as file and line. Nothing of a profile or crossing decides of a file that is included and is
    /// not there.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub rule: Option<Cow<'a, str>>,
    /// The reason, where there is one.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub why: Option<Cow<'a, str>>,
    /// What each crossing of a course of several did.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub steps: Option<Vec<Step<'a>>>,
    /// Where it went, in the order of the result.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub landings: Option<Vec<Landing<'a>>>,
    /// The codes of its findings.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub findings: Option<Vec<Cow<'a, str>>>,
    /// What became of a setting of the base.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub outcome: Option<Cow<'a, str>>,
}

/// What one crossing did.
#[derive(Debug, Deserialize, Serialize)]
#[serde(deny_unknown_fields)]
pub struct Step<'a> {
    /// The side that it leads to.
    #[serde(borrow)]
    pub to: Cow<'a, str>,
    /// What became of the row by it.
    #[serde(borrow)]
    pub fate: Cow<'a, str>,
    /// The rule that decided; nothing of a profile or crossing decides of a file that is included and is not there.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub rule: Option<Cow<'a, str>>,
    /// The reason, where there is one.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub why: Option<Cow<'a, str>>,
    /// Where it is behind it.
    #[serde(borrow)]
    pub locators: Vec<Cow<'a, str>>,
}

/// Where a row went.
#[derive(Debug, Deserialize, Serialize)]
#[serde(deny_unknown_fields)]
pub struct Landing<'a> {
    /// The path in the result.
    #[serde(borrow)]
    pub locator: Cow<'a, str>,
    /// The value there; never that of a secret.
    #[serde(borrow, default, deserialize_with = "present", skip_serializing_if = "Option::is_none")]
    pub value: Option<&'a RawValue>,
    /// What became of the row there; not for what nothing of the backup is behind.
    #[serde(borrow, default, skip_serializing_if = "Option::is_none")]
    pub fate: Option<Cow<'a, str>>,
}

impl<'a> Row<'a> {
    /// Reads a line.
    ///
    /// # Errors
    /// That it is no row of a ledger.
    pub fn read(line: &'a str) -> Result<Self, serde_json::Error> {
        serde_json::from_str(line)
    }

    /// The row as a line, without a line end.
    ///
    /// # Errors
    /// None that a row can bring about.
    pub fn write(&self) -> Result<String, serde_json::Error> {
        serde_json::to_string(self)
    }

    /// Its fate, the origin of what the result has besides, or what became of a setting of the base.
    pub fn outcome(&self) -> &str {
        [&self.origin, &self.outcome, &self.fate].into_iter().flatten().next().map_or("", |word| word)
    }

    /// Where it went.
    pub fn landings(&self) -> &[Landing<'a>] {
        self.landings.as_deref().unwrap_or_default()
    }
}

/// A value that is there: `null` is one, too.
fn present<'de, D: Deserializer<'de>>(from: D) -> Result<Option<&'de RawValue>, D::Error> {
    <&RawValue>::deserialize(from).map(Some)
}

/// A value as people read it: a text without its quotes.
pub fn value_text(value: Option<&RawValue>) -> String {
    let Some(value) = value else { return String::new() };
    serde_json::from_str(value.get()).unwrap_or_else(|_| value.get().to_owned())
}
