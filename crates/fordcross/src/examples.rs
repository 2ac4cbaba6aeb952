//! The smallest change that leads to each code. A test carries each of them and looks for its code.

use fordcross_core::finding::Code;

/// Which file an example changes, or that it is a matter of the command line.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ExampleIn {
    /// A backup.
    Backup,
    /// The profile of the old platform.
    Profile,
    /// The profile of the receiving platform.
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

/// One change that leads to a finding: where, what is there in the files of the demo (nothing where
/// there is no such file), and what is there then.
pub type Example = (ExampleIn, &'static str, &'static str);

/// The smallest change to the files of the demo that leads to it. Empty for what no small text
/// shows: bytes that are no text, a file that is too large, and a defect of the program itself.
pub fn examples_of(code: Code) -> &'static [Example] {
    use ExampleIn::{Backup, Base, Command, Crossing, Map, NewProfile, Profile};
    const HOST: &str = "{ type = \"host-name\", unit-identity = true }";
    const HEAD: &str = "[crossing]\n";
    match code {
        Code::NotText
        | Code::TooLarge
        | Code::IniMalformed
        | Code::YamlMalformed
        | Code::TableMalformed
        | Code::StatementMalformed
        | Code::Locked
        | Code::PassphraseNeeded
        | Code::PassphraseWrong
        | Code::ArchiveUnsafe
        | Code::PartsWrong
        | Code::HashDiffers
        | Code::SettingUncovered
        | Code::FileMissing
        | Code::NothingIncluded
        | Code::IncludeTaken
        | Code::FileByLines
        | Code::BaseOverrides
        | Code::WeakeningPin
        | Code::OutsideConfiguration
        | Code::DataFilesSkipped
        | Code::LinkOutside
        | Code::LinkFollowed
        | Code::EntryUnreadable
        | Code::EntryPassedOver
        | Code::ResultDiffers => &[],
        Code::TakenInFuture => &[(Backup, "taken=\"2026-", "taken=\"2126-")],
        Code::TakenLongAgo => &[(Backup, "taken=\"2026-", "taken=\"2016-")],
        Code::NotWhole => &[(Backup, "kind=\"full\"", "kind=\"part\"")],
        Code::RedactedCopy => &[(Backup, "kelp &amp; bladderwrack 7 fathoms", "redacted-9c1f02ab-7")],
        Code::XmlMalformed => &[(Backup, "</unit>", "</unti>")],
        Code::XmlDoctype => &[(Backup, "<teasel-backup ", "<!DOCTYPE teasel-backup><teasel-backup ")],
        Code::JsonMalformed => &[(Base, "\"release\": \"2.1\",", "\"release\": \"2.1\"")],
        Code::LanguageEdition => &[(Profile, "language = 2\n", "")],
        Code::TomlMalformed => &[(Map, "", "[ports]\np1 = cu1\n")],
        Code::Unrecognised => &[(Backup, "teasel-backup", "weasel-backup")],
        Code::ReleaseUnlisted => &[(Backup, "firmware=\"4.6\"", "firmware=\"4.7\"")],
        Code::ModelUnknown => &[(Backup, "model=\"20\"", "model=\"25\"")],
        Code::ConfigurationMissing => &[(Command, "", "--configuration candidate")],
        Code::ReleaseTreatedAs => {
            &[(Backup, "firmware=\"4.6\"", "firmware=\"4.7\""), (Command, "", "--from teasel@4.6")]
        }
        Code::KeyUnknown => &[(Profile, "title        = \"Teasel gateway\"", "titel = \"Teasel gateway\"")],
        Code::KeyMissing => &[(Profile, "title        = \"Teasel gateway\"", "")],
        Code::ValueWrong => &[(Profile, "max = 4094", "max = \"4094\"")],
        Code::TypeUnknown => &[(Profile, HOST, "\"host-nam\"")],
        Code::LocatorUnknown => &[(Crossing, "[\"site\", ", "[\"sight\", ")],
        Code::RuleMalformed => &[(Crossing, "from    = \"unit\"", "from = \"unit[\"")],
        Code::CaptureUnknown => &[(Crossing, "[\"side = {s}\",", "[\"side = {side}\",")],
        Code::CaptureUnused => {
            &[(Crossing, "[\"pem\", \"certificate\"]", "[\"pem = {p}\", \"certificate = x\"]")]
        }
        Code::ExpressionWrong => &[(Crossing, "\"!given('at')\"", "\"!gven('at')\"")],
        Code::TypesDiffer => {
            &[(Crossing, "[\"panel-dim\",   \"display-minutes\"]", "[\"panel-dim\", \"resolvers[]\"]")]
        }
        Code::ConflictingRules => {
            &[(Crossing, "[\"time-zone\",   \"timezone\"]", "[\"time-zone\", \"location\"]")]
        }
        Code::RuleHidden => &[(
            Crossing,
            "[\"greeting\",    \"login-text\"]",
            "[\"greeting\", \"login-text\"], [\"greeting = {g}\", \"location = {g}\"]",
        )],
        Code::PlatformUnknown => &[(Command, "", "--to oser/8@2.1")],
        Code::CourseMissing => &[(Command, "", "--to osier/8@2.0")],
        Code::IncludeMissing => &[(Crossing, HEAD, "[crossing]\nshared = [\"words.shared.toml\"]\n")],
        Code::PortOpen => &[(Map, "", "[ports]\np1 = \"?\"\n")],
        Code::StaleReference => {
            &[(Map, "", "[ports]\np3 = \"cu6\"\n"), (Backup, "<site>", "<site>Shed, behind p3, ")]
        }
        Code::PortTwice => &[(Map, "", "[ports]\np1 = \"cu1\"\np2 = \"cu1\"\n")],
        Code::PortUnknown => &[(Map, "", "[ports]\np1 = \"cu9\"\n")],
        Code::PortNotOfModel => &[(Backup, "<link id=\"p3\"", "<link id=\"p9\"")],
        Code::PortLeft => &[(Map, "", "[ports]\np3 = \"leave\"\n")],
        Code::PlaceTaken => &[(Backup, "<site>", "<site>Lower shed</site><site>")],
        Code::ValueUnread => &[(Backup, "<mtu>1500</mtu>", "<mtu>large</mtu>")],
        Code::ValueUnsupported => &[(Backup, "<ip>192.0.2.2</ip>", "<ip>203.0.113.200</ip>")],
        Code::ValueApproximated => &[(Backup, "<panel-dim>120</panel-dim>", "<panel-dim>130</panel-dim>")],
        Code::NoRule => &[(Backup, "<site>", "<tide-clock>2</tide-clock><site>")],
        Code::RequirementUnmet => &[(
            Crossing,
            HEAD,
            "[[require]]\nthat = \"given('links/partner')\"\nwhy = \"the new unit works in pairs only\"\n[crossing]\n",
        )],
        Code::FactAssumed => &[(
            Crossing,
            HEAD,
            "[[ask]]\nfact = \"racks\"\ntype = \"integer\"\ndefault = \"1\"\nwhy = \"count them\"\n[crossing]\n",
        )],
        Code::Notice => &[(Crossing, HEAD, "[[notice]]\ntext = \"the new unit has a fan\"\n[crossing]\n")],
        Code::ExpressionFailed => &[(
            Crossing,
            "[\"site\",        \"location\"]",
            "[\"site = {s}\", \"location = {= 1 / 0 > 0 ? s : s}\"]",
        )],
        Code::Dropped => &[(Backup, "</tunnels>", "</tunnels><foghorn on=\"yes\"/>")],
        Code::ByHand => &[(Backup, "<greeting>", "<panel-code>0000</panel-code><greeting>")],
        Code::BaseUnfit => &[(Base, "\"model\": \"8\"", "\"model\": \"16\"")],
        Code::BaseGrantsAccess => &[(
            Base,
            "\"system\": {",
            "\"accounts\": {\"visitor\": {\"role\": \"administrator\"}}, \"system\": {",
        )],
        Code::BaseNumberTaken => &[
            (Crossing, "replace = [\"subnets\", ", "replace = ["),
            (
                Base,
                "\"system\": {",
                "\"subnets\": {\"s1\": {\"network\": \"198.51.100.0/24\", \"interface\": \"cu1\"}}, \"system\": {",
            ),
        ],
        Code::BaseExtra => {
            &[(Base, "\"system\": {", "\"interfaces\": {\"cu6\": {\"enabled\": false}}, \"system\": {")]
        }
        Code::LimitExceeded => &[(NewProfile, "\"filter/rules\" = 200 }", "\"filter/rules\" = 2 }")],
        Code::NameTooLong => {
            &[(NewProfile, "{ noun = \"subnet\",", "{ noun = \"subnet\", max-name-bytes = 1,")]
        }
        Code::GivenTwice => &[
            (
                Profile,
                "\"site|time-zone\" = \"text\"",
                "\"site|time-zone\" = { type = \"text\", duplicates = \"error\" }",
            ),
            (Backup, "<site>", "<site>Lower shed</site><site>"),
        ],
        Code::ReferenceBroken => &[
            (
                Profile,
                "\"tunnels/tunnel[{name}]\"           = {}",
                "\"tunnels/tunnel[{name}]\" = { inherits = { parent = \"peer\" } }",
            ),
            (Backup, "<peer>gw.sandle.marrowby.example</peer>", "<peer>to-nowhere</peer>"),
        ],
        Code::RuleBroken => &[(Crossing, "subnet = {ip -> subnet}", "subnet = s99")],
        Code::BackupUnsound => &[
            (
                Profile,
                "\"users/user[{name}]\"               = { ",
                "\"users/user[{name}]\" = { required = [\"rank\"], ",
            ),
            (Backup, "<rank>", "<!--"),
            (Backup, "</rank>", "-->"),
        ],
        Code::ConnectivityLost => &[(Backup, "<hash>$6$", "<hash>$5$")],
        Code::LastMemberLeft => &[
            (
                Backup,
                "</links>",
                "<bundle id=\"b1\" on=\"yes\"><side>inner</side><member>p3</member></bundle></links>",
            ),
            (Map, "", "[ports]\np3 = \"leave\"\n"),
        ],
        Code::MapCollision => {
            &[(Map, "", "[addresses]\n\"192.0.2.2\" = \"192.0.2.9\"\n\"192.0.2.3\" = \"192.0.2.9\"\n")]
        }
        Code::MapLengths => &[(Map, "", "[addresses]\n\"192.0.2.0/26\" = \"198.51.100.0/27\"\n")],
        Code::TargetInUse => &[(Map, "", "[addresses]\n\"192.0.2.2\" = \"192.0.2.3\"\n")],
        Code::MapUnused => &[(Map, "", "[addresses]\n\"10.0.0.0/8\" = \"10.0.0.0/8\"\n")],
        Code::PartlyRenumbered | Code::NoLongerInside => {
            &[(Map, "", "[addresses]\n\"192.0.2.16/28\" = \"203.0.113.16/28\"\n")]
        }
        Code::NewlyInside => &[(Map, "", "[addresses]\n\"203.0.113.2\" = \"198.51.100.70\"\n")],
        Code::PortMisfit => &[(Map, "", "[ports]\nf1 = \"cu6\"\n")],
        Code::PartnerMisfit => &[
            (
                Backup,
                "</links>",
                "<partner at=\"p4\"><peer>192.0.2.200</peer><phrase>a phrase for two</phrase></partner></links>",
            ),
            (Map, "", "[ports]\np4 = \"fx2\"\n"),
        ],
        Code::InheritanceCycle => &[
            (
                Profile,
                "\"tunnels/tunnel[{name}]\"           = {}",
                "\"tunnels/tunnel[{name}]\" = { inherits = { parent = \"peer\" } }",
            ),
            (Backup, "<peer>gw.sandle.marrowby.example</peer>", "<peer>to-sandle</peer>"),
        ],
    }
}
