//! Settings that name objects, and whether these are there.

use crate::ids::EntryId;
use crate::language::profile::{Lookup, PathStep, Profile, What};
use crate::language::typing::{Form, Type, TypeId};
use crate::tree::{NodeId, Tree};
use rustc_hash::{FxHashMap, FxHashSet};

/// What was met of both while a configuration was read.
#[derive(Debug)]
pub(crate) struct References {
    /// The names of objects of each declaration that some type speaks of.
    objects: FxHashMap<EntryId, FxHashSet<String>>,
    /// For each type, if it names objects, the declaration of these and their path.
    of_type: Vec<Option<(EntryId, String)>>,
    /// Settings with the declaration of what they name; their values are the names.
    named: Vec<(NodeId, EntryId)>,
}

impl References {
    pub(crate) fn new(profile: &Profile) -> Self {
        let named_by = |kind: &Type| {
            let Form::Name { of: Some(path), .. } = &kind.form else { return None };
            let steps: Vec<PathStep<'_>> = path.iter().map(|name| PathStep::named(name)).collect();
            match profile.schema.find(&steps) {
                Lookup::Declared(entry) => Some((entry, path.join("/"))),
                _ => None,
            }
        };
        let of_type: Vec<_> = profile.types.list.iter().map(named_by).collect();
        let objects = of_type.iter().flatten().map(|(entry, _)| (*entry, FxHashSet::default())).collect();
        Self { objects, of_type, named: Vec::new() }
    }

    pub(crate) fn meet_branch(
        &mut self,
        tree: &Tree<'_>,
        node: NodeId,
        entry: Option<EntryId>,
        profile: &Profile,
    ) {
        let Some(entry) = entry else { return };
        let Some(names) = self.objects.get_mut(&entry) else { return };
        if let What::Object { keys, name, .. } = &profile.schema[entry].what {
            let by_key =
                keys.first().and_then(|key| tree.child(node, key)).map(|key| tree.value(key).trim_ascii());
            let called = if name.is_some() { Some(tree.name(node)) } else { by_key };
            names.extend(called.map(str::to_owned));
        }
    }

    /// A setting of a type.
    pub(crate) fn meet_setting(&mut self, node: NodeId, ty: TypeId) {
        if let Some((of, _)) = &self.of_type[usize::from(ty.0)] {
            self.named.push((node, *of));
        }
    }

    /// Objects of kinds that settings can name, and that none names: each with its name.
    pub(crate) fn unnamed(&self, tree: &Tree<'_>) -> Vec<(EntryId, &str)> {
        let named: FxHashSet<(EntryId, &str)> =
            self.named.iter().map(|&(node, of)| (of, tree.value(node).trim_ascii())).collect();
        let all = self.objects.iter().flat_map(|(of, names)| names.iter().map(|name| (*of, name.as_str())));
        all.filter(|found| !named.contains(found)).collect()
    }
}
