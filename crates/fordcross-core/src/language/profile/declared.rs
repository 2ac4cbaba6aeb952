//! What a profile declares, for people.

use super::schema::{Entry, Repeats, What};
use super::{Profile, schema};

/// One declaration of a profile.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Declared {
    /// The path of the setting or object.
    pub path: String,
    /// `object`, or the name of the setting's type.
    pub kind: String,
    /// What else there is to say: keys, what a repeat means, what is secret.
    pub about: Vec<String>,
    /// What holds where it is not given, in the release that was asked for.
    pub default: Option<String>,
    /// The first release that has it, if that is not the first of the platform.
    pub from: Option<String>,
    /// The last release that has it, if that is not the last of the platform.
    pub until: Option<String>,
}

impl Profile {
    /// All declarations, in the order of the file: objects, then settings.
    pub fn declarations(&self) -> Vec<Declared> {
        self.schema.entries.iter().map(|entry| self.declaration(entry)).collect()
    }

    fn declaration(&self, entry: &Entry) -> Declared {
        let mut about = Vec::new();
        let kind = match &entry.what {
            What::Object { keys, name, many, kinds, traits, inherits, .. } => {
                if !keys.is_empty() {
                    about.push(format!("key {}", keys.join(", ")));
                } else if let Some(name) = name {
                    about.push(format!("its name is the key: {}", self.types.get(*name).name));
                } else if *many {
                    about.push("several, in order".into());
                }
                about.extend((!kinds.is_empty()).then(|| {
                    let names: Vec<&str> = kinds.iter().map(|(name, _)| name.as_str()).collect();
                    format!("kinds {}", names.join(", "))
                }));
                about.extend(traits.admits.as_ref().map(|admits| format!("lets in: {}", admits.what)));
                about.extend(inherits.as_ref().map(inherited));
                "object".to_owned()
            }
            What::Setting { ty, attribute, identity, .. } => {
                about.extend(attribute.then(|| "attribute".to_owned()));
                about.extend(identity.then(|| "makes the unit itself".to_owned()));
                about.extend(self.types.is_secret(*ty).then(|| "never shown".to_owned()));
                self.types.get(*ty).name.clone()
            }
        };
        about.extend(match entry.what.repeats() {
            Repeats::No => None,
            Repeats::All => Some("repeats".to_owned()),
            Repeats::First => Some("the first holds".into()),
            Repeats::Last => Some("the last holds".into()),
            Repeats::Merge => Some("those with the same key are merged".into()),
            Repeats::Error => Some("a second one is not allowed".into()),
        });
        let (first, last) = entry.releases;
        let release = |index: usize, edge: usize| (index != edge).then(|| self.releases[index].name.clone());
        Declared {
            path: entry.pattern.to_string(),
            kind,
            about,
            default: entry.what.default_at(self.release).map(str::to_owned),
            from: release(first, 0),
            until: release(last, self.releases.len() - 1),
        }
    }
}

fn inherited(inherits: &schema::Inherits) -> String {
    let named = inherits.named_by.as_ref().map(|setting| format!("what {setting} names"));
    let block = inherits.block.as_ref().map(|path| path.join("/"));
    let from: Vec<String> = named.into_iter().chain(block).collect();
    let besides = if inherits.adds { ", in addition to its own" } else { "" };
    format!("inherits from {}{besides}", from.join(", then "))
}
