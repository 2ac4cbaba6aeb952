//! The smallest thing that each code is told of. A test carries each of them and looks for its code.

use super::Code;

/// Which file an example changes, or that it is a matter of the command line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ExampleIn {
    /// A backup.
    Backup,
    /// The profile of the old line.
    Profile,
    /// The profile of the receiving line.
    NewProfile,
    /// The crossing between the two.
    Crossing,
    /// The map file.
    Map,
    /// An export of the receiving unit, given with `--base`.
    Base,
    /// The command line.
    Command,
}

impl ExampleIn {
    /// Where, for people.
    pub fn about(self) -> &'static str {
        match self {
            Self::Backup => "in a backup",
            Self::Profile => "in a profile",
            Self::NewProfile => "in the receiving profile",
            Self::Crossing => "in a crossing",
            Self::Map => "in a map",
            Self::Base => "in a base",
            Self::Command => "on the command line",
        }
    }
}

/// One change that leads to a finding: where, what stands there in the files of the demo (nothing where
/// there is no such file), and what stands there then.
pub type Example = (ExampleIn, &'static str, &'static str);

impl Code {
    /// The smallest change to the files of the demo that leads to it. Empty for what no small text
    /// shows: bytes that are no text, a file that is too large, and a defect of the program itself.
    pub fn examples(self) -> &'static [Example] {
        use ExampleIn::{Backup, Base, Command, Crossing, Map, NewProfile, Profile};
        const HOST: &str = "\"unit/name\"        = { type = \"host-name\", identity = true }";
        const HEAD: &str = "[crossing]\n";
        match self {
            Self::NotText
            | Self::TooLarge
            | Self::IniMalformed
            | Self::YamlMalformed
            | Self::TableMalformed
            | Self::StatementMalformed
            | Self::Locked
            | Self::PassphraseNeeded
            | Self::PassphraseWrong
            | Self::ArchiveUnsafe
            | Self::PartsWrong
            | Self::HashDiffers
            | Self::SettingUnspoken
            | Self::FileMissing
            | Self::NothingIncluded
            | Self::IncludeTaken
            | Self::BaseOverrides
            | Self::OutsideConfiguration
            | Self::DataPassedOver
            | Self::LinkOutside
            | Self::LinkFollowed
            | Self::EntryUnreadable
            | Self::EntryPassedOver
            | Self::ResultDiffers => &[],
            Self::TakenInFuture => &[(Backup, "taken=\"2026-", "taken=\"2126-")],
            Self::TakenLongAgo => &[(Backup, "taken=\"2026-", "taken=\"2016-")],
            Self::NotWhole => &[(Backup, "kind=\"full\"", "kind=\"part\"")],
            Self::RedactedCopy => &[(Backup, "kelp &amp; bladderwrack 7 fathoms", "redacted-9c1f02ab-7")],
            Self::XmlMalformed => &[(Backup, "</unit>", "</unti>")],
            Self::XmlDoctype => &[(Backup, "<teasel-backup ", "<!DOCTYPE teasel-backup><teasel-backup ")],
            Self::JsonMalformed => &[(Base, "\"release\": \"2.1\",", "\"release\": \"2.1\"")],
            Self::TomlMalformed => &[(Map, "", "[ports]\np1 = cu1\n")],
            Self::Unrecognised => &[(Backup, "teasel-backup", "weasel-backup")],
            Self::ReleaseUnlisted => &[(Backup, "firmware=\"4.6\"", "firmware=\"4.7\"")],
            Self::ModelUnknown => &[(Backup, "model=\"20\"", "model=\"25\"")],
            Self::ConfigurationMissing => &[(Command, "", "--configuration candidate")],
            Self::ReleaseTreatedAs => {
                &[(Backup, "firmware=\"4.6\"", "firmware=\"4.7\""), (Command, "", "--treat-as 4.6")]
            }
            Self::KeyUnknown => &[(Profile, "title = \"Teasel gateway\"", "titel = \"Teasel gateway\"")],
            Self::KeyMissing => &[(Profile, "title = \"Teasel gateway\"", "")],
            Self::ValueWrong => &[(Profile, "max = 4094", "max = \"4094\"")],
            Self::TypeUnknown => &[(Profile, HOST, "\"unit/name\" = \"host-nam\"")],
            Self::LocatorUnknown => &[(Crossing, "[\"site\", ", "[\"sight\", ")],
            Self::RuleMalformed => &[(Crossing, "from = \"unit\"", "from = \"unit[\"")],
            Self::CaptureUnknown => &[(Crossing, "[\"side = {s}\",", "[\"side = {side}\",")],
            Self::CaptureUnused => {
                &[(Crossing, "[\"pem\", \"certificate\"]", "[\"pem = {p}\", \"certificate = x\"]")]
            }
            Self::ExpressionWrong => &[(Crossing, "\"!given('at')\"", "\"!gven('at')\"")],
            Self::TypesDiffer => {
                &[(Crossing, "[\"panel-dim\",   \"display-minutes\"]", "[\"panel-dim\", \"resolvers[]\"]")]
            }
            Self::PlaceContested => {
                &[(Crossing, "[\"time-zone\",   \"timezone\"]", "[\"time-zone\", \"location\"]")]
            }
            Self::RuleHidden => &[(
                Crossing,
                "[\"greeting\",    \"login-text\"]",
                "[\"greeting\", \"login-text\"], [\"greeting = {g}\", \"location = {g}\"]",
            )],
            Self::LineUnknown => &[(Command, "", "--to oser/8@2.1")],
            Self::CourseMissing => &[(Command, "", "--to osier/8@2.0")],
            Self::IncludeMissing => &[(Crossing, HEAD, "include = [\"words.shared.toml\"]\n[crossing]\n")],
            Self::PortOpen => &[(Map, "", "[ports]\np1 = \"?\"\n")],
            Self::OldNameLeft => {
                &[(Map, "", "[ports]\np3 = \"cu6\"\n"), (Backup, "<site>", "<site>Shed, behind p3, ")]
            }
            Self::PortTwice => &[(Map, "", "[ports]\np1 = \"cu1\"\np2 = \"cu1\"\n")],
            Self::PortUnknown => &[(Map, "", "[ports]\np1 = \"cu9\"\n")],
            Self::PortNotOfModel => &[(Backup, "<link id=\"p3\"", "<link id=\"p9\"")],
            Self::PortLeft => &[(Map, "", "[ports]\np3 = \"leave\"\n")],
            Self::PlaceTaken => &[(Backup, "<site>", "<site>Lower shed</site><site>")],
            Self::ValueUnread => &[(Backup, "<mtu>1500</mtu>", "<mtu>large</mtu>")],
            Self::ValueUnfit => &[(Crossing, "deny  = \"refuse\"\n", "")],
            Self::ValueApproximated => {
                &[(Backup, "<panel-dim>120</panel-dim>", "<panel-dim>130</panel-dim>")]
            }
            Self::NoRule => &[(Backup, "<site>", "<tide-clock>2</tide-clock><site>")],
            Self::RequirementUnmet => &[(
                Crossing,
                HEAD,
                "[[require]]\nthat = \"given('links/partner')\"\nwhy = \"the new unit works in pairs only\"\n[crossing]\n",
            )],
            Self::FactAssumed => &[(
                Crossing,
                HEAD,
                "[[ask]]\nfact = \"racks\"\ntype = \"integer\"\ndefault = \"1\"\nwhy = \"count them\"\n[crossing]\n",
            )],
            Self::Notice => {
                &[(Crossing, HEAD, "[[notice]]\ntext = \"the new unit has a fan\"\n[crossing]\n")]
            }
            Self::ExpressionFailed => &[(
                Crossing,
                "[\"site\",        \"location\"]",
                "[\"site = {s}\", \"location = {= 1 / 0 > 0 ? s : s}\"]",
            )],
            Self::Dropped => &[(Backup, "</tunnels>", "</tunnels><foghorn on=\"yes\"/>")],
            Self::ByHand => &[(Backup, "<greeting>", "<panel-code>0000</panel-code><greeting>")],
            Self::BaseUnfit => &[(Base, "\"model\": \"8\"", "\"model\": \"16\"")],
            Self::BaseAdmits => &[(
                Base,
                "\"system\": {",
                "\"accounts\": {\"visitor\": {\"role\": \"administrator\"}}, \"system\": {",
            )],
            Self::BaseBeyond => {
                &[(Base, "\"system\": {", "\"interfaces\": {\"cu6\": {\"enabled\": false}}, \"system\": {")]
            }
            Self::LimitExceeded => &[(NewProfile, "\"filter/rules\" = 200 }", "\"filter/rules\" = 2 }")],
            Self::NameTooLong => {
                &[(NewProfile, "at       = \"subnets/*\"\n", "at = \"subnets/*\"\nlongest-name = 1\n")]
            }
            Self::GivenTwice => &[
                (
                    Profile,
                    "\"unit/site\"        = \"text\"",
                    "\"unit/site\" = { type = \"text\", repeats = \"error\" }",
                ),
                (Backup, "<site>", "<site>Lower shed</site><site>"),
            ],
            Self::ReferenceBroken => &[
                (
                    Profile,
                    "at  = \"tunnels/tunnel\"\n",
                    "at  = \"tunnels/tunnel\"\ninherits = { named-by = \"peer\" }\n",
                ),
                (Backup, "<peer>gw.sandle.marrowby.example</peer>", "<peer>to-nowhere</peer>"),
            ],
            Self::RuleBroken => &[(Crossing, "subnet = {ip: look-up.subnet}", "subnet = s99")],
            Self::BackupUnsound => &[
                (Profile, "at   = \"users/user\"\n", "at   = \"users/user\"\nrequired = [\"rank\"]\n"),
                (Backup, "<rank>", "<!--"),
                (Backup, "</rank>", "-->"),
            ],
            Self::ConnectivityLost => &[(Backup, "<hash>$6$", "<hash>$5$")],
            Self::LastMemberLeft => &[
                (
                    Backup,
                    "</links>",
                    "<bundle id=\"b1\" on=\"yes\"><side>inner</side><member>p3</member></bundle></links>",
                ),
                (Map, "", "[ports]\np3 = \"leave\"\n"),
            ],
            Self::MapCollision => {
                &[(Map, "", "[addresses]\n\"192.0.2.2\" = \"192.0.2.9\"\n\"192.0.2.3\" = \"192.0.2.9\"\n")]
            }
            Self::MapLengths => &[(Map, "", "[addresses]\n\"192.0.2.0/26\" = \"198.51.100.0/27\"\n")],
            Self::TargetInUse => &[(Map, "", "[addresses]\n\"192.0.2.2\" = \"192.0.2.3\"\n")],
            Self::MapUnused => &[(Map, "", "[addresses]\n\"10.0.0.0/8\" = \"10.0.0.0/8\"\n")],
            Self::PartlyRenumbered | Self::NoLongerInside => {
                &[(Map, "", "[addresses]\n\"192.0.2.16/28\" = \"203.0.113.16/28\"\n")]
            }
            Self::NewlyInside => &[(Map, "", "[addresses]\n\"203.0.113.2\" = \"198.51.100.70\"\n")],
            Self::PortMisfit => &[(Map, "", "[ports]\nf1 = \"cu6\"\n")],
            Self::PartnerMisfit => &[
                (
                    Backup,
                    "</links>",
                    "<partner at=\"p4\"><peer>192.0.2.200</peer><phrase>a phrase for two</phrase></partner></links>",
                ),
                (Map, "", "[ports]\np4 = \"fx2\"\n"),
            ],
            Self::InheritanceCycle => &[
                (
                    Profile,
                    "at  = \"tunnels/tunnel\"\n",
                    "at  = \"tunnels/tunnel\"\ninherits = { named-by = \"peer\" }\n",
                ),
                (Backup, "<peer>gw.sandle.marrowby.example</peer>", "<peer>to-sandle</peer>"),
            ],
        }
    }
}
