//! From the bytes of a configuration backup to one tree of all that is in it, and back: no platform, rule or ledger is
//! known here, and no files, clock, terminal or printing are used.
//!
//! Each room needs only those before it: [`text`], [`finding`], [`tree`], [`container`] (bytes to bytes), [`declaration`]
//! (our own TOML files), [`format`](mod@format) (a folder for each) and [`opening`], which makes one text of whatever came.
//!
//! Three features, all on unless taken away, bring the heavy crates: `age` for encrypted files, `sqlite` for databases,
//! `yaml`. Without one, such a file is reported as one that this build cannot read.

pub mod container;
pub mod declaration;
pub mod finding;
pub mod format;
pub mod notation;
pub mod opening;
pub mod text;
pub mod tree;
