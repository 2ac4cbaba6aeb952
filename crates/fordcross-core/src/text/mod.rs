//! Texts, and places in them.

pub(crate) mod charset;
pub(crate) mod json_string;
pub(crate) mod shape;
pub mod source;
pub(crate) mod value_cache;
