//! A crossing applied to a backup: which rule takes what, what becomes of it, and where it goes.
//!
//! [`program`] is what does not change, [`matcher`] answers questions about the backup, [`outcome`] is what is made; [`decide`] goes
//! through the rows. A rule is chosen in [`choose`] and done in [`fire`], or in [`plain`] where it only moves a setting; defaults are
//! pinned in [`same_platform`].

mod additions;
mod branches;
mod capture;
mod choose;
mod comments;
mod context;
mod decide;
mod draft;
mod empty;
mod evaluate;
mod excluded_ports;
mod facts;
mod fire;
mod instance;
mod matcher;
mod merging;
mod moves;
mod names;
mod outcome;
mod plain;
mod plain_rule;
mod ports;
mod prefetch;
mod program;
mod reading;
mod render;
mod repeats;
mod same_path;
mod same_platform;
mod step;
mod wanted;

pub(crate) use decide::apply;
pub(crate) use names::NameBook;
pub(crate) use step::Step;
pub use step::{PinnedDefaults, Threads};
