//! A strict JSON reader: unlike most it refuses a key given twice and keeps the order of keys.

use serde::de::{Deserialize, Deserializer, Error, MapAccess, SeqAccess, Visitor};
use std::fmt;

/// A JSON value as it is in the file.
#[derive(Clone, Debug, PartialEq)]
pub enum Value {
    /// `null`
    Null,
    /// `true` or `false`
    Boolean(bool),
    /// A number.
    Number(serde_json::Number),
    /// A string.
    String(String),
    /// An array.
    Array(Vec<Value>),
    /// An object, in the order of the file.
    Object(Document),
}

/// The members of an object.
pub type Document = Vec<(String, Value)>;

/// Parses a document whose outermost value is an object.
///
/// # Errors
/// What is wrong, with line and column.
pub fn parse(text: &str) -> Result<Document, String> {
    match serde_json::from_str(text) {
        Ok(Value::Object(document)) => Ok(document),
        Ok(_) => Err("the outermost value is not an object".into()),
        Err(error) => Err(error.to_string()),
    }
}

impl Value {
    /// The word for the kind of value.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::Null => "null",
            Self::Boolean(_) => "a boolean",
            Self::Number(_) => "a number",
            Self::String(_) => "a string",
            Self::Array(_) => "an array",
            Self::Object(_) => "an object",
        }
    }

    /// As a value that can be printed.
    pub fn to_json(&self) -> serde_json::Value {
        match self {
            Self::Null => serde_json::Value::Null,
            Self::Boolean(boolean) => (*boolean).into(),
            Self::Number(number) => number.clone().into(),
            Self::String(text) => text.clone().into(),
            Self::Array(values) => values.iter().map(Self::to_json).collect(),
            Self::Object(members) => members
                .iter()
                .map(|(key, value)| (key.clone(), value.to_json()))
                .collect::<serde_json::Map<_, _>>()
                .into(),
        }
    }
}

impl<'de> Deserialize<'de> for Value {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        deserializer.deserialize_any(Reader)
    }
}

struct Reader;

impl<'de> Visitor<'de> for Reader {
    type Value = Value;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a JSON value")
    }

    fn visit_unit<E>(self) -> Result<Value, E> {
        Ok(Value::Null)
    }

    fn visit_bool<E>(self, value: bool) -> Result<Value, E> {
        Ok(Value::Boolean(value))
    }

    fn visit_i64<E>(self, value: i64) -> Result<Value, E> {
        Ok(Value::Number(value.into()))
    }

    fn visit_u64<E>(self, value: u64) -> Result<Value, E> {
        Ok(Value::Number(value.into()))
    }

    fn visit_f64<E: Error>(self, value: f64) -> Result<Value, E> {
        serde_json::Number::from_f64(value).map(Value::Number).ok_or_else(|| E::custom("not a finite number"))
    }

    fn visit_str<E>(self, value: &str) -> Result<Value, E> {
        Ok(Value::String(value.to_owned()))
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut access: A) -> Result<Value, A::Error> {
        let mut values = Vec::new();
        while let Some(value) = access.next_element()? {
            values.push(value);
        }
        Ok(Value::Array(values))
    }

    fn visit_map<A: MapAccess<'de>>(self, mut access: A) -> Result<Value, A::Error> {
        let mut members: Document = Vec::new();
        let mut keys = std::collections::HashSet::new();
        while let Some((key, value)) = access.next_entry::<String, Value>()? {
            if !keys.insert(key.clone()) {
                return Err(A::Error::custom(format!("the key `{key}` is given twice")));
            }
            members.push((key, value));
        }
        Ok(Value::Object(members))
    }
}
