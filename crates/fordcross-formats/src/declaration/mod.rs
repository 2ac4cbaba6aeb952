//! Our own TOML files, read so that every problem is reported at once, each with its exact place.

mod facts;
mod section;
mod toml_errors;

#[cfg(feature = "recorded-keys")]
pub use section::ASKED;
pub use section::{Report, Section, Word, as_word, as_words, inside, parse_pattern, separator};
