//! JSON (RFC 8259): read into events, written from a tree.

mod read;
mod write;

pub use read::{read_json, read_json_tree};
pub use write::write_json;
pub(crate) use write::{write_string, write_subtree};
