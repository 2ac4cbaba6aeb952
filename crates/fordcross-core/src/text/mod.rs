//! Texts, and places in them.

pub(crate) mod charset;
pub mod source;
pub(crate) mod value_cache;
