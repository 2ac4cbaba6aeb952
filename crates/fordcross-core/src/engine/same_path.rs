//! What two releases of one platform have in common.

use crate::ids::EntryId;
use crate::language::profile::Profile;
use crate::tree::pattern::Pattern;
use crate::tree::{NodeId, Tree};
use rustc_hash::FxHashMap;

/// What two releases of one platform have in common.
pub(super) struct SamePlatform {
    /// For each declaration of the old release, that of the new one at the same place.
    pub(super) same_path: Vec<Option<EntryId>>,
    /// What the file says of its own release and model, by the names of the paths.
    header: Vec<Vec<String>>,
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
        let header = facts.into_iter().flatten().map(|fact| fact.path.clone()).collect();
        Self { same_path, header }
    }

    /// Whether a file says at that place what its own release or model is.
    pub(super) fn is_header(&self, tree: &Tree<'_>, node: NodeId) -> bool {
        let last = tree.name(node);
        let mut header = self.header.iter().filter(|path| path.last().is_some_and(|name| name == last));
        header.any(|path| tree.names_on_way(node).iter().eq(path))
    }
}
