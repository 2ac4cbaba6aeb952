//! The built program, driven on files in a temporary folder. One file a topic:
//!
//! - `golden`: the demo backups against what is expected of them (`cargo xtask bless` rewrites that)
//! - `accounting`: every setting has one fate, counted by an independent reader
//! - `courses`: several crossings in a row, profiles and crossings of a person's own
//! - `mapping`: maps that a person edited
//! - `documents`: what the documents say is held to the code
//! - `folders`: results are whole or absent, and only their owner reads them
//! - `standing`: configurations as they are in folders and archives
//! - `secrets`: no secret leaves the converted file
//! - `texts`: in which character set a result is written, and with which line ends
//! - `receiving`: what ends with status 0 is accepted, whatever the map says
//! - `refusals`: bad input and what is said of it
//! - `printing`: what people and programs read
//! - `real_lines`: real systems, without these systems

mod accounting;
mod authoring;
mod base;
mod bundles;
mod courses;
mod demo_backups;
mod desk;
mod documents;
mod examples;
mod finding_examples;
mod folders;
mod golden;
mod hostile;
mod ini;
mod lists;
mod mapping;
mod planted;
mod printing;
mod real_lines;
mod receiving;
mod redacted;
mod refusals;
mod secrets;
mod seeing;
mod standing;
mod texts;
mod unwrap;
mod within;
