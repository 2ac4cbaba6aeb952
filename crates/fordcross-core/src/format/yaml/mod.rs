//! YAML 1.2 (yaml.org/spec/1.2.2), the subset that is data and nothing else: one document, keys that are words,
//! no tags but those of the core schema, aliases resolved within bounds.

mod read;
mod write;

pub(crate) use read::read_yaml;
pub(crate) use write::{write_member, write_value, write_yaml};
