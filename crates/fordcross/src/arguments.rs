//! The arguments, exactly as they are typed.

use crate::decisions::decision;
use clap::{Args, Parser, Subcommand, ValueEnum};
use fordcross_core::carry::PinnedDefaults;
use fordcross_core::finding::{Code, Severity, SeverityOverride, Suggestion};
use fordcross_core::opening::{Charset, Passphrase};
use fordcross_core::platform::ReadAs;
use std::cell::OnceCell;
use std::path::PathBuf;

/// Converts configuration backups between models and releases, with every setting accounted for.
#[derive(Debug, Parser)]
#[command(name = "fordcross", version, propagate_version = true, after_help = EXIT_STATUS)]
pub(crate) struct Arguments {
    #[command(flatten)]
    pub(crate) general: General,
    #[command(subcommand)]
    pub(crate) command: Command,
}

const EXIT_STATUS: &str = "\
Exit status:
  0  done
  1  failed: a file cannot be read, recognised or written
  2  wrong usage
  3  blocked: a decision is needed first; the findings say which
  4  done, and a person is needed (with --strict)";

/// What goes for every command.
#[derive(Clone, Debug, Args)]
pub(crate) struct General {
    /// Print JSON for programs instead of text for people
    #[arg(long, global = true)]
    pub(crate) json: bool,
    /// Use the profiles and crossings in a folder before those of your configuration folder and the shipped ones
    #[arg(long, global = true, value_name = "DIR")]
    pub(crate) profiles: Vec<PathBuf>,
    /// Override the severity of a finding: `blocker`, `warning` or `note`; a blocker cannot be lowered. May be repeated
    #[arg(long, global = true, value_name = "CODE=SEVERITY", value_parser = parse_severity)]
    pub(crate) severity: Vec<SeverityOverride>,
    /// Use this date as today
    #[arg(long, global = true, value_name = "YYYY-MM-DD")]
    pub(crate) today: Option<jiff::civil::Date>,
}

impl General {
    /// The day to which ages are counted.
    pub(crate) fn today(&self) -> jiff::civil::Date {
        self.today.unwrap_or_else(|| jiff::ZonedDateTime::now().date())
    }
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Show what a backup is and what is in it
    Survey(Survey),
    /// Show the way to a target release, or what blocks it
    Reach(Reach),
    /// Propose what becomes of each port and write the map file
    Map(Map),
    /// Convert a backup and account for every setting
    Carry(Carry),
    /// Search the ledger of a conversion
    Ledger(Ledger),
    /// Make a copy of a backup to show to others: the same lines, without secrets, names and addresses
    Redact(Redact),
    /// Work on profiles and crossings
    #[command(subcommand)]
    Profile(ProfileCommand),
    /// Explain a finding by its code
    Finding(FindingOptions),
    /// Run a full example on made-up data
    Demo(Demo),
}

impl Command {
    /// What a command is called in its answer to a program; none where it writes a form of its own.
    pub(crate) fn answers(&self) -> Option<&'static str> {
        Some(match self {
            Self::Survey(_) => "survey",
            Self::Reach(_) => "reach",
            Self::Map(_) => "map",
            Self::Carry(_) => "carry",
            Self::Redact(_) => "redact",
            Self::Finding(_) => "finding",
            Self::Profile(ProfileCommand::List) => "profile list",
            Self::Profile(ProfileCommand::Check { .. }) => "profile check",
            Self::Profile(ProfileCommand::Try(_)) => "profile try",
            Self::Profile(ProfileCommand::Show { .. }) => "profile show",
            Self::Ledger(_) | Self::Demo(_) | Self::Profile(ProfileCommand::Schema { .. }) => return None,
        })
    }
}

#[derive(Debug, Subcommand)]
pub(crate) enum ProfileCommand {
    /// List the available profiles and crossings
    List,
    /// Check whole profiles and crossings, and list what each of yours adds, drops and declares secret
    Check {
        /// Folders with profiles and crossings; without any, those that ship are listed
        #[arg(value_name = "DIR")]
        folders: Vec<PathBuf>,
    },
    /// Carry backups without writing anything, and report which rules were used and what none covers
    Try(Box<Try>),
    /// Show what a profile declares: models, sections, objects and settings with their types
    Show {
        /// The platform, or `PLATFORM@RELEASE` for what one release has
        #[arg(value_name = "PLATFORM")]
        platform: String,
    },
    /// Print a JSON Schema: of profiles or crossings, for editors that complete and check them, or of what is written for programs
    Schema {
        /// Of which kind of file
        #[arg(value_name = "KIND")]
        kind: SchemaOf,
    },
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum SchemaOf {
    /// Of `*.profile.toml`
    Profile,
    /// Of `*.crossing.toml`
    Crossing,
    /// Of what `--json` prints, and of the files of a result
    Output,
}

#[derive(Debug, Args)]
pub(crate) struct Try {
    /// The backups
    #[arg(required = true, value_name = "BACKUP")]
    pub(crate) backups: Vec<PathBuf>,
    /// The target
    #[arg(long, value_name = "PLATFORM/MODEL@RELEASE")]
    pub(crate) to: String,
    /// Write the results here, those that are refused as well; it must not exist yet
    #[arg(long, value_name = "DIR")]
    pub(crate) keep: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) reading: Reading,
}

#[derive(Debug, Args)]
pub(crate) struct FindingOptions {
    /// The code; without one all are listed
    #[arg(value_name = "CODE")]
    pub(crate) code: Option<String>,
}

/// How many days old a backup may be without a note.
const STALE_AFTER: i64 = 30;

#[derive(Debug, Args)]
pub(crate) struct Reach {
    #[command(flatten)]
    pub(crate) way: ConversionArgs,
}

#[derive(Debug, Args)]
pub(crate) struct Survey {
    /// The backups; a folder means all files in it, `-` is standard input
    #[arg(required = true, value_name = "BACKUP")]
    pub(crate) backups: Vec<PathBuf>,
    /// Describe each of several backups in full instead of listing them
    #[arg(long)]
    pub(crate) each: bool,
    /// List everything as it was read: place, setting, value, and the statement that it is from
    #[arg(long)]
    pub(crate) tree: bool,
    /// Mark backups that are older than so many days
    #[arg(long, value_name = "DAYS", default_value_t = STALE_AFTER)]
    pub(crate) stale_after: i64,
    #[command(flatten)]
    pub(crate) reading: Reading,
}

#[derive(Debug, Args)]
pub(crate) struct Redact {
    /// The backup
    #[arg(value_name = "BACKUP")]
    pub(crate) backup: PathBuf,
    /// The copy, which must not exist yet: a file, or a folder where the backup is one
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// A file with a secret of your own: the same one gives the same names and addresses again
    #[arg(long, value_name = "FILE")]
    pub(crate) key: Option<PathBuf>,
    /// Leave IP and MAC addresses as they are
    #[arg(long)]
    pub(crate) keep_addresses: bool,
    /// Leave host names and names of objects as they are
    #[arg(long)]
    pub(crate) keep_names: bool,
    /// Leave comments, but those that could be settings with a secret
    #[arg(long)]
    pub(crate) keep_comments: bool,
    #[command(flatten)]
    pub(crate) reading: Reading,
}

#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, ValueEnum)]
pub(crate) enum WhichConfiguration {
    /// The configuration in effect
    #[default]
    Active,
    /// The configuration in progress
    Candidate,
}

#[derive(Clone, Debug, Default, Args)]
pub(crate) struct Reading {
    /// Read the backup as one of this platform and listed release, whatever it states
    #[arg(long, value_name = "PLATFORM[@RELEASE]")]
    pub(crate) from: Option<ReadAs>,
    /// The character set of the backup, if it does not declare one: `windows-1252`
    #[arg(long, value_name = "NAME", value_parser = parse_charset)]
    pub(crate) charset: Option<Charset>,
    /// Follow links that lead out of the folder of a backup
    #[arg(long)]
    pub(crate) follow_links: bool,
    /// Another folder of the same configuration: `/var/lib/postgresql/15/main` beside `/etc/postgresql/15/main`
    #[arg(long, value_name = "DIR")]
    pub(crate) also: Vec<PathBuf>,
    /// How many bytes a packed backup may unpack to
    #[arg(long, value_name = "BYTES")]
    pub(crate) max_unpacked: Option<u64>,
    /// How many bytes of memory may be used, instead of seven eighths of the machine's
    #[arg(long, value_name = "BYTES")]
    pub(crate) max_memory: Option<u64>,
    /// The file that has the passphrase of an encrypted backup
    #[arg(long, value_name = "FILE")]
    pub(crate) passphrase_file: Option<PathBuf>,
    /// The open file descriptor that has it
    #[arg(long, value_name = "N", conflicts_with = "passphrase_file")]
    pub(crate) passphrase_fd: Option<u32>,
    /// What was given in one of these ways: a pipe gives it once.
    #[arg(skip)]
    pub(crate) given: OnceCell<Option<Passphrase>>,
    /// Nobody is asked for what was not given: there is more to do than this backup.
    #[arg(skip)]
    pub(crate) never_ask: bool,
}

#[derive(Debug, Args)]
pub(crate) struct ConversionArgs {
    /// The backup: a file, one of its parts, a folder; `-` is standard input
    #[arg(value_name = "BACKUP")]
    pub(crate) backup: PathBuf,
    /// The target
    #[arg(long, value_name = "PLATFORM/MODEL@RELEASE")]
    pub(crate) to: String,
    /// Which configuration of a backup with two: the one in effect, or the one in progress
    #[arg(long, value_name = "WHICH", default_value = "active")]
    pub(crate) configuration: WhichConfiguration,
    /// Report a backup that is older than so many days
    #[arg(long, value_name = "DAYS", default_value_t = STALE_AFTER)]
    pub(crate) stale_after: i64,
    #[command(flatten)]
    pub(crate) reading: Reading,
}

#[derive(Debug, Args)]
pub(crate) struct Map {
    #[command(flatten)]
    pub(crate) way: ConversionArgs,
    /// The map file to write; what a person wrote in it is kept
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// An export of the target: ports are recognised in it by hardware address and address; again for another folder of it
    #[arg(long, value_name = "EXPORT")]
    pub(crate) base: Vec<PathBuf>,
    /// Every port keeps its name where the target has it, or has no models
    #[arg(long)]
    pub(crate) same_names: bool,
    /// End with status 4 if a port is open
    #[arg(long)]
    pub(crate) strict: bool,
}

#[derive(Debug, Args)]
#[expect(clippy::struct_excessive_bools, reason = "each is a flag of its own on the command line")]
pub(crate) struct Carry {
    #[command(flatten)]
    pub(crate) way: ConversionArgs,
    /// The map file; without one the proposals are used
    #[arg(long, value_name = "FILE")]
    pub(crate) map: Option<PathBuf>,
    /// An export of the target; what the backup does not cover is kept from it; again for another folder of it
    #[arg(long, value_name = "EXPORT")]
    pub(crate) base: Vec<PathBuf>,
    /// Every port keeps its name where the target has it, or has no models
    #[arg(long)]
    pub(crate) same_names: bool,
    /// Encrypt the new configuration with a passphrase, in the age format
    #[arg(long)]
    pub(crate) encrypt: bool,
    /// The folder for the results; it must not exist yet, or be empty
    #[arg(short, long, value_name = "DIR")]
    pub(crate) output: PathBuf,
    /// Replace the results of an earlier carry
    #[arg(long)]
    pub(crate) replace: bool,
    /// Answer what a crossing asks; may be repeated
    #[arg(long = "answer", value_name = "FACT=VALUE", value_parser = parse_answer)]
    pub(crate) answers: Vec<(String, String)>,
    /// Write the values of settings without a type into the ledger; they could be secrets
    #[arg(long)]
    pub(crate) show_untyped: bool,
    /// Which old defaults to write out where the new ones differ; `safe` leaves out those that weaken
    #[arg(long, value_enum, value_name = "WHICH", default_value = "all")]
    pub(crate) pin: Pin,
    /// End with status 4 if a person is needed: anything dropped, by-hand or unmatched
    #[arg(long)]
    pub(crate) strict: bool,
}

fn parse_severity(text: &str) -> Result<SeverityOverride, String> {
    let (code, severity) = text.split_once('=').ok_or("write it as CODE=SEVERITY")?;
    let severity = Severity::ALL.into_iter().find(|known| known.word() == severity);
    let severity = severity.ok_or("a severity is `blocker`, `warning` or `note`")?;
    // Codes of profiles have the line in front, and are looked for when the profiles are there.
    if code.contains('/') {
        return Ok((code.to_owned(), severity));
    }
    let found = Code::find(code).ok_or_else(|| {
        let known: Vec<&str> = Code::ALL.iter().map(|code| code.name()).collect();
        format!("there is no finding `{code}`; {}", Suggestion::among(code, known))
    })?;
    match decision(found) {
        Some(decision) if severity != Severity::Blocker => {
            Err(format!("`{code}` blocks, and a blocker cannot be lowered: {decision}"))
        }
        _ => Ok((code.to_owned(), severity)),
    }
}

fn parse_charset(text: &str) -> Result<Charset, String> {
    Charset::named(text).ok_or_else(|| {
        format!("there is no character set `{text}`; usual ones are `utf-8`, `utf-16le`, `windows-1252`")
    })
}

/// Which old defaults are written out.
#[derive(Clone, Copy, Debug, Default, ValueEnum)]
pub(crate) enum Pin {
    /// Each that the new system has otherwise
    #[default]
    All,
    /// Those that do not weaken it
    Safe,
    /// None
    None,
}

impl From<Pin> for PinnedDefaults {
    fn from(pin: Pin) -> Self {
        match pin {
            Pin::All => Self::All,
            Pin::Safe => Self::Safe,
            Pin::None => Self::None,
        }
    }
}

fn parse_answer(text: &str) -> Result<(String, String), String> {
    let (fact, value) = text.split_once('=').ok_or("write it as FACT=VALUE")?;
    Ok((fact.trim().to_owned(), value.to_owned()))
}

#[derive(Debug, Args)]
pub(crate) struct Ledger {
    /// The results of a carry
    #[arg(value_name = "DIR")]
    pub(crate) folder: PathBuf,
    /// Only rows of this fate, of the origin `added`, `pinned` or `base`, or settings of a base that were
    /// `overwritten` or `removed`; may be repeated
    #[arg(long, value_name = "FATE")]
    pub(crate) fate: Vec<String>,
    /// Only rows of this section; may be repeated
    #[arg(long, value_name = "SECTION")]
    pub(crate) section: Vec<String>,
    /// Only rows whose old or new locator matches; `*` means any text
    #[arg(long, value_name = "PATTERN")]
    pub(crate) locator: Vec<String>,
    /// How to print the rows
    #[arg(long, value_name = "FORMAT", default_value = "table")]
    pub(crate) format: Format,
    /// Say how a setting came to be what it is: rules in full, each hop, values, the map; `*` means any text
    #[arg(long, value_name = "LOCATOR", conflicts_with_all = ["fate", "section", "locator", "format"])]
    pub(crate) why: Option<String>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    /// Columns for people
    Table,
    /// Comma-separated values, RFC 4180
    Csv,
    /// One JSON object a line, as in `ledger.jsonl`
    Json,
}

#[derive(Debug, Args)]
pub(crate) struct Demo {
    /// The folder to work in; it must not exist yet
    #[arg(value_name = "DIR")]
    pub(crate) folder: Option<PathBuf>,
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::CommandFactory as _;

    #[test]
    fn every_argument_is_described() {
        let mut command = Arguments::command();
        command.build();
        command.clone().debug_assert();
        for subcommand in command.get_subcommands().filter(|subcommand| subcommand.get_name() != "help") {
            for argument in subcommand.get_arguments() {
                assert!(argument.get_help().is_some(), "{} {}", subcommand.get_name(), argument.get_id());
            }
        }
    }
}
