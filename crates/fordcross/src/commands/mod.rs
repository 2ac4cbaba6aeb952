//! One file a command.

pub(crate) mod carry;
pub(crate) mod demo;
pub(crate) mod finding;
pub(crate) mod ledger;
mod ledger_why;
pub(crate) mod map;
mod plan;
pub(crate) mod profile;
mod profile_show;
mod profile_try;
pub(crate) mod reach;
pub(crate) mod redact;
pub(crate) mod survey;
mod survey_print;
