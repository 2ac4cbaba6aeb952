//! What a map is for, and between what.

use crate::language::profile::Model;

/// What a map file is read for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MapUse {
    /// To be carried by: every word in it is.
    Carry,
    /// To be proposed again: what only was proposed gives way to what a person wrote.
    ProposeAgain,
}

/// The two sides that a map is between.
#[derive(Clone, Copy, Debug)]
pub struct MapSides<'m> {
    /// The platforms, the old one first.
    pub platforms: (&'m str, &'m str),
    /// The unit that the backup is of, if it says so.
    pub unit: Option<&'m str>,
    /// The old model, if the platform has models and it is known.
    pub old: Option<&'m Model>,
    /// The new model, if the platform has models.
    pub new: Option<&'m Model>,
    /// The ports that the backup names.
    pub used: &'m [&'m str],
}
