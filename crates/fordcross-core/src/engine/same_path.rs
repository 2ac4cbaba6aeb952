//! What two releases of one platform have in common.

use crate::ids::EntryId;
use crate::language::profile::Profile;
use crate::tree::pattern::Pattern;
use rustc_hash::FxHashMap;

/// What two releases of one platform have in common.
pub(super) struct SamePlatform {
    /// For each declaration of the old release, that of the new one at the same place.
    pub(super) same_path: Vec<Option<EntryId>>,
    /// The declarations of what the file says of its own release and model.
    pub(super) header: Vec<EntryId>,
}

impl SamePlatform {
    pub(super) fn new(old: &Profile, new: &Profile) -> Self {
        // Of two with one pattern the first counts, as in `Schema::same`.
        let numbered = new.schema.entries.iter().enumerate().rev();
        let by_pattern: FxHashMap<&Pattern, EntryId> =
            numbered.map(|(index, entry)| (&entry.pattern, EntryId::new(index))).collect();
        let same_path =
            old.schema.entries.iter().map(|entry| by_pattern.get(&entry.pattern).copied()).collect();
        let facts = [&old.recognition.release, &old.recognition.model];
        let header = facts
            .into_iter()
            .flatten()
            .filter_map(|fact| {
                let path = fact.path.join("/");
                old.schema.entries.iter().position(|entry| entry.pattern.to_string() == path)
            })
            .map(EntryId::new)
            .collect();
        Self { same_path, header }
    }
}
