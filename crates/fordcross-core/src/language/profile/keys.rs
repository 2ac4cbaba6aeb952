//! Keys that several sections have.

use super::Release;
use super::facts::ProfileFact;
use super::schema::{Repeats, Role};
use crate::declaration::{Section, Word, as_word};
use crate::finding::Suggestion;

/// `role = "identity"`, several, or with a condition that is seen from the object:
/// `role = { default-route = "effective('to') == '0.0.0.0/0'" }`.
pub(super) fn read_roles<'r>(section: &Section<'r, '_>) -> Vec<(Role, Option<Word<'r>>)> {
    let Some(value) = section.raw("role") else { return Vec::new() };
    let words: Vec<(Word<'_>, Option<Word<'_>>)> = if value.get_ref().is_table() {
        let Some(table) = section.as_section(value) else { return Vec::new() };
        table.members().into_iter().map(|(name, when)| (name, as_word(when))).collect()
    } else {
        section.words("role").into_iter().map(|word| (word, None)).collect()
    };
    let read = |(word, when): (Word<'r>, Option<Word<'r>>)| {
        let found = Role::WORDS.iter().find(|(known, _)| *known == word.text).map(|(_, role)| *role);
        if found.is_none() {
            let known: Vec<&str> = Role::WORDS.iter().map(|(known, _)| *known).collect();
            section.report().add(
                word.span,
                ProfileFact::RoleUnknown {
                    role: word.text.to_owned(),
                    instead: Suggestion::among(word.text, known),
                },
            );
        }
        Some((found?, when))
    };
    words.into_iter().filter_map(read).collect()
}

/// `duplicates`: what a second one of the same place or key means.
pub(super) fn read_duplicates(section: &Section<'_, '_>, known: &[(&str, Repeats)]) -> Repeats {
    section.pick_given("duplicates", known).unwrap_or_default()
}

/// The place of a release in the list.
pub(super) fn release_index(
    section: &Section<'_, '_>,
    word: Word<'_>,
    releases: &[Release],
) -> Option<usize> {
    let found = releases.iter().position(|release| release.name == word.text);
    if found.is_none() {
        let known: Vec<&str> = releases.iter().map(|release| release.name.as_str()).collect();
        section.report().add(
            word.span,
            ProfileFact::ReleaseUnlisted {
                release: word.text.to_owned(),
                instead: Suggestion::among(word.text, known),
            },
        );
    }
    found
}

/// `since` and `until`: the first and the last release that have something; those of all, where it does not say.
pub(super) fn read_range(section: &Section<'_, '_>, releases: &[Release]) -> (usize, usize) {
    read_range_in(section, releases, (0, releases.len().saturating_sub(1)))
}

/// The same; those of what it is in, where it does not say.
pub(super) fn read_range_in(
    section: &Section<'_, '_>,
    releases: &[Release],
    around: (usize, usize),
) -> (usize, usize) {
    let bound = |key| section.word(key).and_then(|word| release_index(section, word, releases));
    (bound("since").unwrap_or(around.0), bound("until").unwrap_or(around.1))
}
