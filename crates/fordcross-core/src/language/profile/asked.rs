//! What the settings that expressions ask for are, by their declarations.

use super::schema::{Entry, Lookup, PathStep, Schema};
use crate::language::expression::{AskedSetting, OperandKind, alternatives};
use crate::language::profile::What;
use crate::language::typing::Types;
use crate::tree::pattern::Step;

/// What is asked for at a path of an expression, seen from objects of a pattern; nothing where the path is of no setting.
/// `in_force` says whether something holds where a setting has no default.
pub(crate) fn asked_at(
    (schema, types): (&Schema, &Types),
    in_force: &dyn Fn(&Entry) -> bool,
    above: &[Step],
    path: &str,
) -> Option<AskedSetting> {
    // Where a value leads to is only known with the rules of the profile.
    if path.contains("->") {
        return None;
    }
    let (above, path) = path.strip_prefix('/').map_or((above, path), |path| (&[], path));
    let mut asked: Option<AskedSetting> = None;
    for path in alternatives(path) {
        let Lookup::Declared(entry) = schema.find(&PathStep::from_here(above, &path)) else { continue };
        let entry = &schema[entry];
        let What::Setting { ty, defaults, defaults_if, .. } = &entry.what else { continue };
        let has_default = !defaults.is_empty() || !defaults_if.is_empty() || in_force(entry);
        let new = AskedSetting::of(types, *ty, has_default);
        asked = Some(match asked {
            None => new,
            Some(known) => AskedSetting {
                kind: if known.kind == new.kind { new.kind } else { OperandKind::Unknown },
                has_default: known.has_default && new.has_default,
                is_secret: known.is_secret || new.is_secret,
                words: known.words.filter(|words| new.words.as_ref() == Some(words)),
            },
        });
    }
    asked
}
