//! The platform lines that ship with Fordcross, as data: a folder a line under `lines/`, with its
//! profile and the crossings that lead to it.
//!
//! The index below is made at compile time. Nothing here is parsed: that is the core's work, and only
//! for what is needed.

/// A profile that ships with the program.
#[derive(Clone, Copy, Debug)]
pub struct ShippedProfile {
    /// The file's name.
    pub file: &'static str,
    /// Its text.
    pub text: &'static str,
    /// The platform line.
    pub platform: &'static str,
    /// The format of its backups, as profiles write it.
    pub format: &'static str,
    /// What a backup is recognised by.
    pub marker: &'static str,
}

/// A crossing that ships with the program.
#[derive(Clone, Copy, Debug)]
pub struct ShippedCrossing {
    /// The file's name.
    pub file: &'static str,
    /// Its text.
    pub text: &'static str,
    /// Where it starts, `LINE@RELEASE`.
    pub from: &'static str,
    /// Where it leads, `LINE@RELEASE`.
    pub to: &'static str,
}

/// Tables and constants that ship with the program and that crossings include.
#[derive(Clone, Copy, Debug)]
pub struct ShippedShared {
    /// The file's name.
    pub file: &'static str,
    /// Its text.
    pub text: &'static str,
}

/// The JSON Schema of profiles, as files of the format `*.profile.toml` are when read as JSON.
pub const PROFILE_SCHEMA: &str = include_str!("../schema/profile.schema.json");

/// The JSON Schema of what the program writes for programs: a definition for each command and file.
pub const OUTPUT_SCHEMA: &str = include_str!("../schema/output.schema.json");

/// The JSON Schema of crossings.
pub const CROSSING_SCHEMA: &str = include_str!("../schema/crossing.schema.json");

include!(concat!(env!("OUT_DIR"), "/index.rs"));
