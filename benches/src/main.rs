//! Measures whole `carry` runs, ledger and read-back included, against two public yardsticks in one
//! interleaved run: `xsltproc` doing an identity copy, and a bare event loop of the quick-xml crate. A third one is
//! the least that any carry does, see [`least`].
//!
//! Ratios of runs that are side by side are told, not single times: machines drift.

mod backup;
mod least;
mod measure;

use clap::{Parser, Subcommand};
use std::io::{self, Write as _};
use std::path::PathBuf;
use std::process::ExitCode;

#[derive(Debug, Parser)]
#[command(about = "Measures whole carries against public yardsticks")]
struct Arguments {
    #[command(subcommand)]
    command: Option<Command>,
    /// How often each program is run
    #[arg(long, default_value_t = 5)]
    runs: usize,
    /// Sizes of the backups, in bytes; K and M may be behind
    #[arg(long, value_delimiter = ',', default_value = "200K,10M,100M")]
    sizes: Vec<String>,
    /// The program to measure
    #[arg(long, default_value = "target/release/fordcross")]
    program: PathBuf,
}

#[derive(Debug, Subcommand)]
enum Command {
    /// Write a backup of some size
    Make { size: String, file: PathBuf },
    /// Read a file event by event and do nothing with it: a yardstick
    Events { file: PathBuf },
    /// Read a file, write a ledger and a result of so many bytes, and make nothing: a yardstick
    Least { file: PathBuf, ledger: usize, result: usize, folder: PathBuf },
    /// Do nothing: what starting a program costs
    Nothing,
}

fn main() -> ExitCode {
    let arguments = Arguments::parse();
    let ended = match &arguments.command {
        Some(Command::Make { size, file }) => make(size, file),
        Some(Command::Events { file }) => events(file),
        Some(Command::Least { file, ledger, result, folder }) => least::least(file, *ledger, *result, folder),
        Some(Command::Nothing) => Ok(()),
        None => measure::table(&arguments.program, &arguments.sizes, arguments.runs, &mut io::stdout()),
    };
    match ended {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            let _ = writeln!(io::stderr(), "error: {error}");
            ExitCode::FAILURE
        }
    }
}

fn make(size: &str, file: &PathBuf) -> io::Result<()> {
    std::fs::write(file, backup::backup(bytes(size)?))
}

/// `10M` in bytes.
pub(crate) fn bytes(size: &str) -> io::Result<usize> {
    let (number, factor) = match size.strip_suffix('M') {
        Some(number) => (number, 1_000_000),
        None => size.strip_suffix('K').map_or((size, 1), |number| (number, 1_000)),
    };
    let number: usize = number.parse().map_err(|_| io::Error::other(format!("`{size}` is no size")))?;
    Ok(number * factor)
}

fn events(file: &PathBuf) -> io::Result<()> {
    let text = std::fs::read_to_string(file)?;
    let mut reader = quick_xml::Reader::from_str(&text);
    let mut count = 0_u64;
    loop {
        match reader.read_event() {
            Ok(quick_xml::events::Event::Eof) => break,
            Ok(_) => count += 1,
            Err(error) => return Err(io::Error::other(error)),
        }
    }
    writeln!(io::stdout(), "{count}")
}
