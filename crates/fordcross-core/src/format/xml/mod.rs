//! Reading XML 1.0 (Fifth Edition) into a [`Tree`](crate::tree::Tree).
//!
//! A scanner of our own by byte search: an event reader was three times as slow, and accepts much
//! that is not well-formed. References are decoded where they stand; only the five built-in
//! entities and character references exist, and a document type declaration is refused, so nothing
//! can be expanded. Problems are told without quoting the input, which may hold secrets.

mod chars;
mod scan;
mod write;

pub(crate) use chars::{first_forbidden, is_allowed};
pub use scan::read_xml;
pub use write::write_xml;
pub(crate) use write::{escape, write_element, write_element_as};
