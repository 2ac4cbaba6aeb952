//! What was read from the disk, before it is unwrapped.

use crate::receipt::Entry;
use fordcross_core::finding::Finding;
use fordcross_core::opening::{Member, Remark};
use std::collections::HashMap;

/// What was read from the disk.
pub(crate) struct Raw {
    pub(crate) name: String,
    pub(crate) content: Content,
    pub(crate) parts: usize,
    pub(crate) entries: Vec<Entry>,
    pub(crate) passed_over: Vec<String>,
    pub(crate) remarks: Vec<Remark>,
    pub(crate) reported: Vec<Finding>,
    /// How messages name files whose paths within the backup are not those below what a person named.
    pub(crate) files: HashMap<String, String>,
}

impl Raw {
    pub(crate) fn file(name: String, bytes: Vec<u8>, parts: usize, entries: Vec<Entry>) -> Self {
        Self {
            name,
            content: Content::File(bytes),
            parts,
            entries,
            passed_over: Vec::new(),
            remarks: Vec::new(),
            reported: Vec::new(),
            files: HashMap::new(),
        }
    }
}

pub(crate) enum Content {
    File(Vec<u8>),
    /// Its files, and the folders in it.
    Folder(Vec<Member>, Vec<String>),
}
