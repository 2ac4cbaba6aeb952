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
        NoNetwork { text: String } => ValueWrong, "`{text}` is neither an address nor a network",
            help: "write an address, or a network such as `192.0.2.0/24`";
        KeyMeaningless { name: String, instead: Suggestion } => KeyUnknown, "`{name}` is not a key of `[map]`",
            help: "{instead}";
        NoReason => ValueWrong, "`reason` is empty",
            help: "write why the target accepts it anyway";
        EntryExpected { wanted: String } => ValueWrong, "expected {wanted}, as a string",
            help: "or write `{{ to = \"…\", except = [\"PATH\"] }}` to keep some settings as they are";
        NotAbsolute { path: String } => ValueWrong, "`{path}` is not an absolute path",
            help: "write absolute paths, such as `\"/srv/data\" = \"/mnt/data\"`";
        OldPortUnknown { name: String, instead: Suggestion } => PortUnknown,
            "the old unit has no port `{name}`",
            help: "{instead}";
        NewPortUnknown { title: String, name: String, instead: Suggestion } => PortUnknown,
            "{title} has no port `{name}`",
            help: "{instead}";
        FormatUnknown { format: i64, newest: i64 } => ValueWrong,
            "the map has format {format}; this version reads formats 1 to {newest}",
            help: "use a newer version of the program";
        OtherSource { said: String, here: String } => ValueWrong,
            "the map is for backups of `{said}`, and this is one of `{here}`",
            remedy: name_other_map();
        OtherTarget { said: String, here: String } => ValueWrong,
            "the map is for the target `{said}`, and this target is `{here}`",
            remedy: name_other_map();
        OtherUnit { said: String, unit: String } => ValueWrong,
            "the map is for the unit `{said}`, and the backup is of `{unit}`",
            remedy: name_other_map();
        TooMany { table: String, most: usize } => TooLarge, "`[{table}]` has more than {most} entries",
            help: "map whole networks and folders";
        AddressesBecomeOne { first: String, second: String, new: String } => MapCollision,
            "both `{first}` and `{second}` become `{new}`",
            help: "two old addresses would become the same: map one of them to another address";
        PathsBecomeOne { first: String, second: String, new: String } => MapCollision,
            "both `{first}` and `{second}` become `{new}`",
            remedy: part_paths();
        OtherFamily => MapLengths, "one address is IPv4 and the other IPv6",
            remedy: same_length();
        OtherLength => MapLengths, "the two networks differ in size", remedy: same_length();
        PortTwice { new: String, first: String, second: String } => PortTwice,
            "the new port `{new}` is assigned to both `{first}` and `{second}`",
            help: "assign another port to one of them, or `leave`";
        PortExpected => ValueWrong, "expected a string",
            help: "write the name of a new port, `leave` or `open`, or `{{ action = \"leave\" }}`";
    }
}

facts! {
    /// What a map does to a backup that a person should know.
    pub(super) enum MapEffect {
        Unused { kind: &'static str, entry: String } => MapUnused,
            "nothing in the backup matches {kind} `{entry}` of the map",
            help: "remove the entry if it is a typing error; `map` lists the names in the backup";
        AddressInUse { old: String, new: String } => TargetInUse,
            "the map turns `{old}` into `{new}`, which the backup already uses",
            help: "map `{old}` to another address, or map `{new}` as well";
        AddressCollision { first: String, second: String, new: String } => MapCollision,
            "the map turns both `{first}` and `{second}` into `{new}`",
            help: "map one of them to another address";
        PathInUse { old: String, new: String } => TargetInUse,
            "the map turns `{old}` into `{new}`, which already exists",
            remedy: part_paths();
        PathCollision { old: String, new: String, other: String } => MapCollision,
            "the map turns `{old}` into `{new}`, and `{other}` becomes the same",
            remedy: part_paths();
        NewlyInside { moved: MovedAddresses, network: String } => NewlyInside,
            "{moved}, which is now inside `{network}`",
            help: "rules about that network now apply to it: check whether they should";
        Leaves { moved: MovedAddresses, network: String } => NoLongerInside,
            "{moved}, which is outside its network `{network}`",
            remedy: map_together();
        OutsideMoved { moved: MovedAddresses, network: String, was: String } => NoLongerInside,
            "{moved}, which is not inside `{network}`, the new `{was}`",
            remedy: map_together();
        StaysWithBoth { network: String, old: String, new: String } => PartlyRenumbered,
            "`{network}` is unchanged: it contains the old `{old}` and the new `{new}`",
            remedy: see_both();
        StaysWithOld { network: String, old: String, new: String } => PartlyRenumbered,
            "`{network}` is unchanged: it contains the old `{old}`, but not the new `{new}`",
            remedy: see_both();
        PartnerMisfit { pair: PortPair, why: &'static str } => PartnerMisfit, "the map assigns {pair}: {why}",
            help: "both units of a pair must use the same: assign a port of the same medium";
        PortMisfit { pair: PortPair, why: &'static str } => PortMisfit, "the map assigns {pair}: {why}",
            help: "assign another port, or check the cable and the device at its other end";
        PortNotOfModel { port: String, model: String, instead: Suggestion } => PortNotOfModel,
            "the backup uses the port `{port}`, which {model} does not have",
            help: "{instead} or decide in the map what becomes of it";
    }
}

/// For a map of something else.
fn name_other_map() -> Remedy {
    "use the map of this backup, or write a new one to another file; the entries under `[map]` can be removed"
        .into()
}

/// For paths that become one.
fn part_paths() -> Remedy {
    "their contents would be mixed: map one of them to another path".into()
}

/// For networks of two sizes.
fn same_length() -> Remedy {
    "map a network to one of the same size, and an address to an address: masks, ranges and broadcasts would have to change".into()
}

/// For a network that is wider than what moves.
fn see_both() -> Remedy {
    "check whether its settings should apply to both, and change the result if not".into()
}

/// For addresses that move without their network.
fn map_together() -> Remedy {
    "map the addresses together with their network".into()
}
