//! One file a command.

pub(crate) mod carry;
pub(crate) mod demo;
pub(crate) mod ledger;
pub(crate) mod map;
pub(crate) mod survey;
mod way;
