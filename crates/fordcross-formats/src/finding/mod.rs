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
    NotText "not-text" Blocker "a file is not text, or not readable as what it should be"
    TooLarge "too-large" Blocker "a file is larger, or nested deeper, than can be read"
    XmlMalformed "xml-malformed" Blocker "a file is not well-formed XML"
    XmlDoctype "xml-doctype" Blocker "a file has a document type declaration, which is never followed"
    JsonMalformed "json-malformed" Blocker "a file is not well-formed JSON, or repeats a key"
    YamlMalformed "yaml-malformed" Blocker "a file is not well-formed YAML, or more than plain data"
    TableMalformed "table-malformed" Blocker "a table has a row that does not fit its header, or quotes that are not closed"
    StatementMalformed "statement-malformed" Blocker "a file has a block that is not closed, or closes one that is not open"
    Locked "locked" Blocker "an encrypted file cannot be opened"
    PassphraseNeeded "passphrase-needed" Blocker "an encrypted file needs a passphrase, and none was given"
    PassphraseWrong "passphrase-wrong" Blocker "the passphrase of an encrypted file is wrong"
    ArchiveUnsafe "archive-unsafe" Blocker "an archive has a member that could lead out of its folder or hide another"
    PartsWrong "parts-wrong" Blocker "parts of a file are missing, or exist twice"
    HashDiffers "hash-differs" Blocker "a file of a backup does not match the backup's own list of hashes"
    FileMissing "file-missing" Warning "a file that a backup includes is not in it, so its settings are not carried"
    NothingIncluded "nothing-included" Note "a backup includes files by a pattern that matches none"
    IncludeTaken "include-taken" Warning "a file of a backup is assumed to be the one that an absolute path names"
    FileByLines "file-by-lines" Note "a file is known by what its lines begin with, and not by its name"
    TakenInFuture "taken-in-future" Warning "the backup is dated in the future"
    TakenLongAgo "taken-long-ago" Note "the backup is old"
    NotWhole "not-whole" Warning "the backup is partial"
    RedactedCopy "redacted-copy" Blocker "the backup is a redacted copy, and cannot be carried"
    OutsideConfiguration "outside-configuration" Note "files are next to the folder of the configuration, and not part of it"
    LinkOutside "link-outside" Blocker "a file of a backup is a link out of its folder, and was not read"
    LinkFollowed "link-followed" Note "files of a backup are links, and their targets were read"
    EntryUnreadable "entry-unreadable" Blocker "a file of a backup cannot be read"
    EntryPassedOver "entry-passed-over" Note "an entry in the folder of a backup is not a file, and was not read"
    DataFilesSkipped "data-files-skipped" Note "files of a backup are data according to its profile, and were not read"
    IniMalformed "ini-malformed" Blocker "a line of a file is neither a heading, a key with a value, nor a comment"
    TomlMalformed "toml-malformed" Blocker "a profile, crossing or map is not well-formed TOML"
    LanguageEdition "language-edition" Blocker "a profile or crossing is written in another edition of the language"
    Unrecognised "unrecognised" Blocker "no profile recognises the file"
    ReleaseUnlisted "release-unlisted" Blocker "the profile does not list the backup's release"
    ModelUnknown "model-unknown" Blocker "the profile does not list the model"
    ConfigurationMissing "configuration-missing" Blocker "the backup does not have the requested configuration"
    ReleaseTreatedAs "release-treated-as" Warning "the backup's release is not listed and was read as a listed one, as asked"
    // Profiles and crossings
    KeyUnknown "key-unknown" Blocker "a profile, crossing or map has an unknown key"
    KeyMissing "key-missing" Blocker "a profile, crossing or map lacks a key"
    ValueWrong "value-wrong" Blocker "a key has a value of the wrong kind or out of range"
    TypeUnknown "type-unknown" Blocker "a type that is neither built in nor declared by the profile"
    LocatorUnknown "locator-unknown" Blocker "a rule refers to a path that the profile does not have"
    RuleMalformed "rule-malformed" Blocker "a shape, pattern or rule cannot be read"
    CaptureUnknown "capture-unknown" Blocker "a rule uses a capture that is not defined before it"
    CaptureUnused "capture-unused" Blocker "a rule defines a capture that it never uses"
    ExpressionWrong "expression-wrong" Blocker "an expression cannot be read, or refers to something that does not exist"
    TypesDiffer "types-differ" Blocker "a rule moves a value to a type that can never hold it"
    ConflictingRules "conflicting-rules" Warning "two rules of a crossing write the same place"
    SettingUncovered "setting-uncovered" Warning "a crossing does not cover what is new in its release"
    RuleHidden "rule-hidden" Blocker "an earlier rule always takes what this one asks for"
    PlatformUnknown "platform-unknown" Blocker "there is no profile of that platform"
    CourseMissing "course-missing" Blocker "no path of crossings leads from the backup's release to the target"
    IncludeMissing "include-missing" Blocker "a crossing includes a file that does not exist"
    // Mapping
    PortOpen "port-open" Blocker "an old port with settings is not mapped"
    StaleReference "stale-reference" Warning "an old port, path or address is still in free text"
    PortTwice "port-twice" Blocker "two old ports are mapped to the same new one"
    MapCollision "map-collision" Blocker "the map makes two old paths or addresses the same"
    MapLengths "map-lengths" Blocker "the map gives a network one of another size"
    TargetInUse "target-in-use" Blocker "the map uses an address or path that the backup uses for something else"
    MapUnused "map-unused" Warning "an entry of the map matches nothing in the backup"
    PartlyRenumbered "partly-renumbered" Warning "a network that is wider than an entry of the map is unchanged"
    NoLongerInside "no-longer-inside" Warning "an address is now outside the network that contained it"
    NewlyInside "newly-inside" Warning "an address is now inside a network that did not contain it"
    PortMisfit "port-misfit" Warning "the map assigns a port of another medium, role or speed"
    PartnerMisfit "partner-misfit" Blocker "the map assigns a port of another medium to the link to the partner"
    PortUnknown "port-unknown" Blocker "the map names a port that the model does not have"
    PortNotOfModel "port-not-of-model" Warning "the backup uses a port that its own model does not have"
    PortLeft "port-left" Note "the map leaves out a port, with all that refers to it"
    // Carrying
    ConnectivityLost "connectivity-lost" Warning "what makes the unit reachable, or reaches others, does not arrive"
    LastMemberLeft "last-member-left" Warning "the map leaves out the last member of something"
    PlaceTaken "place-taken" Warning "two settings would be written to the same path with different values"
    ValueUnread "value-unread" Warning "an old value cannot be read as its type"
    ValueUnsupported "value-unsupported" Warning "the target does not support the value"
    ValueApproximated "value-approximated" Warning "a value had to be rounded, clamped or shortened"
    NoRule "no-rule" Warning "no rule covers a setting"
    RequirementUnmet "requirement-unmet" Blocker "a requirement of the crossing is not met"
    FactAssumed "fact-assumed" Note "a question of the crossing was not answered, and its default is used"
    Notice "notice" Note "a message of the crossing for a person"
    ExpressionFailed "expression-failed" Warning "an expression has no value for a setting"
    Dropped "dropped" Warning "the target has no equivalent for a setting"
    ByHand "by-hand" Warning "a person must set something on the new system"
    WeakeningPin "weakening-pin" Warning "an old default is written out that weakens the new system"
    BaseUnfit "base-unfit" Blocker "the base is not an export of the target's platform, release and model"
    BaseGrantsAccess "base-grants-access" Warning "the base grants access that the backup does not"
    BaseOverrides "base-overrides" Warning "a file of the base takes precedence over what was written"
    BaseNumberTaken "base-number-taken" Warning "the base has another object of a name that the crossing made by counting"
    BaseExtra "base-extra" Note "the base has settings that the backup does not have"
    LimitExceeded "limit-exceeded" Blocker "the result has more of something than the model supports"
    NameTooLong "name-too-long" Blocker "a name in the result is longer than the target allows"
    GivenTwice "given-twice" Warning "a setting is given again where the platform allows one"
    ReferenceBroken "reference-broken" Warning "an object inherits from one that does not exist"
    RuleBroken "rule-broken" Warning "the result breaks a rule of the target"
    BackupUnsound "backup-unsound" Note "the backup breaks a rule of its own platform"
    InheritanceCycle "inheritance-cycle" Warning "an object inherits from itself"
    ResultDiffers "result-differs" Blocker "the result read back differs from the ledger"
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
    /// The value of that setting, where it is no secret.
    pub value: Option<String>,
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
            value: None,
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
            message += "; it was the same in the backup";
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
                Some(format!("it was accepted as `{before}` and has changed: check it again, and write `shows = \"{shows}\"`").into())
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
