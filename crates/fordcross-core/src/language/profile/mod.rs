//! Profiles: one platform line as data.
//!
//! [`Profile::parse`] is the only way to one, and reports everything wrong with the file at once.

mod asked;
mod declared;
mod defaults;
mod edition;
mod facts;
mod keys;
mod models;
mod names;
mod objects;
mod parse;
mod paths;
mod rules;
mod runbook;
mod schema;
mod settings;

pub(crate) use asked::asked_at;
pub use declared::Declared;
pub(crate) use edition::is_second_edition;
pub(crate) use names::NameRules;
pub(crate) use parse::names_port;
pub(crate) use rules::{
    Breach, Check, Condition, Narrows, ObjectRule, OldMeaning, OwnRuleId, Referent, Rules, SettingRule,
    Unique, Wording,
};
pub use runbook::Installed;
pub(crate) use runbook::{Runbook, Trial, UnitSide};
pub(crate) use schema::{
    Admits, Entry, Inherits, Lookup, ObjectTraits, PathStep, Repeats, Role, Schema, What, Wins,
};

use crate::finding::{AllOf, Finding, Severity, Suggestion};
pub use crate::format::Format;
pub use crate::format::bundle::Container;
use crate::format::bundle::{Member, Members};
use crate::format::{Codec, Dialect};
use crate::ids::{EntryId, SectionId};
use crate::language::expression::NamedExpressions;
use crate::language::texts::OutputEncoding;
use crate::language::typing::Types;
use crate::text::source::Position;
use crate::tree::pattern::{Pattern, Step};
use crate::tree::{NodeId, Tree};
use facts::NotListed;
use std::sync::Arc;

/// One platform, as a whole or as it is at one release (see [`Profile::at`]).
#[derive(Clone, Debug)]
pub struct Profile {
    /// The file that it was read from, for rules and messages.
    pub file: String,
    /// The line's name: `teasel`.
    pub platform: String,
    /// The line's name for people.
    pub title: String,
    /// The day of the profile's last change, `2026-11-20`.
    pub dated: Option<String>,
    /// The releases, oldest first.
    pub releases: Vec<Release>,
    /// The models.
    pub models: Vec<Model>,
    /// What a backup of the platform never holds.
    pub never_held: Vec<NeverHeld>,
    /// The release that this is the profile of, by its place in the list; the newest for the whole.
    pub(crate) release: usize,
    pub(crate) recognition: Recognition,
    pub(crate) sections: Vec<SectionDeclaration>,
    /// Expressions with names, which crossings from it know, too.
    pub(crate) expressions: NamedExpressions,
    pub(crate) schema: Arc<Schema>,
    pub(crate) types: Arc<Types>,
    pub(crate) names: NameRules,
    pub(crate) runbook: Runbook,
    pub(crate) output: Output,
    /// How it writes its files, where a backup is one file.
    pub(crate) dialect: Dialect,
    /// The files of its backups, where these are several.
    pub(crate) members: Members,
    /// What makes a configuration of it valid.
    pub(crate) rules: Arc<Rules>,
    pub(crate) meaning: Meaning,
}

/// How a platform wants its files written, apart from their format.
#[derive(Clone, Debug, Default)]
pub(crate) struct Output {
    /// In which character set it wants texts, and with which line ends.
    pub(crate) encoding: OutputEncoding,
    /// In what order the outermost branches are written; what it does not name comes last.
    pub(crate) order: Vec<String>,
    /// Comments are taken along from other formats, too.
    pub(crate) takes_comments: bool,
}

/// What settings mean besides what they say.
#[derive(Clone, Debug, Default)]
pub(crate) struct Meaning {
    /// Branches whose settings count before those of another: `auto` before `main`.
    pub(crate) overrides: Vec<(String, String)>,
    /// What holds where a setting is not given. Unlike defaults it is never written out.
    pub(crate) in_force: Arc<[InForce]>,
}

/// What holds for settings of a path where they are not given, each from one release on.
#[derive(Clone, Debug)]
pub(crate) struct InForce {
    pub(crate) pattern: Pattern,
    pub(crate) values: Vec<(usize, String)>,
}

/// A release of a platform.
#[derive(Clone, Debug)]
pub struct Release {
    /// As the platform writes it.
    pub name: String,
}

/// A model of a platform.
#[derive(Clone, Debug)]
pub struct Model {
    /// As the platform writes it.
    pub name: String,
    /// For people.
    pub title: String,
    /// Its ports, in the order of the front plate.
    pub ports: Vec<Port>,
    /// How many objects, or values of a list, of a path it holds at most.
    pub limits: Vec<Limit>,
}

/// How many of something a model holds at most.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Limit {
    /// The path of the objects or of the list.
    pub of: String,
    /// At most.
    pub most: u64,
    pub(crate) pattern: Pattern,
}

/// A port of a model.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Port {
    /// As configurations write it.
    pub name: String,
    /// `copper`, `fibre`: what can be plugged in.
    pub medium: String,
    /// In Mbit/s.
    pub speed: u64,
    /// What the port is for, if it is for something: `management`.
    pub role: Option<String>,
}

/// Something that a backup of the platform never holds.
#[derive(Clone, Debug)]
pub struct NeverHeld {
    /// What.
    pub what: String,
    /// What to do about it.
    pub remedy: String,
}

/// How a backup of the platform is recognised, and where it says what it is.
#[derive(Clone, Debug, Default)]
pub(crate) struct Recognition {
    /// The name of the outermost element, or the key that the outermost object must have.
    pub(crate) marker: String,
    /// Files that are data and no configuration, with wildcards: they are not read.
    pub(crate) passes_over: Vec<String>,
    pub(crate) release: Option<Fact>,
    pub(crate) model: Option<Fact>,
    pub(crate) taken: Option<Fact>,
    pub(crate) kind: Option<Fact>,
    pub(crate) label: Option<Fact>,
    /// The build of the release, where a backup says it.
    pub(crate) build: Option<Fact>,
    /// What the unit is called.
    pub(crate) unit: Option<Fact>,
    /// The kinds of backup that hold everything.
    pub(crate) whole: Vec<String>,
    /// Those that hold only what is not as it came from the factory.
    pub(crate) changes: Vec<String>,
    /// The branches of the configuration that is in force, and of the one that a person was working on.
    pub(crate) active: Option<String>,
    pub(crate) candidate: Option<String>,
}

/// The path of one fact, and where the profile says so.
#[derive(Clone, Debug)]
pub(crate) struct Fact {
    /// The path of the release that this is the profile of.
    pub(crate) path: Vec<String>,
    /// All paths, where it is elsewhere in some releases.
    pub(crate) paths: Vec<Vec<String>>,
    pub(crate) declared: Position,
}

impl Recognition {
    /// Of several paths of a fact takes the one that a release has.
    fn settle(&mut self, schema: &Schema) {
        let Self { release, model, taken, kind, label, build, unit, .. } = self;
        for fact in [release, model, taken, kind, label, build, unit].into_iter().flatten() {
            let is_declared = |path: &&Vec<String>| {
                let steps: Vec<PathStep<'_>> = path.iter().map(|name| PathStep::Name(name)).collect();
                matches!(schema.find(&steps), Lookup::Declared(_))
            };
            if let Some(path) = fact.paths.iter().find(is_declared) {
                fact.path.clone_from(path);
            }
        }
    }
}

#[derive(Clone, Debug)]
pub(crate) struct SectionDeclaration {
    pub(crate) name: String,
    pub(crate) pattern: Pattern,
}

impl Profile {
    /// The profile as it is at one release: only the settings and objects that it has, with the
    /// defaults that hold there.
    ///
    /// # Errors
    /// A finding that names the known releases.
    pub fn at(&self, release: &str) -> Result<Self, Box<Finding>> {
        let index = self.release(release)?;
        let schema = Arc::new(self.schema.at(index));
        let rules = Arc::new(self.rules.at(index));
        let mut recognition = self.recognition.clone();
        recognition.settle(&schema);
        let until = |release: &str| self.release(release).is_ok_and(|last| index <= last);
        let types = Arc::new(self.types.at(until));
        Ok(Self { schema, rules, types, recognition, release: index, ..self.clone() })
    }

    /// Whether a setting with this value does less to protect the system than it does by itself.
    pub(crate) fn weakens(&self, entry: EntryId, value: &str) -> bool {
        let What::Setting { weakens, .. } = &self.schema[entry].what else { return false };
        weakens.iter().any(|weak| weak == value)
    }

    /// Whether the release that this is the profile of is that one or a later one.
    pub(crate) fn is_since(&self, release: &str) -> bool {
        self.release(release).is_ok_and(|index| index <= self.release)
    }

    /// The name of the release that this is the profile of.
    pub fn release_name(&self) -> &str {
        self.releases.get(self.release).map_or("", |release| &release.name)
    }

    /// The model of that name.
    ///
    /// # Errors
    /// A finding that names the known models.
    pub fn model(&self, name: &str) -> Result<&Model, Box<Finding>> {
        self.models.iter().find(|model| model.name == name).ok_or_else(|| {
            let known: Vec<&str> = self.models.iter().map(|model| model.name.as_str()).collect();
            let (instead, title) = (Suggestion::among(name, known), self.title.clone());
            Box::new(Finding::new(NotListed::ModelUnknown { name: name.to_owned(), title, instead }))
        })
    }

    /// The place in the list of releases, oldest first.
    ///
    /// # Errors
    /// A finding that names the known releases. Releases are never guessed at.
    pub fn release(&self, name: &str) -> Result<usize, Box<Finding>> {
        self.releases.iter().position(|release| release.name == name).ok_or_else(|| {
            let known = AllOf::of(self.releases.iter().map(|release| release.name.as_str()));
            let (name, title) = (name.to_owned(), self.title.clone());
            Box::new(Finding::new(NotListed::ReleaseUnlisted { name, title, known }))
        })
    }

    /// What holds for a setting where it is not given, as far as checks go.
    pub(crate) fn in_force(&self, entry: &Entry) -> Option<&str> {
        let known = self.meaning.in_force.iter().find(|known| known.pattern.covers(&entry.pattern))?;
        known.values.iter().rev().find(|(from, _)| *from <= self.release).map(|(_, value)| value.as_str())
    }

    /// The name of a section by its number; settings outside all sections have none.
    pub(crate) fn section_name(&self, section: Option<SectionId>) -> &str {
        section.map_or("-", |section| &self.sections[section.index()].name)
    }
}

impl Profile {
    /// Where a file of a result goes, by its name in the configuration, if the profile says so.
    pub fn installed(&self, file: &str) -> Option<Installed> {
        self.runbook.installed(file, self.release_name())
    }

    /// The codes of its rules, each with how much a breach matters. A rule of presence can block, too: by what the
    /// profile says, or where nothing can go.
    pub fn rule_codes(&self) -> Vec<(&str, Severity)> {
        let severity = |breach: Breach| match breach {
            Breach::Notes => Severity::Note,
            Breach::Warns | Breach::Goes => Severity::Warning,
            Breach::Blocks => Severity::Blocker,
        };
        let checks = self.rules.checks.iter().map(|check| (check.code.as_str(), severity(check.head.breach)));
        let parts = rules::PART_CODES.into_iter().map(|(code, _)| (code, Severity::Warning));
        parts.chain(checks).collect()
    }

    /// What a code of a rule means, in words for a person.
    pub fn about_rule(&self, code: &str) -> Option<String> {
        let of_checks = || {
            let check = self.rules.checks.iter().find(|check| check.code == code)?;
            Some(check.wording.text.clone().unwrap_or_else(|| "a check of the profile fails".to_owned()))
        };
        let part = rules::PART_CODES.into_iter().find(|(known, _)| *known == code);
        part.map(|(_, about)| about.to_owned()).or_else(of_checks)
    }

    /// The settings that the profile declares secret, with how each is kept.
    pub fn secrets(&self) -> Vec<(String, String)> {
        let kept = |entry: &Entry| match &self.types.get(entry.what.setting()?).form {
            crate::language::typing::Form::Secret(secret) => {
                Some((entry.pattern.to_string(), secret.kept.to_string()))
            }
            _ => None,
        };
        self.schema.entries.iter().filter_map(kept).collect()
    }

    /// The settings that make a unit itself: what a second one must not have as well.
    pub fn identity(&self) -> Vec<String> {
        let is = |entry: &&Entry| matches!(entry.what, What::Setting { identity: true, .. });
        self.schema.entries.iter().filter(is).map(|entry| entry.pattern.to_string()).collect()
    }

    /// The name of the outermost element, or the key that the outermost object must have.
    pub fn marker(&self) -> &str {
        &self.recognition.marker
    }

    /// The format of its backups.
    pub fn format(&self) -> Format {
        self.dialect.format()
    }

    /// Why its format cannot hold a value as the setting of a declaration, if it cannot. Where that is not known, it is
    /// enough that one of several formats can.
    pub(crate) fn why_not(&self, text: &str, to: Option<EntryId>) -> Option<&'static str> {
        let pattern = to.map(|to| &self.schema[to].pattern);
        let dialect = if self.format().is_several() {
            let files = &self.members.files;
            if pattern.is_none() && files.iter().any(|member| member.dialect.can_hold_somewhere(text)) {
                return None;
            }
            let into = |member: &&Member| pattern.is_none_or(|pattern| member.leads_to(pattern));
            files.iter().find(into).map_or(&self.dialect, |member| &member.dialect)
        } else {
            &self.dialect
        };
        // A declaration may be of several names, or any; what the right one cannot hold shows when it is written.
        let holds = match pattern.and_then(|pattern| pattern.steps.last()) {
            Some(Step::Names(names)) => names.iter().any(|name| dialect.can_hold_at(name, text)),
            _ => dialect.can_hold_somewhere(text),
        };
        (!holds).then(|| dialect.why_not())
    }

    /// How the file is written that a node of a tree is in.
    pub(crate) fn dialect_at(&self, tree: &Tree<'_>, node: NodeId) -> &dyn Codec {
        if !self.format().is_several() {
            return &*self.dialect;
        }
        let member = self.members.of_node(tree, node);
        &**member.map_or(&self.dialect, |member| &member.dialect)
    }

    /// Whether a setting, by the number of its declaration, is an attribute where the form has attributes.
    pub(crate) fn is_attribute(&self, entry: EntryId) -> bool {
        let entry = &self.schema[entry];
        matches!(entry.what, What::Setting { attribute: true, .. })
            && !self.format_of(&entry.pattern).traits().has_lists
    }

    /// The format of the file that a pattern leads into.
    pub(crate) fn format_of(&self, pattern: &Pattern) -> Format {
        let format = self.format();
        if format.is_several() { self.members.format_of(pattern).unwrap_or(format) } else { format }
    }

    /// Whether a file at that place of the tree marks a backup of the platform.
    pub(crate) fn is_marked_by(&self, place: &[String]) -> bool {
        self.recognition.marker.split('|').any(|marker| place.first().is_some_and(|first| first == marker))
    }

    /// What a backup of several files is in; `None` for one file.
    pub fn container(&self) -> Option<Container> {
        self.format().is_several().then(|| self.members.container.unwrap_or(Container::Folder))
    }

    /// How many settings and objects the profile declares.
    pub fn declared(&self) -> (usize, usize) {
        let objects = self.schema.entries.iter().filter(|entry| entry.what.is_object()).count();
        (self.schema.entries.len() - objects, objects)
    }

    /// Where a declaration of the profile is, as `file:line`.
    pub(crate) fn rule_at(&self, at: Position) -> String {
        format!("{}:{}", self.file, at.line)
    }
}
