//! Forms of files: a reader and a writer for each, and what several files are together.

pub(crate) mod database;
pub(crate) mod form;
pub(crate) mod ini;
pub mod json;
pub(crate) mod layout;
pub(crate) mod shape;
pub(crate) mod statements;
pub(crate) mod table;
pub mod xml;
pub(crate) mod yaml;
