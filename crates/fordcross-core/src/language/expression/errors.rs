//! Why an expression has no value, in words for a person. Values are never among them: one may be a secret.

use cel::{ExecutionError, Value};

/// What to say of an error of the evaluation.
pub(super) fn reported(error: &ExecutionError) -> String {
    match error {
        ExecutionError::DivisionByZero(_) | ExecutionError::RemainderByZero(_) => "it divides by zero".into(),
        ExecutionError::Overflow(..) => "a number becomes too large".into(),
        ExecutionError::ValuesNotComparable(one, other) => {
            format!("{} and {} cannot be compared", kind(one), kind(other))
        }
        ExecutionError::UnsupportedBinaryOperator(operator, one, other) => {
            format!("`{}` does not apply to {} and {}", sign(operator), kind(one), kind(other))
        }
        ExecutionError::UndeclaredReference(name) => format!("there is no `{name}` here"),
        ExecutionError::InvalidArgumentCount { expected, actual } => {
            format!("a function needs {expected} values, and has {actual} here")
        }
        ExecutionError::IndexOutOfBounds(_) | ExecutionError::NoSuchKey(_) => {
            "it asks for an entry that does not exist".into()
        }
        // The messages of functions are our own.
        ExecutionError::FunctionError { function, message } => format!("`{function}`: {message}"),
        _ => "a value has another kind than is needed there".into(),
    }
}

fn sign(operator: &str) -> &str {
    match operator {
        "add" => "+",
        "sub" => "-",
        "mul" => "*",
        "div" => "/",
        "rem" => "%",
        other => other,
    }
}

fn kind(value: &Value) -> &'static str {
    match value {
        Value::Int(_) | Value::UInt(_) => "a whole number",
        Value::Float(_) => "a number",
        Value::String(_) => "a text",
        Value::Bool(_) => "a truth value",
        Value::List(_) => "a list",
        Value::Null => "nothing",
        _ => "something else",
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("1 / 0", "it divides by zero")]
    #[case("9223372036854775807 + 1", "a number becomes too large")]
    #[case("[1][7]", "it asks for an entry that does not exist")]
    #[case("{'a': 1}.b", "it asks for an entry that does not exist")]
    #[case("none + 1", "there is no `none` here")]
    #[case("'secret' + 1", "`+` does not apply to a text and a whole number")]
    #[case("-'secret'", "another kind")]
    fn what_has_no_value_is_told_in_our_words(#[case] text: &str, #[case] told_of: &str) {
        let program = cel::Program::compile(text).expect("it is an expression");
        let error = program.execute(&cel::Context::default()).expect_err("it has no value");
        let said = reported(&error);
        assert!(said.contains(told_of) && !said.contains("secret"), "{said} ({error})");
    }
}
