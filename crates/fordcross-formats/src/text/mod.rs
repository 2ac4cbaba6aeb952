//! Texts, and places in them.

pub mod charset;
pub mod json_string;
pub mod shape;
pub mod source;
pub mod value_cache;
