//! The language of profiles and crossings: from TOML to what is known to fit together, or to findings that name every mistake.

pub(crate) mod checking;
pub mod course;
pub mod crossing;
pub(crate) mod expression;
mod facts;
pub mod library;
pub mod phase;
pub mod profile;
pub mod reference;
#[cfg(test)]
mod schema_test;
pub(crate) mod texts;
pub mod typing;
