//! Maps with every action.

use fastrand::Rng;
use std::fmt::Write as _;

/// What a map can do to ports and addresses.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Deed {
    /// Proposals as they are.
    None,
    Leave,
    Swap,
    /// A fibre port to a copper one, or the other way.
    WrongMedium,
    SameLength,
    Narrower,
    Wider,
    OneAddress,
}

pub(crate) const DEEDS: [Deed; 8] = [
    Deed::None,
    Deed::Leave,
    Deed::Swap,
    Deed::WrongMedium,
    Deed::SameLength,
    Deed::Narrower,
    Deed::Wider,
    Deed::OneAddress,
];

/// A map that does this; `None` for [`Deed::None`].
pub(crate) fn map(deed: Deed, used: &[String], addresses: &[&str], rng: &mut Rng) -> Option<String> {
    let mut text = String::from("[map]\nformat = 2\n");
    let port = |rng: &mut Rng| rng.choice(used).cloned().unwrap_or_else(|| "p1".to_owned());
    let octet = |rng: &mut Rng| rng.choice(["192.0.2", "198.51.100", "203.0.113"]).expect("three");
    match deed {
        Deed::None => return None,
        Deed::Leave => {
            let _ = writeln!(text, "[ports]\n{} = \"leave\"", port(rng));
        }
        Deed::Swap => {
            let (one, two) = (rng.u8(1..7), rng.u8(1..7));
            let other = if one == two { "\"fx1\"".to_owned() } else { format!("\"cu{two}\"") };
            let (first, second) = (port(rng), port(rng));
            let _ = writeln!(text, "[ports]\n{first} = \"cu{one}\"");
            if first != second {
                let _ = writeln!(text, "{second} = {other}");
            }
        }
        Deed::WrongMedium => {
            let port = port(rng);
            let to = if port.starts_with('f') { "cu6" } else { "fx2" };
            let _ = writeln!(text, "[ports]\n{port} = \"{to}\"");
        }
        Deed::SameLength => {
            let _ = writeln!(text, "[addresses]\n\"{}.0/24\" = \"198.18.{}.0/24\"", octet(rng), rng.u8(..));
        }
        Deed::Narrower => {
            let _ = writeln!(text, "[addresses]\n\"{}.0/26\" = \"203.0.113.192/26\"", octet(rng));
        }
        Deed::Wider => {
            let _ = writeln!(text, "[addresses]\n\"192.0.0.0/16\" = \"198.18.0.0/16\"");
        }
        Deed::OneAddress => {
            let old = rng.choice(addresses).copied().unwrap_or("192.0.2.1");
            let _ = writeln!(text, "[addresses]\n\"{old}\" = \"{}.{}\"", octet(rng), rng.u8(1..64));
        }
    }
    Some(text)
}
