//! What resolves a blocker. None is ever lowered: each names the decision that is wanted instead.

use super::{Code, Severity};

impl Code {
    /// The decision that resolves a blocker of this code; none for what does not block.
    pub fn decision(self) -> Option<&'static str> {
        if self.severity() != Severity::Blocker {
            return None;
        }
        Some(match self {
            Self::NotText => "say the character set with `--charset`, or take another copy of the file",
            Self::TooLarge => "take a backup of less, or raise the bound that the message names",
            Self::Locked => "decrypt it by other means, and name what was in it",
            Self::PassphraseNeeded | Self::PassphraseWrong => "give the passphrase with `--passphrase-file`",
            Self::HashDiffers => "fetch the backup again, or put the new hash into its list",
            Self::PartsWrong => "give all parts of the backup",
            Self::Unrecognised => "add a profile with `--profiles`",
            Self::ReleaseUnlisted => "say with `--treat-as` as which listed release it is to be read",
            Self::ModelUnknown => "name a model that the profile lists in `--to`",
            Self::ConfigurationMissing => "choose the other one with `--configuration`",
            Self::CourseMissing => {
                "carry to a release that `reach` lists as open, or add a crossing with `--profiles`"
            }
            Self::PortOpen => "give the port a new one in the map, or `\"leave\"`",
            Self::PortTwice => "give one of both ports another in the map",
            Self::PortUnknown => "name a port that the model has in the map",
            Self::PartnerMisfit => "give the link to the partner a port of the same medium in the map",
            Self::MapCollision => "give one of both another in the map",
            Self::MapLengths => "give the network one of the same length in the map",
            Self::TargetInUse => "map what is in use as well, or choose another in the map",
            Self::RequirementUnmet => {
                "see to what the crossing requires, or answer what it asks with `--answer`"
            }
            Self::BaseUnfit => "export the base from the target, or carry to what the base is of",
            Self::LimitExceeded => "take some out of the backup, or carry to a larger model",
            Self::NameTooLong => "give the object a shorter name in the map",
            Self::ResultDiffers => "report it: the result is not what the ledger says",
            Self::XmlMalformed
            | Self::XmlDoctype
            | Self::JsonMalformed
            | Self::YamlMalformed
            | Self::TableMalformed
            | Self::StatementMalformed
            | Self::IniMalformed
            | Self::ArchiveUnsafe => "take another copy of the backup, or put the file right",
            _ => "put the profile, crossing or map right",
        })
    }
}
