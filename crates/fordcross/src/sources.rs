//! The texts that findings are about, by the names that people know them by.

use std::collections::HashMap;

/// The texts of a person's own files, for messages that show a line of them. Backups are never
/// among them: a line of a backup may hold a secret.
#[derive(Debug, Default)]
pub(crate) struct Sources(HashMap<String, String>);

impl Sources {
    pub(crate) fn add(&mut self, name: &str, text: &str) {
        self.0.insert(name.to_owned(), text.to_owned());
    }

    pub(crate) fn get(&self, name: &str) -> Option<&str> {
        self.0.get(name).map(String::as_str)
    }
}
