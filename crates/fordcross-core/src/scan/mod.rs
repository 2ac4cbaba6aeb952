//! What one tree holds, seen through its profile: rows, objects, locators, what is inherited and what expressions see.

pub(crate) mod automaton;
mod facts;
pub(crate) mod inheritance;
pub(crate) mod inventory;
pub(crate) mod joining;
pub(crate) mod locator;
pub(crate) mod naming;
pub(crate) mod secrets;
pub(crate) mod surroundings;
