//! What `map` and `carry` share: the backup, both profiles, the receiving model, the crossing.

use crate::arguments::{ConversionArgs, General, Reading, WhichConfiguration};
use crate::backup_file::{InputFile, read_backup};
use crate::facts::GivenFact;
use crate::folder::remark_findings;
use crate::library;
use crate::sources::Sources;
use crate::status::Failed;
use fordcross_core::backup::{Backup, Configuration};
use fordcross_core::carry::Threads;
use fordcross_core::carry::{Scan, mapping_leg};
use fordcross_core::course::Leg;
use fordcross_core::crossing::{Crossing, Side};
use fordcross_core::finding::{Count, Finding, Severity, SeverityOverride, Suggestion};
use fordcross_core::library::{CrossingFile, Library, ProfileFile};
use fordcross_core::mapping::{Grounds, MapFile, MapUse, PortUse, Proposal, marked_ports};
use fordcross_core::opening::Outcome;
use fordcross_core::platform::{ReadAs, read};
use fordcross_core::profile::{Model, Profile};
use fordcross_core::source::{Content, Span};
use fordcross_core::survey::taken_findings;
use std::io::Read;
use std::path::PathBuf;

/// Where the settings are to go, as it was typed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Receiver {
    pub(crate) platform: String,
    pub(crate) model: Option<String>,
    pub(crate) release: String,
}

impl Receiver {
    pub(crate) fn parse(text: &str) -> Result<Self, Failed> {
        let parsed = text.split_once('@').filter(|(unit, release)| !unit.is_empty() && !release.is_empty());
        let Some((unit, release)) = parsed else {
            return Err(Failed::usage(format!("`{text}` is not a complete target"))
                .help("write PLATFORM/MODEL@RELEASE, such as `osier/8@2.1`"));
        };
        let (platform, model) = match unit.split_once('/') {
            Some((platform, model)) => (platform, Some(model.to_owned())),
            None => (unit, None),
        };
        Ok(Self { platform: platform.to_owned(), model, release: release.to_owned() })
    }
}

impl std::fmt::Display for Receiver {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match &self.model {
            Some(model) => write!(f, "{}/{model}@{}", self.platform, self.release),
            None => write!(f, "{}@{}", self.platform, self.release),
        }
    }
}

/// Everything but the backup itself, which borrows from its file.
pub(crate) struct Inputs {
    pub(crate) library: Library,
    pub(crate) file: InputFile,
    pub(crate) receiver: Receiver,
}

pub(crate) fn load(general: &General, way: &ConversionArgs, input: &mut dyn Read) -> Result<Inputs, Failed> {
    let receiver = Receiver::parse(&way.to)?;
    let library = library::load(&general.profiles)?;
    check_severities(&general.severity, &library)?;
    let file = read_backup(&way.backup, input, &way.reading, &library)?;
    Ok(Inputs { library, file, receiver })
}

/// Codes of profiles must be ones, and what blocks by a rule is passed by a reason in the map and not by looking away.
fn check_severities(severities: &[SeverityOverride], library: &Library) -> Result<(), Failed> {
    for (code, severity) in severities {
        let Some((platform, rule)) = code.split_once('/') else { continue };
        let profile = parse(library.profile(platform)?)?;
        let codes = profile.rule_codes();
        let Some(known) = codes.iter().find(|known| known.0 == rule) else {
            let known: Vec<&str> = codes.iter().map(|known| known.0).collect();
            return Err(Failed::usage(format!("the profile of {platform} has no rule `{rule}`"))
                .help(Suggestion::among(rule, known).to_string()));
        };
        if known.1 == Severity::Blocker && *severity != Severity::Blocker {
            let message = format!("`{code}` blocks, and a blocker cannot be lowered");
            return Err(Failed::usage(message).help(
                "where the rule is wrong, accept the finding in the map: `[[accept]]` with `finding`, `shows` and a `reason`",
            ));
        }
    }
    Ok(())
}

/// The way from a backup to a receiving unit.
pub(crate) struct Plan<'l> {
    pub(crate) backup: Backup<'l>,
    pub(crate) course: Vec<Leg>,
    /// The files that the course is made of: profiles, then crossings.
    pub(crate) profile_files: Vec<&'l ProfileFile>,
    pub(crate) crossing_files: Vec<&'l CrossingFile>,
    /// What was noticed on the way here.
    pub(crate) notices: Vec<Finding>,
}

impl Inputs {
    pub(crate) fn ready(&self, general: &General, way: &ConversionArgs) -> Result<Plan<'_>, Failed> {
        let (mut backup, old, old_file) = open(&self.file, &self.library, way.reading.from.as_ref())?;
        backup.choose(
            &old,
            match way.configuration {
                WhichConfiguration::Active => Configuration::Active,
                WhichConfiguration::Candidate => Configuration::Candidate,
            },
        )?;
        let new_file = self.library.profile(&self.receiver.platform)?;
        let new = parse(new_file)?;
        let mut findings = Vec::new();
        if let Err(finding) = new.release(&self.receiver.release) {
            findings.push(*finding);
        }
        match &self.receiver.model {
            Some(model) => findings.extend(new.model(model).err().map(|finding| *finding)),
            None if !new.models.is_empty() => {
                let known: Vec<String> = new.models.iter().map(|model| format!("`{}`", model.name)).collect();
                findings.push(Finding::new(GivenFact::NoModel {
                    title: new.title.clone(),
                    platform: new.platform.clone(),
                    release: self.receiver.release.clone(),
                    models: known.join(", "),
                }));
            }
            None => {}
        }
        if !findings.is_empty() {
            return Err(findings.into());
        }
        let from = Side { platform: old.platform.clone(), release: backup.identity.read_as.clone() };
        let to = Side { platform: new.platform.clone(), release: self.receiver.release.clone() };
        let crossing_files = self.library.course(&from, &to)?;
        let course = self.library.legs(&from, &crossing_files).map_err(|findings| {
            let mut sources = Sources::default();
            crossing_files.iter().for_each(|file| sources.add(&file.file, &file.text));
            self.library.shared().iter().for_each(|(name, text)| sources.add(name, text));
            Failed::Findings(findings, sources)
        })?;
        let mut profile_files = vec![old_file];
        for leg in &course {
            let file = self.library.profile(&leg.new.platform)?;
            if !profile_files.iter().any(|known| known.platform == file.platform) {
                profile_files.push(file);
            }
        }
        let mut notices = hash_findings(&self.file);
        notices.extend(treated_as(&backup));
        notices.extend(taken_findings(&backup, general.today(), way.stale_after));
        notices.extend(data_finding(&self.file));
        notices.extend(remark_findings(&self.file.name, &self.file.remarks));
        notices.extend(self.file.reported.iter().cloned());
        notices.extend(backup.guessed_files(&old));
        Ok(Plan { backup, course, profile_files, crossing_files, notices })
    }
}

impl Plan<'_> {
    pub(crate) fn old(&self) -> &Profile {
        &self.course[0].old
    }

    pub(crate) fn new_profile(&self) -> &Profile {
        &self.course[self.course.len() - 1].new
    }

    /// The crossing that the map is for.
    pub(crate) fn mapping_crossing(&self) -> &Crossing {
        &self.course[mapping_leg(&self.course)].crossing
    }

    /// Proposals for the ports that are used. A base is an export of the receiving unit.
    pub(crate) fn propose(
        &self,
        used: &[PortUse],
        model: Option<&Model>,
        (map, purpose): (&MapFile, MapUse),
        base: Option<&Backup<'_>>,
        same_names: bool,
    ) -> (Vec<Proposal>, Vec<Finding>) {
        let own = base.map(|_| marked_ports(&self.backup, self.old())).unwrap_or_default();
        let there = base.map(|base| marked_ports(base, self.new_profile())).unwrap_or_default();
        let grounds = Grounds {
            used,
            old: self.old_model(),
            new: model,
            crossing: self.mapping_crossing(),
            purpose,
            marked: (&own, &there),
            same_names,
        };
        map.propose(&grounds, &self.backup)
    }

    /// The first walk over the backup.
    pub(crate) fn walk(&self) -> Scan {
        std::thread::scope(|scope| {
            // Lines are asked for later. They can be counted meanwhile, which does not depend on the walk.
            scope.spawn(|| self.backup.lines());
            Scan::new(&self.backup.tree, self.old(), &self.course[0].crossing)
        })
    }

    pub(crate) fn old_model(&self) -> Option<&Model> {
        self.backup.identity.model.as_deref().and_then(|name| self.old().model(name).ok())
    }

    pub(crate) fn new_model(&self, receiver: &Receiver) -> Option<&Model> {
        receiver.model.as_deref().and_then(|name| self.new_profile().model(name).ok())
    }

    /// The old unit, written like `--to`.
    pub(crate) fn from(&self) -> String {
        let release = &self.backup.identity.release;
        match &self.backup.identity.model {
            Some(model) => format!("{}/{model}@{release}", self.old().platform),
            None => format!("{}@{release}", self.old().platform),
        }
    }
}

/// Reads and recognises a backup.
pub(crate) fn open<'l>(
    file: &'l InputFile,
    library: &'l Library,
    said: Option<&ReadAs>,
) -> Result<(Backup<'l>, Profile, &'l ProfileFile), Failed> {
    open_release(file, library, said, said.and_then(|said| said.release.as_deref()))
}

/// The same; `release` is that which it is read as.
fn open_release<'l>(
    file: &'l InputFile,
    library: &'l Library,
    said: Option<&ReadAs>,
    release: Option<&str>,
) -> Result<(Backup<'l>, Profile, &'l ProfileFile), Failed> {
    let (tree, profile_file) = read(file.source(), library, said)?;
    if file.is_folder && !profile_file.format.is_several() {
        return Err(Failed::message(format!("`{}` is a folder; name the backup file in it", file.name)));
    }
    let whole = parse(profile_file)?;
    let backup = Backup::new(tree, whole, release)?;
    let profile = whole.at(&backup.identity.read_as)?;
    Ok((backup, profile, profile_file))
}

pub(crate) fn parse(file: &ProfileFile) -> Result<&Profile, Failed> {
    reported(file, file.parse())
}

/// What is wrong with a profile, with its text to show.
pub(crate) fn reported<P>(file: &ProfileFile, parsed: Result<P, Vec<Finding>>) -> Result<P, Failed> {
    parsed.map_err(|findings| {
        let mut sources = Sources::default();
        sources.add(&file.file, &file.text);
        Failed::Findings(findings, sources)
    })
}

/// Files of a backup that are not what its own lists of hashes say.
pub(crate) fn hash_findings(file: &InputFile) -> Vec<Finding> {
    let reported = file.checked.iter().filter(|checked| checked.outcome != Outcome::Same).map(|checked| {
        let (path, list) = (checked.path.clone(), checked.list.clone());
        let fact = if checked.outcome == Outcome::Missing {
            GivenFact::ListedMissing { path, list }
        } else {
            GivenFact::HashDiffers { path, list }
        };
        Finding::new(fact).of_file(&format!("{}/{}", file.name, checked.path))
    });
    reported.collect()
}

/// That files of a folder were not read.
pub(crate) fn data_finding(file: &InputFile) -> Option<Finding> {
    let first = file.passed_over.first()?;
    let files = Count(file.passed_over.len(), "file");
    Some(Finding::new(GivenFact::DataFilesSkipped { files, first: first.clone() }))
}

/// That a backup was read as another release than it says.
pub(crate) fn treated_as(backup: &Backup<'_>) -> Option<Finding> {
    let identity = &backup.identity;
    (identity.release != identity.read_as).then(|| {
        let (says, read_as) = (identity.release.clone(), identity.read_as.clone());
        Finding::new(GivenFact::TreatedAs { says, read_as })
    })
}

/// Reads a base, if there is one: a file, or the folders of one configuration. Of how the backup is read, what is no fact of
/// the backup holds for the base, too.
pub(crate) fn read_base(
    paths: &[PathBuf],
    reading: &Reading,
    inputs: &Inputs,
    input: &mut dyn Read,
) -> Result<Option<InputFile>, Failed> {
    let Some((path, also)) = paths.split_first() else { return Ok(None) };
    let reading = Reading {
        also: also.to_vec(),
        follow_links: reading.follow_links,
        max_unpacked: reading.max_unpacked,
        max_memory: reading.max_memory,
        ..Reading::default()
    };
    read_backup(path, input, &reading, &inputs.library).map(Some)
}

/// Reads and recognises a base, which must be of the receiving platform, release and model.
pub(crate) fn open_base<'l>(file: &'l InputFile, inputs: &'l Inputs) -> Result<Backup<'l>, Failed> {
    // One that does not say its release is of the one that it is given for.
    let release = Some(inputs.receiver.release.as_str());
    let opened =
        open_release(file, &inputs.library, None, release).or_else(|_| open(file, &inputs.library, None));
    let (base, profile, _) = opened?;
    if file.pieces.iter().any(|piece| piece.content == Content::Database) {
        let finding = Finding::new(GivenFact::BaseWithDatabase { title: profile.title.clone() });
        return Err(vec![finding.at(file.source(), Span::default())].into());
    }
    let receiver = &inputs.receiver;
    let found = Receiver {
        platform: profile.platform.clone(),
        model: base.identity.model.clone(),
        release: base.identity.release.clone(),
    };
    if found == *receiver {
        return Ok(base);
    }
    let (base, target) = (found.to_string(), receiver.to_string());
    let finding = Finding::new(GivenFact::OtherBase { base, target });
    Err(vec![finding.at(file.source(), Span::default())].into())
}

/// A second thread is of use where there is a second processor.
pub(super) fn threads() -> Threads {
    let processors = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    if processors == 1 { Threads::One } else { Threads::Two }
}
