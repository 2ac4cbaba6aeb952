//! What a person or CI runs on this repository: `cargo xtask TASK`.

mod arrows;
#[cfg(test)]
mod rules;
mod shares;
mod tasks;
mod workspace;

use std::io::{self, Write};
use std::process::ExitCode;

/// What went wrong, for people.
type Failed = Box<dyn std::error::Error>;

const USAGE: &str = "cargo xtask TASK
  ci                            what must pass before a change lands
  bless                         rewrite what is expected of the demo backups, and docs/messages.md
  arrows [--write]              modules that need one another; the picture of the rooms, into DESIGN.md
  shares                        how much of the code is tests
  bench [ARGUMENT...]           speed and memory against a public yardstick
  campaign NAME [COUNT] [SEED]  osier, netplan, postgresql or attacked: many random cases, figures into docs/figures
  fuzz SECONDS [TARGET...]      each fuzz target for some seconds
  real-systems [--fetch]        the receiving systems that can be had here, as judges
  screenshots                   the pictures in docs/screenshots
";

fn main() -> ExitCode {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
    let mut out = io::stdout().lock();
    let done = match arguments.as_slice() {
        ["ci"] => tasks::ci(&mut out),
        ["bless"] => tasks::bless(),
        ["arrows", options @ ..] => arrows::task(&mut out, options.contains(&"--write")),
        ["shares"] => shares::task(&mut out),
        ["bench", more @ ..] => tasks::bench(more),
        ["campaign", name, more @ ..] => tasks::campaign(name, more),
        ["fuzz", seconds, targets @ ..] => tasks::fuzz(seconds, targets),
        ["real-systems", more @ ..] => tasks::script("real-systems", more),
        ["screenshots"] => tasks::script("screenshots", &[]),
        _ => Err(USAGE.into()),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(failed) => {
            // Where the error stream is gone, the status tells it.
            let _ = writeln!(io::stderr(), "{failed}");
            ExitCode::FAILURE
        }
    }
}
