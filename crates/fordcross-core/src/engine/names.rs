//! Names that had to be shortened or had characters replaced: no two may become one, and each is
//! the same wherever it is written.

use crate::language::typing::{Loss, TypeId, Types};
use rustc_hash::FxHashMap;
use std::sync::Mutex;

/// The new name of each old one, by the type that is written.
#[derive(Debug, Default)]
pub(crate) struct NameBook(Mutex<Names>);

#[derive(Debug, Default)]
struct Names {
    new_of: FxHashMap<(TypeId, String), String>,
    old_of: FxHashMap<(TypeId, String), String>,
}

impl NameBook {
    /// Settles what `old` is called: `text` holds what the type made of it, and is given a number where
    /// another name became that already. Says so, if it had to.
    pub(crate) fn settle(&self, types: &Types, ty: TypeId, old: &str, text: &mut String) -> Option<Loss> {
        let limits = types.limits_of_names(ty)?;
        let Names { new_of, old_of } = &mut *self.0.lock().expect("nothing panics with it");
        let old = (ty, old.trim_ascii().to_owned());
        let new = new_of.entry(old.clone()).or_insert_with(|| {
            let free = |name: &str| old_of.get(&(ty, name.to_owned())).is_none_or(|other| *other == old.1);
            let numbered = (2..).map(|number| limits.numbered(text, number));
            let name = std::iter::once(text.clone()).chain(numbered).find(|name| free(name));
            let name = name.unwrap_or_else(|| text.clone());
            old_of.insert((ty, name.clone()), old.1.clone());
            name
        });
        if new == text {
            return None;
        }
        let loss = Loss::LikeAnother { name: text.clone(), new: new.clone() };
        text.clone_from(new);
        Some(loss)
    }
}
