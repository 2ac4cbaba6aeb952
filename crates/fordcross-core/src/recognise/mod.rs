//! Which platform and release a backup is of, and where in a folder it begins.

pub mod backup;
mod facts;
pub mod platform;
pub mod roots;
