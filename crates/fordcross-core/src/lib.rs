//! The computation of Fordcross: a configuration backup in, a new configuration and a ledger of what
//! became of every setting out. No files, clock, terminal or printing.
//!
//! The way of the data, each stage with its own types:
//!
//! 1. **open**: [`opening`] makes one text, with the place of each file in it, of what is encrypted, packed, in an
//!    archive or in another character set;
//! 2. **read**: [`xml`], [`json`] and the readers of the other forms make one [`tree`] of whatever came in, with the place
//!    of every value in it;
//! 3. **recognise**: [`backup`] finds the platform line among the [`library`]'s profiles;
//! 4. **check**: [`profile`] and [`crossing`] turn TOML into rules that are known to fit together, or
//!    into findings that name every mistake;
//! 5. **map**: [`mapping`] decides which old port becomes which new one;
//! 6. **carry**: [`carry`](mod@carry) applies the rules, writes the result and reads it back;
//! 7. **account**: the [`ledger`] has one row for each setting and object of the backup, with its one
//!    [`fate`].
//!
//! No platform is known to this code: all of that is data.
//!
//! ```
//! use fordcross_core::source::Source;
//! use fordcross_core::xml::read_xml;
//!
//! let text = "<unit><name>gw-sandle</name></unit>";
//! let tree = read_xml(Source::new("gw.xml", text))?;
//! let name = tree.child(tree.root(), "name").expect("it is there");
//! assert_eq!(tree.value(name), "gw-sandle");
//! assert_eq!(&text[tree.span(name).range()], "<name>gw-sandle</name>");
//! # Ok::<(), Box<fordcross_core::finding::Finding>>(())
//! ```
//!
//! # Limitations
//! What is written is UTF-8, unless a base was in another character set. A base has no databases.

pub mod account;
pub mod carry;
mod engine;
mod ids;
mod judge;
mod language;
pub mod ledger;
pub mod mapping;
mod merge;
mod recognise;
pub mod redact;
mod scan;
pub mod survey;

pub use fordcross_formats::format::{Format, json, xml};
pub use fordcross_formats::text::source;
use fordcross_formats::{container, declaration, format, notation, text};
pub use fordcross_formats::{finding, opening, tree};
pub use language::{course, crossing, library, phase, profile, reference, typing};
pub use ledger::fate;
pub use recognise::{backup, platform, roots};
pub use survey::inventory;
