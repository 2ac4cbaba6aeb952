//! What resolves a blocker. None is ever lowered: each names the decision that is wanted instead.

use fordcross_core::finding::{Code, Severity};

/// The decision that resolves a blocker of a code; `None` for what does not block.
pub(crate) fn decision(code: Code) -> Option<&'static str> {
    if code.severity() != Severity::Blocker {
        return None;
    }
    Some(match code {
        Code::NotText => "name the character set with `--charset`, or take another copy of the file",
        Code::TooLarge => "take a backup of less, or raise the limit that the message names",
        Code::Locked => "decrypt it by other means, and name its content",
        Code::PassphraseNeeded | Code::PassphraseWrong => "give the passphrase with `--passphrase-file`",
        Code::HashDiffers => "fetch the backup again, or update the hash in its list",
        Code::PartsWrong => "name all parts of the backup",
        Code::Unrecognised => "add a profile with `--profiles`",
        Code::ReleaseUnlisted => "name the listed release to read it as with `--from PLATFORM@RELEASE`",
        Code::ModelUnknown => "name a model that the profile lists in `--to`",
        Code::ConfigurationMissing => "choose the other one with `--configuration`",
        Code::CourseMissing => {
            "carry to a release that `reach` lists as open, or add a crossing with `--profiles`"
        }
        Code::PortOpen => "map the port to a new one, or `\"leave\"`",
        Code::PortTwice => "map one of the two ports to another",
        Code::PortUnknown => "name a port in the map that the model has",
        Code::PartnerMisfit => "map the link to the partner to a port of the same medium",
        Code::MapCollision => "map one of the two to another",
        Code::MapLengths => "map the network to one of the same size",
        Code::TargetInUse => "map the name in use as well, or choose another in the map",
        Code::RequirementUnmet => "fulfil what the crossing requires, or answer what it asks with `--answer`",
        Code::BaseUnfit => "export the base from the target, or carry to the target of the base",
        Code::LimitExceeded => "take some out of the backup, or carry to a larger model",
        Code::NameTooLong => "map the object to a shorter name",
        Code::ResultDiffers => "report it: the result differs from the ledger",
        Code::XmlMalformed
        | Code::XmlDoctype
        | Code::JsonMalformed
        | Code::YamlMalformed
        | Code::TableMalformed
        | Code::StatementMalformed
        | Code::IniMalformed
        | Code::ArchiveUnsafe => "take another copy of the backup, or correct the file",
        _ => "correct the profile, crossing or map",
    })
}
