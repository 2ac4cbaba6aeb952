//! Which platform and release a backup is of, and where in a folder it begins.

pub mod backup;
pub mod roots;
