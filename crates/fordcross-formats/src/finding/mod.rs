//! What a person should know: a stable code, a severity, a place and a remedy.

mod fact;
mod remedy;
mod suggest;

pub use crate::facts;
pub use fact::{DeclaredText, Fact};
pub use remedy::{Choice, Remedy, RemedyPart};
pub use suggest::{AllOf, Count, OneOf, Suggestion, all_of, count, one_of};

use crate::text::source::{LineIndex, Position, Source, Span};
use std::sync::Arc;

/// How much a finding matters.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Severity {
    /// Nothing is written until it is resolved.
    Blocker,
    /// Something changed its meaning, or was lost, or needs a person.
    Warning,
    /// Good to know.
    Note,
}

impl Severity {
    /// All severities, the gravest first.
    pub const ALL: [Self; 3] = [Self::Blocker, Self::Warning, Self::Note];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Blocker => "blocker",
            Self::Warning => "warning",
            Self::Note => "note",
        }
    }
}

macro_rules! codes {
    ($($variant:ident $code:literal $severity:ident $about:literal)*) => {
        /// The kind of a finding. A code names the fact, never the fix, and is never used again for
        /// another meaning.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
        pub enum Code { $(#[doc = $about] $variant,)* }

        impl Code {
            /// All codes, in the order of their areas.
            pub const ALL: &[Self] = &[$(Self::$variant,)*];

            /// The code as it is printed.
            pub fn name(self) -> &'static str { match self { $(Self::$variant => $code,)* } }

            /// What the code says, in one line.
            pub fn about(self) -> &'static str { match self { $(Self::$variant => $about,)* } }

            /// The code of that name.
            pub fn find(name: &str) -> Option<Self> {
                Self::ALL.iter().copied().find(|code| code.name() == name)
            }

            /// How much it matters unless a person says otherwise.
            pub fn severity(self) -> Severity { match self { $(Self::$variant => Severity::$severity,)* } }
        }
    };
}

codes! {
    // Inputs
    NotText "not-text" Blocker "a file is not UTF-8 text"
    TooLarge "too-large" Blocker "a file is larger, or nested deeper, than can be read"
    XmlMalformed "xml-malformed" Blocker "a file is not well-formed XML"
    XmlDoctype "xml-doctype" Blocker "a file has a document type declaration, which is never followed"
    JsonMalformed "json-malformed" Blocker "a file is not well-formed JSON, or repeats a key"
    YamlMalformed "yaml-malformed" Blocker "a file is not well-formed YAML, or more than plain data"
    TableMalformed "table-malformed" Blocker "a table has a row that does not fit its header, or quotes that are not closed"
    StatementMalformed "statement-malformed" Blocker "a file has a block that is not closed, or closes one that is not open"
    Locked "locked" Blocker "an encrypted file cannot be opened"
    PassphraseNeeded "passphrase-needed" Blocker "an encrypted file needs a passphrase, and none was given"
    PassphraseWrong "passphrase-wrong" Blocker "the passphrase is not the one that a file was encrypted with"
    ArchiveUnsafe "archive-unsafe" Blocker "an archive has a member that could lead out of its folder or hide another"
    PartsWrong "parts-wrong" Blocker "parts of a file are missing, or there twice"
    HashDiffers "hash-differs" Blocker "a file of a backup is not what the backup's own list of hashes says"
    FileMissing "file-missing" Warning "a file that a backup includes is not in it, so its settings are not carried"
    NothingIncluded "nothing-included" Note "a backup includes files by a pattern, and holds none that fits it"
    IncludeTaken "include-taken" Warning "a file of a backup stands in for one that an absolute path names"
    TakenInFuture "taken-in-future" Warning "the backup says that it was taken on a day to come"
    TakenLongAgo "taken-long-ago" Note "the backup is older than it should be"
    NotWhole "not-whole" Warning "the backup is of a kind that does not hold everything"
    RedactedCopy "redacted-copy" Blocker "the backup is a copy whose secrets are hidden, and cannot be carried"
    OutsideConfiguration "outside-configuration" Note "files stand beside the folder of the configuration, and are no part of it"
    LinkOutside "link-outside" Blocker "a file of a backup is a link out of its folder, and was not read"
    LinkFollowed "link-followed" Note "files of a backup are links, and what they lead to was read"
    EntryUnreadable "entry-unreadable" Blocker "a file of a backup cannot be read"
    EntryPassedOver "entry-passed-over" Note "something in the folder of a backup is no file, and was not read"
    DataPassedOver "data-passed-over" Note "files of a backup are data by its profile, and were not read"
    IniMalformed "ini-malformed" Blocker "a line of a file is neither heading, nor key and value, nor comment"
    TomlMalformed "toml-malformed" Blocker "a profile, crossing or map is not well-formed TOML"
    Unrecognised "unrecognised" Blocker "no profile recognises the file"
    ReleaseUnlisted "release-unlisted" Blocker "the profile does not list the backup's release"
    ModelUnknown "model-unknown" Blocker "the profile does not list the model"
    ConfigurationMissing "configuration-missing" Blocker "a configuration was asked for that the backup does not have"
    ReleaseTreatedAs "release-treated-as" Warning "the backup's release is not listed and was read as one that is, as asked"
    // Profiles and crossings
    KeyUnknown "key-unknown" Blocker "a profile, crossing or map has a key that means nothing there"
    KeyMissing "key-missing" Blocker "a profile, crossing or map lacks a key that must be there"
    ValueWrong "value-wrong" Blocker "a key has a value of the wrong kind or outside what is allowed"
    TypeUnknown "type-unknown" Blocker "a type that is neither built in nor declared by the profile"
    LocatorUnknown "locator-unknown" Blocker "a rule speaks of a place that the profile does not have"
    RuleMalformed "rule-malformed" Blocker "a shape, pattern or rule cannot be read"
    CaptureUnknown "capture-unknown" Blocker "a rule uses a capture that nothing before it makes"
    CaptureUnused "capture-unused" Blocker "a rule makes a capture that it never uses"
    ExpressionWrong "expression-wrong" Blocker "an expression cannot be read, or asks for what is not there"
    TypesDiffer "types-differ" Blocker "a rule moves a value to a type that can never hold it"
    PlaceContested "place-contested" Warning "two rules of a crossing write one place"
    SettingUnspoken "setting-unspoken" Warning "a crossing says nothing of what is new in its release"
    RuleHidden "rule-hidden" Blocker "an earlier rule always takes what this one asks for"
    PlatformUnknown "line-unknown" Blocker "there is no profile of that line"
    CourseMissing "course-missing" Blocker "no crossing leads from the backup's release to the receiving one"
    IncludeMissing "include-missing" Blocker "a crossing includes a file that is not there"
    // Mapping
    PortOpen "port-open" Blocker "an old port has settings and no partner"
    OldNameLeft "old-name-left" Warning "an old port, path or address still stands in a free text"
    PortTwice "port-twice" Blocker "two old ports are given the same new one"
    MapCollision "map-collision" Blocker "the map makes one of two old paths or addresses"
    MapLengths "map-lengths" Blocker "the map gives a network one of another length"
    TargetInUse "target-in-use" Blocker "the map gives an address or path that the backup uses for something else"
    MapUnused "map-unused" Warning "an entry of the map fits nothing in the backup"
    PartlyRenumbered "partly-renumbered" Warning "a network that is wider than an entry of the map stays as it is"
    NoLongerInside "no-longer-inside" Warning "an address leaves the network that held it"
    NewlyInside "newly-inside" Warning "an address falls into a network that did not hold it"
    PortMisfit "port-misfit" Warning "the map gives a port one of another medium, role or speed"
    PartnerMisfit "partner-misfit" Blocker "the map gives the link to the partner a port of another medium"
    PortUnknown "port-unknown" Blocker "the map names a port that the model does not have"
    PortNotOfModel "port-not-of-model" Warning "the backup names a port that its own model does not have"
    PortLeft "port-left" Note "an old port was left out by the map, with all that names it"
    // Carrying
    ConnectivityLost "connectivity-lost" Warning "what the unit is reached by, or reaches others by, does not arrive"
    LastMemberLeft "last-member-left" Warning "the map leaves out the last member of something"
    PlaceTaken "place-taken" Warning "two settings want the same place with different values"
    ValueUnread "value-unread" Warning "an old value cannot be read as its type"
    ValueUnfit "value-unfit" Warning "the new system cannot hold the value"
    ValueApproximated "value-approximated" Warning "a value had to be rounded, clamped or shortened"
    NoRule "no-rule" Warning "no rule speaks of a setting"
    RequirementUnmet "requirement-unmet" Blocker "something that the crossing requires does not hold"
    FactAssumed "fact-assumed" Note "a fact that the backup does not hold was not answered, and its default taken"
    Notice "notice" Note "something that a crossing wants a person to know"
    ExpressionFailed "expression-failed" Warning "an expression has no value for a setting"
    Dropped "dropped" Warning "the new system has no place for a setting"
    ByHand "by-hand" Warning "a person must set something on the new system"
    BaseUnfit "base-unfit" Blocker "the base is not an export of the receiving line, release and model"
    BaseAdmits "base-admits" Warning "the base lets somebody or something in of which the backup says nothing"
    BaseOverrides "base-overrides" Warning "a file of the base counts before what was written"
    BaseBeyond "base-beyond" Note "the base has settings of which the backup says nothing"
    LimitExceeded "limit-exceeded" Blocker "the result has more of something than the model holds"
    NameTooLong "name-too-long" Blocker "a name in the result is longer than the receiving line takes it"
    GivenTwice "given-twice" Warning "something is given again that the line has once"
    ReferenceBroken "reference-broken" Warning "an object takes over from one that is not there"
    RuleBroken "rule-broken" Warning "the result breaks a rule of the receiving line"
    BackupUnsound "backup-unsound" Note "the backup breaks a rule of its own line"
    InheritanceCycle "inheritance-cycle" Warning "an object inherits from itself"
    ResultDiffers "result-differs" Blocker "the result does not read back to what the ledger says"
}

/// A place in a file, for people.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Location {
    /// The file's name.
    pub file: String,
    /// The bytes.
    pub span: Span,
    /// Where they begin.
    pub at: Position,
}

impl Location {
    /// The location of `span` in `source`. Reads the lines before it: use [`Location::indexed`] for many.
    pub fn new(source: Source<'_>, span: Span) -> Self {
        Self::indexed(&LineIndex::new(source), span)
    }

    /// The beginning of a file, for what holds of all of it.
    pub fn of_file(name: &str) -> Self {
        Self::new(Source::new(name, ""), Span::default())
    }

    /// The same as [`Location::new`] with a ready index of lines.
    pub fn indexed(lines: &LineIndex<'_>, span: Span) -> Self {
        Self { file: lines.file_at(span.start).to_owned(), span, at: lines.position(span.start) }
    }
}

impl std::fmt::Display for Location {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}:{}:{}", self.file, self.at.line, self.at.column)
    }
}

/// One finding.
#[derive(Clone, Debug)]
pub struct Finding {
    /// What it says.
    fact: Arc<dyn Fact>,
    /// How much it matters.
    pub severity: Severity,
    /// Where.
    pub location: Option<Location>,
    /// The locator of the setting or object, if it is about one.
    pub locator: Option<String>,
    /// File and line of the rule that decided.
    pub rule: Option<String>,
    /// How many of the same it speaks of.
    pub count: usize,
    /// Where it is besides `place`.
    pub others: Vec<Site>,
    /// The entry of the map that is behind it, as `file:line`.
    pub map: Option<String>,
    /// Whether a person may pass it with a reason, though it blocks.
    pub acceptable: bool,
    /// What a person said of it who looked at it before.
    pub acceptance: Option<Acceptance>,
    /// Whether the backup broke the same rule of the result.
    pub was_in_backup: bool,
}

/// What a person said of a finding that may be passed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Acceptance {
    /// It is passed, for this reason.
    Holds {
        /// The person's own words.
        reason: String,
    },
    /// It was passed when it said something else.
    Outdated {
        /// The digits of what it said then.
        shows: String,
    },
}

/// A location of a finding, with what is there.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Site {
    /// Where.
    pub location: Option<Location>,
    /// The locator of the setting or object.
    pub locator: Option<String>,
}

impl Finding {
    /// A finding of its code's own severity, without a place.
    pub fn new(fact: impl Fact + 'static) -> Self {
        Self::shared(Arc::new(fact))
    }

    /// The same with a fact that several findings share.
    pub fn shared(fact: Arc<dyn Fact>) -> Self {
        Self {
            severity: fact.code().severity(),
            fact,
            location: None,
            locator: None,
            rule: None,
            count: 1,
            others: Vec::new(),
            map: None,
            acceptable: false,
            acceptance: None,
            was_in_backup: false,
        }
    }

    /// What kind.
    pub fn code(&self) -> Code {
        self.fact.code()
    }

    /// The sentence, with what is known of it besides.
    pub fn message(&self) -> String {
        let mut message = self.fact.to_string();
        if self.was_in_backup {
            message += "; so it was in the backup, too";
        }
        if let Some(Acceptance::Holds { reason }) = &self.acceptance {
            message += "; accepted: ";
            message += reason;
        }
        message
    }

    /// What to do.
    pub fn remedy(&self) -> Option<Remedy> {
        match &self.acceptance {
            Some(Acceptance::Outdated { shows: before }) => {
                let shows = self.shows();
                Some(format!("it was accepted as `{before}` and says something else now: look again, and write `shows = \"{shows}\"`").into())
            }
            _ => self.fact.remedy(),
        }
    }

    /// Puts it at these places, the first before all others.
    pub fn put_at(&mut self, sites: Vec<Site>) {
        let mut sites = sites.into_iter();
        if let Some(first) = sites.next() {
            (self.location, self.locator) = (first.location, first.locator);
        }
        self.others = sites.collect();
    }

    /// The code as people and programs know it.
    pub fn code_name(&self) -> &str {
        self.fact.name()
    }

    /// The code that a profile gave it, if it is a profile's.
    pub fn declared_code(&self) -> Option<&str> {
        Some(self.fact.name()).filter(|name| *name != self.code().name())
    }

    /// What a person names it by who accepts it: its code, and the locator that it is about.
    pub fn id(&self) -> String {
        match &self.locator {
            Some(locator) => format!("{} {locator}", self.code_name()),
            None => self.code_name().to_owned(),
        }
    }

    /// Eight digits that differ when what it says does. Messages hold no secrets.
    pub fn shows(&self) -> String {
        blake3::hash(self.message().as_bytes()).to_hex()[..8].to_owned()
    }

    /// With its place.
    #[must_use]
    pub fn at(mut self, source: Source<'_>, span: Span) -> Self {
        self.location = Some(Location::new(source, span));
        self
    }

    /// With a file as its place, for what holds of all of it.
    #[must_use]
    pub fn of_file(mut self, name: &str) -> Self {
        self.location = Some(Location::of_file(name));
        self
    }
}

impl PartialEq for Finding {
    /// Whether both say the same of the same place.
    fn eq(&self, other: &Self) -> bool {
        let at = |finding: &Self| (finding.location.clone(), finding.locator.clone(), finding.others.clone());
        let by = |finding: &Self| (finding.rule.clone(), finding.map.clone(), finding.count);
        let said = |finding: &Self| (finding.severity, finding.message(), finding.remedy());
        self.code_name() == other.code_name()
            && self.acceptable == other.acceptable
            && at(self) == at(other)
            && by(self) == by(other)
            && said(self) == said(other)
    }
}

/// How much a code matters to a person. A code of a profile has the platform in front: `osier/subnets-overlap`.
pub type SeverityOverride = (String, Severity);

/// Gives findings the severity that a person gave their codes. What blocks keeps blocking, whoever says otherwise:
/// a blocker is resolved by a decision, not by looking away.
pub fn apply_severities(findings: &mut [Finding], severities: &[SeverityOverride]) {
    for finding in findings.iter_mut().filter(|finding| finding.severity != Severity::Blocker) {
        if let Some((_, severity)) = severities.iter().find(|(code, _)| *code == finding.code_name()) {
            finding.severity = *severity;
        }
    }
}

/// Where findings go while a stage runs.
pub type Findings = Vec<Finding>;

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::HashSet;

    #[test]
    fn codes_are_unique_and_described() {
        let names: HashSet<_> = Code::ALL.iter().map(|code| code.name()).collect();
        assert_eq!(names.len(), Code::ALL.len());
        for code in Code::ALL {
            let kebab = |c: char| c.is_ascii_lowercase() || c == '-';
            assert!(code.name().chars().all(kebab), "{}", code.name());
            assert!(!code.about().is_empty() && !code.about().ends_with('.'), "{}", code.name());
        }
    }
}
