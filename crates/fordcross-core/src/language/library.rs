//! The profiles and crossings at hand, and what leads from one release to another.

use super::facts::LanguageFact;
use crate::finding::{Finding, Findings, Suggestion};
pub use crate::language::checking::Checking;
use crate::language::crossing::{Crossing, Side, crossing_sides};
use crate::language::profile::{Format, Profile};
use crate::text::source::Source;
use std::borrow::Cow;
use std::sync::OnceLock;

/// A profile that was not parsed yet, with what recognising a backup needs.
#[derive(Clone, Debug)]
pub struct ProfileFile {
    /// The file's name.
    pub file: Cow<'static, str>,
    /// Its text.
    pub text: Cow<'static, str>,
    /// The platform line.
    pub platform: Cow<'static, str>,
    /// The format of its backups.
    pub format: Format,
    /// What the outermost element is called, or the key that the outermost object has.
    pub marker: Cow<'static, str>,
    /// How far it is checked when it is parsed.
    checking: Checking,
    /// The profile, or what is wrong with it, once somebody asked for it.
    parsed: OnceLock<Result<Box<Profile>, Findings>>,
}

/// A crossing that was not parsed yet.
#[derive(Clone, Debug)]
pub struct CrossingFile {
    /// The file's name.
    pub file: Cow<'static, str>,
    /// Its text.
    pub text: Cow<'static, str>,
    /// Where it starts.
    pub from: Side,
    /// Where it leads.
    pub to: Side,
    /// How far it is checked when it is parsed.
    pub checking: Checking,
}

impl ProfileFile {
    /// A profile that ships, by the index of those: a test has checked it.
    pub fn shipped(
        file: &'static str,
        text: &'static str,
        platform: &'static str,
        format: Format,
        marker: &'static str,
    ) -> Self {
        let [file, text, platform, marker] = [file, text, platform, marker].map(Cow::Borrowed);
        Self { file, text, platform, format, marker, checking: Checking::Shipped, parsed: OnceLock::new() }
    }

    /// Checks a profile whole and makes its entry for the library.
    ///
    /// # Errors
    /// Everything that is wrong with the file.
    pub fn read(file: String, text: String) -> Result<Self, Findings> {
        let profile = Profile::parse(Source::new(&file, &text), Checking::Whole)?;
        Ok(Self {
            format: profile.format(),
            platform: profile.platform.into(),
            marker: profile.recognition.marker.into(),
            file: file.into(),
            text: text.into(),
            checking: Checking::Whole,
            parsed: OnceLock::new(),
        })
    }

    /// The profile itself.
    ///
    /// # Errors
    /// Everything that is wrong with the file.
    pub fn parse(&self) -> Result<&Profile, Findings> {
        let parse = || Profile::parse(Source::new(&self.file, &self.text), self.checking).map(Box::new);
        self.parsed.get_or_init(parse).as_deref().map_err(Findings::clone)
    }

    /// Whether it is one of those that ship, and not a person's own.
    pub fn ships(&self) -> bool {
        self.checking == Checking::Shipped
    }

    /// The profile itself, checked whole also where it ships.
    ///
    /// # Errors
    /// Everything that is wrong with the file.
    pub fn check(&self) -> Result<Profile, Findings> {
        Profile::parse(Source::new(&self.file, &self.text), Checking::Whole)
    }

    /// The profile; `None` for one with mistakes, which was refused when it was loaded.
    pub(crate) fn parsed(&self) -> Option<&Profile> {
        self.parse().ok()
    }
}

impl CrossingFile {
    /// Whether it is one of those that ship, and not a person's own.
    pub fn ships(&self) -> bool {
        self.checking == Checking::Shipped
    }

    /// Reads which sides a crossing connects; its rules are checked when both profiles are known.
    ///
    /// # Errors
    /// What is wrong with its head.
    pub fn read(file: String, text: String) -> Result<Self, Findings> {
        let (from, to) = crossing_sides(Source::new(&file, &text))?;
        Ok(Self { file: file.into(), text: text.into(), from, to, checking: Checking::Whole })
    }

    /// The crossing itself, checked against the profiles of its sides.
    ///
    /// # Errors
    /// Everything that is wrong with the file.
    pub fn parse(&self, old: &Profile, new: &Profile, library: &Library) -> Result<Crossing, Findings> {
        let shared: Vec<Source<'_>> =
            library.shared.iter().map(|(name, text)| Source::new(name, text)).collect();
        Crossing::parse(Source::new(&self.file, &self.text), old, new, self.checking, &shared)
    }
}

/// All profiles and crossings at hand. Later ones of the same line or sides take the place of earlier.
#[derive(Clone, Debug, Default)]
pub struct Library {
    profiles: Vec<ProfileFile>,
    crossings: Vec<CrossingFile>,
    /// Files of tables and constants that crossings include, by name.
    shared: Vec<(Cow<'static, str>, Cow<'static, str>)>,
}

impl Library {
    /// Adds a file that crossings may include; one of the same name that is there gives way.
    pub fn add_shared(&mut self, file: impl Into<Cow<'static, str>>, text: impl Into<Cow<'static, str>>) {
        let file = file.into();
        self.shared.retain(|(known, _)| *known != file);
        self.shared.push((file, text.into()));
    }

    /// The files that crossings may include, with their texts.
    pub fn shared(&self) -> &[(Cow<'static, str>, Cow<'static, str>)] {
        &self.shared
    }

    /// Adds a profile; one of the same line that is there gives way.
    pub fn add_profile(&mut self, profile: ProfileFile) {
        self.profiles.retain(|known| known.platform != profile.platform);
        self.profiles.push(profile);
    }

    /// Adds a crossing; one between the same releases that is there gives way.
    pub fn add_crossing(&mut self, crossing: CrossingFile) {
        self.crossings.retain(|known| (&known.from, &known.to) != (&crossing.from, &crossing.to));
        self.crossings.push(crossing);
    }

    /// All profiles.
    pub fn profiles(&self) -> &[ProfileFile] {
        &self.profiles
    }

    /// All crossings.
    pub fn crossings(&self) -> &[CrossingFile] {
        &self.crossings
    }

    /// The profile of a platform.
    ///
    /// # Errors
    /// A finding that names the known platforms.
    pub fn profile(&self, platform: &str) -> Result<&ProfileFile, Box<Finding>> {
        self.profiles.iter().find(|profile| profile.platform == platform).ok_or_else(|| {
            let known: Vec<&str> = self.profiles.iter().map(|profile| profile.platform.as_ref()).collect();
            let instead = Suggestion::among(platform, known);
            Box::new(Finding::new(LanguageFact::PlatformUnknown { platform: platform.to_owned(), instead }))
        })
    }
}
