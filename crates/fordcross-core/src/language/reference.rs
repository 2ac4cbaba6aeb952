//! What the reference of the language must speak of; a test holds `docs/language.md` to it.

/// The built-in types.
pub fn types() -> &'static [&'static str] {
    &crate::language::typing::BUILT_IN
}

/// The functions that expressions have beside those of the language itself, with what each does.
pub fn functions() -> Vec<(&'static str, &'static str)> {
    crate::language::expression::FUNCTIONS.iter().map(|function| (function.name, function.about)).collect()
}
