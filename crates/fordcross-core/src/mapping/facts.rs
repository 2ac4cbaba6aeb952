//! Findings about maps.

use crate::finding::{Remedy, Suggestion, facts};
use std::fmt;

/// Addresses that the map moves together: one of them, where it goes, and how many there are.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct MovedAddresses {
    pub(super) old: String,
    pub(super) new: String,
    pub(super) number: usize,
}

impl fmt::Display for MovedAddresses {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { old, new, number } = self;
        match number {
            1 => write!(f, "`{old}` becomes `{new}`"),
            number => write!(f, "`{old}`, and {} like it, becomes `{new}`", number - 1),
        }
    }
}

/// An old port and the new one that the map gives it, each with what it is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct PortPair {
    pub(super) old: (String, String),
    pub(super) new: (String, String),
}

impl fmt::Display for PortPair {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let ((old, old_is), (new, new_is)) = (&self.old, &self.new);
        write!(f, "`{old}` ({old_is}) the port `{new}` ({new_is})")
    }
}

facts! {
    /// What is wrong with a map file.
    pub(super) enum MapFact {
        NoNetwork { text: String } => ValueWrong, "`{text}` is no address and no network",
            help: "write an address, or a network such as `192.0.2.0/24`";
        KeyMeaningless { name: String, instead: Suggestion } => KeyUnknown, "`{name}` means nothing in `[map]`",
            help: "{instead}";
        NoReason => ValueWrong, "nothing is accepted without a reason",
            help: "say why the target takes it all the same";
        EntryExpected { wanted: String } => ValueWrong, "expected {wanted}, as a string",
            help: "or write `{{ to = \"…\", except = [\"PATH\"] }}` to leave some settings as they are";
        NotAbsolute { path: String } => ValueWrong, "`{path}` does not begin at the root",
            help: "write whole paths, such as `\"/srv/data\" = \"/mnt/data\"`";
        OldPortUnknown { name: String, instead: Suggestion } => PortUnknown,
            "the old unit has no port `{name}`",
            help: "{instead}";
        NewPortUnknown { title: String, name: String, instead: Suggestion } => PortUnknown,
            "{title} has no port `{name}`",
            help: "{instead}";
        FormatUnknown { format: i64, newest: i64 } => ValueWrong,
            "this map is of form {format}, and forms 1 to {newest} are known",
            help: "take a newer release of the program";
        OtherSource { said: String, here: String } => ValueWrong,
            "this map is for backups of `{said}`, and this one is of `{here}`",
            remedy: name_other_map();
        OtherTarget { said: String, here: String } => ValueWrong,
            "this map is for results for `{said}`, and this one is for `{here}`",
            remedy: name_other_map();
        OtherUnit { said: String, unit: String } => ValueWrong,
            "this map is for the unit `{said}`, and the backup is of `{unit}`",
            remedy: name_other_map();
        TooMany { table: String, most: usize } => TooLarge, "`[{table}]` has more than {most} entries",
            help: "name whole networks and folders";
        AddressesBecomeOne { first: String, second: String, new: String } => MapCollision,
            "both `{first}` and `{second}` become `{new}`",
            help: "two old addresses would become one: give one of both another";
        PathsBecomeOne { first: String, second: String, new: String } => MapCollision,
            "both `{first}` and `{second}` become `{new}`",
            remedy: part_paths();
        OtherFamily => MapLengths, "one is an IPv4 address and the other an IPv6 address",
            remedy: same_length();
        OtherLength => MapLengths, "the two networks are not of the same size", remedy: same_length();
        PortTwice { new: String, first: String, second: String } => PortTwice,
            "the new port `{new}` is given to both `{first}` and `{second}`",
            help: "give one of them another port, or `leave`";
        PortExpected => ValueWrong, "expected a string",
            help: "write the name of a new port, `leave` or `open`, or `{{ action = \"leave\" }}`";
    }
}

facts! {
    /// What a map does to a backup that a person should know.
    pub(super) enum MapEffect {
        Unused { kind: &'static str, entry: String } => MapUnused,
            "nothing in the backup is {kind} `{entry}` of the map, or in it",
            help: "take the entry out if it is a typing error; `map` lists what the backup has";
        AddressInUse { old: String, new: String } => TargetInUse,
            "the map makes `{new}` of `{old}`, and the backup uses `{new}` already",
            help: "give `{old}` another, or map `{new}` as well";
        AddressCollision { first: String, second: String, new: String } => MapCollision,
            "the map makes `{new}` of both `{first}` and `{second}`",
            help: "give one of them another";
        PathInUse { old: String, new: String } => TargetInUse,
            "the map makes `{new}` of `{old}`, and `{new}` is that already",
            remedy: part_paths();
        PathCollision { old: String, new: String, other: String } => MapCollision,
            "the map makes `{new}` of `{old}`, and `{other}` is that already",
            remedy: part_paths();
        NewlyInside { moved: MovedAddresses, network: String } => NewlyInside,
            "{moved}, and falls into `{network}`, which did not hold it",
            help: "what is said of that network holds for it now: see whether it should";
        Leaves { moved: MovedAddresses, network: String } => NoLongerInside,
            "{moved}, and leaves `{network}`, which held it",
            remedy: map_together();
        OutsideMoved { moved: MovedAddresses, network: String, was: String } => NoLongerInside,
            "{moved}, and is not in `{network}`, which `{was}` becomes",
            remedy: map_together();
        StaysWithBoth { network: String, old: String, new: String } => PartlyRenumbered,
            "`{network}` stays as it is: it still holds the old `{old}`, and holds the new one, too, `{new}`",
            remedy: see_both();
        StaysWithOld { network: String, old: String, new: String } => PartlyRenumbered,
            "`{network}` stays as it is: it still holds the old `{old}`, and does not hold the new one, `{new}`",
            remedy: see_both();
        PartnerMisfit { pair: PortPair, why: &'static str } => PartnerMisfit, "the map gives {pair}: {why}",
            help: "both units of a pair have to agree on it: give it a port of the same medium";
        PortMisfit { pair: PortPair, why: &'static str } => PortMisfit, "the map gives {pair}: {why}",
            help: "give it another one, or see to the cable and to what is on its other end";
        PortNotOfModel { port: String, model: String, instead: Suggestion } => PortNotOfModel,
            "the backup names a port `{port}`, which {model} does not have",
            help: "{instead} or decide in the map what becomes of it";
    }
}

/// For a map of something else.
fn name_other_map() -> Remedy {
    "name the map of this backup, or another file to have one proposed; what `[map]` says can be taken out"
        .into()
}

/// For paths that become one.
fn part_paths() -> Remedy {
    "what lies in both would lie in one: give one of them another path".into()
}

/// For networks of two sizes.
fn same_length() -> Remedy {
    "give a network one of the same length, and an address an address: masks, ranges and broadcasts would have to follow".into()
}

/// For a network that is wider than what moves.
fn see_both() -> Remedy {
    "see whether what is said of it should hold for both, and change it in the result if not".into()
}

/// For addresses that move without their network.
fn map_together() -> Remedy {
    "map the addresses and their network together".into()
}
