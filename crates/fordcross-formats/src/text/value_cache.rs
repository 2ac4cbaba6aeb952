//! What was found out about values. Most values of a large backup are given many times, and what the same type makes
//! of the same value is always the same.

use rustc_hash::FxHasher;
use std::hash::Hasher as _;

/// So many values are kept; a new one takes the place of another with the same end of its hash.
const SLOTS: usize = 1 << 10;
/// Longer values, in bytes, are hardly ever given twice.
const LONGEST: usize = 48;

/// Something about each of some values, by the value and a number that says what was asked about it.
pub struct ValueCache<'t, V> {
    slots: Vec<Option<(u64, &'t str, V)>>,
}

impl<'t, V> Default for ValueCache<'t, V> {
    fn default() -> Self {
        Self::new()
    }
}

impl<'t, V> ValueCache<'t, V> {
    /// A cache with nothing in it.
    pub fn new() -> Self {
        Self { slots: std::iter::repeat_with(|| None).take(SLOTS).collect() }
    }

    fn slot(question: u64, text: &str) -> usize {
        let mut hasher = FxHasher::default();
        hasher.write(text.as_bytes());
        hasher.write_u64(question);
        hasher.finish() as usize % SLOTS
    }

    /// What was kept for a question about a text.
    pub fn find(&self, question: u64, text: &str) -> Option<&V> {
        if text.len() > LONGEST {
            return None;
        }
        let (known, of, value) = self.slots[Self::slot(question, text)].as_ref()?;
        (*known == question && *of == text).then_some(value)
    }

    /// Keeps the answer to a question about a text, over whatever has its slot.
    pub fn keep(&mut self, question: u64, text: &'t str, value: V) {
        if text.len() <= LONGEST {
            self.slots[Self::slot(question, text)] = Some((question, text, value));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_found_is_what_was_asked() {
        let texts: Vec<String> = (0..5_000).map(|number| format!("value {number}")).collect();
        let long = "x".repeat(LONGEST + 1);
        let mut known = ValueCache::new();
        for (number, text) in texts.iter().enumerate() {
            known.keep(1, text, number);
            assert_eq!(known.find(1, text), Some(&number));
            assert_eq!(known.find(2, text), None);
        }
        known.keep(1, &long, 0);
        assert_eq!(known.find(1, &long), None);
        for (number, text) in texts.iter().enumerate() {
            assert!(known.find(1, text).is_none_or(|found| *found == number));
        }
    }
}
