//! Findings about a result that was judged and read back.

use crate::finding::{Code, Count, Fact, Remedy, Suggestion, facts};
use std::fmt;
use std::sync::Arc;

facts! {
    /// What the receiving system has no room for.
    pub(super) enum LimitFact {
        NameTooLong { name: String, is: Count, platform: String, most: usize } => NameTooLong,
            "the name `{name}` in the result has {is}; {platform} allows {most}",
            help: "map it to a shorter name under [ports], by its full old name, such as `\"eth0.1000\" = \"vlan1000\"`";
        TooMany { model: String, most: u64, of: String, found: usize, larger: Option<String> } => LimitExceeded,
            "{model} supports at most {most} `{of}`, and the result has {found}",
            remedy: take_out(*found as u64 - most, larger.as_deref());
    }
}

/// What to do where there are so many more than the model holds. `larger` is a model that holds them, after its platform.
fn take_out(more: u64, larger: Option<&str>) -> Remedy {
    match larger {
        Some(larger) => format!("take {more} out of the backup, or carry to `{larger}`, which supports them"),
        None => format!("take {more} out of the backup; no model of the platform supports so many"),
    }
    .into()
}

/// Where in the result something was read back, for people.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct ReadAt {
    /// The file and the line.
    pub(super) file: Option<(String, u32)>,
    /// What is there; none where it could be a secret.
    pub(super) text: Option<String>,
    /// The statement that it was read by.
    pub(super) statement: Option<String>,
}

impl fmt::Display for ReadAt {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Some((file, line)) = &self.file else { return Ok(()) };
        write!(f, ": line {line} of {file}")?;
        if let Some(text) = &self.text {
            write!(f, " is `{text}`")?;
        }
        match &self.statement {
            Some(shape) => write!(f, ", by the statement `{shape}`"),
            None => Ok(()),
        }
    }
}

facts! {
    /// How a result that is read back is not what the ledger says.
    pub(super) enum Difference {
        NotUtf8 => ResultDiffers, "the result is not UTF-8 text";
        EndsEarly => ResultDiffers, "the result ends before everything was written";
        HasMore { read: String, place: ReadAt } => ResultDiffers, "`{read}` was read back and not written{place}";
        OtherNode { wrote: String, read: String, place: ReadAt } => ResultDiffers,
            "`{wrote}` was written, and `{read}` read back{place}";
        Missing { wrote: String, place: ReadAt } => ResultDiffers, "`{wrote}` was written, and not read back{place}";
        OtherValue { wrote: String, read: String, place: ReadAt } => ResultDiffers,
            "`{wrote}` was written, and `{read}` read back{place}";
        Unaccounted => ResultDiffers, "the ledger does not account for this";
        Undeclared => ResultDiffers, "the target profile does not declare this setting";
        NoSuchPort { name: String, model: String, instead: Suggestion } => ResultDiffers,
            "it refers to the port `{name}`, which {model} does not have", help: "{instead}";
        OtherType { expected: String } => ResultDiffers, "the value is not {expected}";
        OtherBreaches { platform: String } => ResultDiffers,
            "when read back, the result breaks other rules of {platform} than before";
        OtherBreach { platform: String, code: String } => ResultDiffers,
            "when read back, the result breaks other rules of {platform} than before, such as `{code}`";
    }
}

facts! {
    /// Findings about a backup that its own platform would refuse.
    pub(super) enum UnsoundFact {
        Breaks { platform: String, rule: String, places: Count } => BackupUnsound,
            "the backup breaks a rule of its own platform, {platform}: `{rule}`, in {places}",
            help: "a working unit does not write such a backup: it was edited, it is incomplete, or the profile is wrong";
    }
}

/// A rule of the receiving platform that the result breaks, in the words of its profile.
#[derive(Clone, Debug)]
pub(super) struct BreachFact {
    /// The rule's code, with the platform in front.
    pub(super) name: Arc<str>,
    /// What breaks it: a place, or how many of a kind.
    pub(super) subject: Subject,
    /// Whether it is left out for it.
    pub(super) goes: bool,
    /// What is wrong.
    pub(super) text: String,
    /// Whether others of the same code say it otherwise.
    pub(super) and_the_like: bool,
    /// The port of the map that is behind it.
    pub(super) because: Option<String>,
    pub(super) remedy: String,
}

/// What a breach is said of.
#[derive(Clone, Debug)]
pub(super) enum Subject {
    /// One by its locator, or the path of what several should be in.
    One { label: String, several: bool },
    /// Several of a kind, by its noun.
    Several(usize, String),
}

impl fmt::Display for BreachFact {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.subject {
            Subject::One { label, .. } => write!(f, "`{label}`")?,
            Subject::Several(number, noun) => f.write_str(&crate::finding::count(*number, noun))?,
        }
        if self.goes {
            let are = match self.subject {
                Subject::One { several, .. } => several,
                Subject::Several(number, _) => number > 1,
            };
            let is = if are { "are" } else { "is" };
            write!(f, " {is} left out")?;
        }
        write!(f, ": {}", self.text)?;
        if self.and_the_like {
            f.write_str(", and the like")?;
        }
        match &self.because {
            Some(port) => write!(f, ", because of {port}"),
            None => Ok(()),
        }
    }
}

impl Fact for BreachFact {
    fn code(&self) -> Code {
        Code::RuleBroken
    }

    fn name(&self) -> &str {
        &self.name
    }

    fn remedy(&self) -> Option<Remedy> {
        Some(self.remedy.clone().into())
    }
}
