//! Types: what the text of a setting means.
//!
//! The old profile's type reads a value, the new one's writes it, and between the two it is a
//! [`Value`] that knows nothing of either notation. Crossings therefore never convert.

mod becomes;
mod characters;
mod commands;
mod declare;
mod facts;
mod form;
mod outcome;
mod quantity;
mod read;
mod secret;
#[cfg(test)]
mod tests;
mod write;

pub(crate) use becomes::never_becomes;
pub(crate) use characters::{Characters, Limits};
pub(crate) use declare::{BUILT_IN, RawTypes, declare_type, type_at};
pub use facts::{Loss, Unfit};
pub(crate) use form::{Alternative, Family, Form, PrefixNotation};
pub use outcome::Misread;
pub use quantity::Dimension;
pub(crate) use quantity::Quantity;
pub use secret::Protection;
pub(crate) use secret::{Secret, SecretForm};
pub(crate) use write::plain_text;

use rustc_hash::FxHashMap;
use std::borrow::Cow;
use std::net::IpAddr;

/// The number of a type in one profile.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct TypeId(pub(crate) u16);

/// A type of one profile.
#[derive(Clone, Debug)]
pub(crate) struct Type {
    /// As a person knows it: `duration`, `interface`.
    pub(crate) name: String,
    pub(crate) form: Form,
}

/// The types of one profile. Shapes refer to other types of the same table.
#[derive(Clone, Debug, Default)]
pub(crate) struct Types {
    pub(crate) list: Vec<Type>,
    /// Those that can be referred to: what is declared by name, and the bundled ones that need no more.
    pub(crate) named: FxHashMap<String, TypeId>,
}

impl Types {
    /// The names that can be referred to, in order.
    pub(crate) fn names(&self) -> Vec<&str> {
        let mut names: Vec<&str> = self.named.keys().map(String::as_str).collect();
        names.sort_unstable();
        names
    }

    pub(crate) fn get(&self, id: TypeId) -> &Type {
        &self.list[id.0 as usize]
    }

    /// The types of the parts that a value of the type has.
    pub(crate) fn parts_of(&self, id: TypeId) -> Vec<TypeId> {
        match &self.get(id).form {
            Form::Shaped(alternatives) => {
                alternatives.iter().flat_map(|alternative| alternative.types.iter().copied()).collect()
            }
            Form::List { of, .. } => vec![*of],
            _ => Vec::new(),
        }
    }

    /// Whether two texts are one value of a type, however each is spelled: `600000` and `10min`.
    pub(crate) fn mean_the_same(&self, id: TypeId, one: Option<&str>, other: &str) -> bool {
        one.is_some_and(|one| {
            one == other || self.read(id, one).is_ok_and(|one| self.read(id, other) == Ok(one))
        })
    }

    /// Whether values of the type are more or less than others.
    pub(crate) fn is_ordered(&self, id: TypeId) -> bool {
        matches!(self.get(id).form, Form::Integer { .. } | Form::Quantity(_))
    }

    /// The types as they are at a release; `until` says whether that is one or an earlier one.
    pub(crate) fn at(&self, until: impl Fn(&str) -> bool) -> Self {
        let mut types = self.clone();
        for declared in &mut types.list {
            if let Form::Quantity(quantity) = &mut declared.form {
                quantity.cuts = quantity.cut_until.as_deref().is_some_and(&until);
            }
        }
        types
    }

    /// Whether the map may have something to say of values of the type.
    pub(crate) fn can_be_mapped(&self, id: TypeId) -> bool {
        matches!(
            self.get(id).form,
            Form::Port | Form::Path | Form::Address { .. } | Form::Network { .. } | Form::Host
        ) || self.parts_of(id).iter().any(|&part| self.can_be_mapped(part))
    }

    /// Whether values of the type are any text, in which names of other things may be.
    pub(crate) fn is_free_text(&self, id: TypeId) -> bool {
        matches!(self.get(id).form, Form::Text(_) | Form::Command(_))
    }

    /// What names of the type are held to, where they are: they may have to change, and no two may become one.
    pub(crate) fn limits_of_names(&self, id: TypeId) -> Option<&Limits> {
        match &self.get(id).form {
            Form::Name { limits, .. } if limits.max.is_some() || limits.characters.is_some() => Some(limits),
            _ => None,
        }
    }

    /// Whether values of the type are names of hosts.
    pub(crate) fn is_host(&self, id: TypeId) -> bool {
        matches!(self.get(id).form, Form::Host | Form::HostName)
    }

    /// Whether values of the type are shown unasked: no secret, and nothing that one may be in.
    pub(crate) fn is_open(&self, id: TypeId) -> bool {
        !matches!(self.get(id).form, Form::Secret(_) | Form::Command(_))
    }

    /// Whether this value of the type is shown unasked.
    pub(crate) fn shows(&self, id: TypeId, value: &str) -> bool {
        match &self.get(id).form {
            Form::Command(shown) => shown.fit(value),
            _ => self.is_open(id),
        }
    }

    /// Whether values of the type must never be shown.
    pub(crate) fn is_secret(&self, id: TypeId) -> bool {
        matches!(self.get(id).form, Form::Secret(_))
    }
}

/// What a text means, apart from any notation.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Value<'t> {
    /// Text without a form of its own; also names of hosts and objects, certificates.
    Text(Cow<'t, str>),
    /// A whole number.
    Integer(i64),
    /// On or off.
    Boolean(bool),
    /// One of the names that an enumeration declares, as it declares it first.
    Choice(Cow<'t, str>),
    /// An amount, in the dimension's own unit.
    Quantity(Dimension, u64),
    /// The special "no end" that some amounts have.
    Never,
    /// An IPv4 or IPv6 address.
    Address(IpAddr),
    /// A network with its prefix length.
    Network(ipnet::IpNet),
    /// How many leading bits name the network, with the width of the addresses if it is known.
    PrefixLength(u8),
    /// A MAC address, IEEE 802 MAC-48.
    Mac([u8; 6]),
    /// A port of the old or new unit.
    Port(Cow<'t, str>),
    /// A place in a file system.
    Path(Cow<'t, str>),
    /// A secret, with how it is kept.
    Secret(Cow<'t, str>, Protection),
    /// Several values in one.
    List(Vec<Value<'t>>),
    /// The captures of a shape, in its order.
    Parts(Vec<(Cow<'t, str>, Value<'t>)>),
}

impl<'t> Value<'t> {
    /// The old ports named in the value.
    pub(crate) fn ports(&self, found: &mut dyn FnMut(&str)) {
        match self {
            Self::Port(name) => found(name),
            Self::Parts(parts) => parts.iter().for_each(|(_, part)| part.ports(found)),
            Self::List(list) => list.iter().for_each(|part| part.ports(found)),
            _ => {}
        }
    }
}
