//! What resolves a blocker. None is ever lowered: each names the decision that is wanted instead.

use fordcross_core::finding::{Code, Severity};

/// The decision that resolves a blocker of a code; `None` for what does not block.
pub(crate) fn decision(code: Code) -> Option<&'static str> {
    if code.severity() != Severity::Blocker {
        return None;
    }
    Some(match code {
        Code::NotText => "say the character set with `--charset`, or take another copy of the file",
        Code::TooLarge => "take a backup of less, or raise the bound that the message names",
        Code::Locked => "decrypt it by other means, and name what was in it",
        Code::PassphraseNeeded | Code::PassphraseWrong => "give the passphrase with `--passphrase-file`",
        Code::HashDiffers => "fetch the backup again, or put the new hash into its list",
        Code::PartsWrong => "give all parts of the backup",
        Code::Unrecognised => "add a profile with `--profiles`",
        Code::ReleaseUnlisted => "say with `--treat-as` as which listed release it is to be read",
        Code::ModelUnknown => "name a model that the profile lists in `--to`",
        Code::ConfigurationMissing => "choose the other one with `--configuration`",
        Code::CourseMissing => {
            "carry to a release that `reach` lists as open, or add a crossing with `--profiles`"
        }
        Code::PortOpen => "give the port a new one in the map, or `\"leave\"`",
        Code::PortTwice => "give one of both ports another in the map",
        Code::PortUnknown => "name a port that the model has in the map",
        Code::PartnerMisfit => "give the link to the partner a port of the same medium in the map",
        Code::MapCollision => "give one of both another in the map",
        Code::MapLengths => "give the network one of the same length in the map",
        Code::TargetInUse => "map what is in use as well, or choose another in the map",
        Code::RequirementUnmet => "see to what the crossing requires, or answer what it asks with `--answer`",
        Code::BaseUnfit => "export the base from the target, or carry to what the base is of",
        Code::LimitExceeded => "take some out of the backup, or carry to a larger model",
        Code::NameTooLong => "give the object a shorter name in the map",
        Code::ResultDiffers => "report it: the result is not what the ledger says",
        Code::XmlMalformed
        | Code::XmlDoctype
        | Code::JsonMalformed
        | Code::YamlMalformed
        | Code::TableMalformed
        | Code::StatementMalformed
        | Code::IniMalformed
        | Code::ArchiveUnsafe => "take another copy of the backup, or put the file right",
        _ => "put the profile, crossing or map right",
    })
}
