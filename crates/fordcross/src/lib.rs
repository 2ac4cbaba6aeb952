//! The command line of Fordcross: arguments, files, printing, exit status. All computation is in
//! `fordcross-core`.
//!
//! [`run`] takes its streams, so that a test or the demonstration can call it in process. Text is
//! written with colours; a stream that is no terminal strips them.

mod arguments;
mod backup_file;
mod commands;
mod decisions;
pub mod examples;
mod facts;
mod files;
mod folder;
mod library;
mod output;
mod passphrase;
mod raw;
mod receipt;
mod result_folder;
mod sources;
mod status;
mod unfinished;
mod walk;
mod wall;

use arguments::{Arguments, Command, Map, ProfileCommand, Redact};
use clap::Parser as _;
use output::Printer;
use output::stream::Stream;
use status::{Failed, Status};
use std::ffi::OsString;
use std::io::{BufRead, Write};
use std::path::Path;
use wall::Openings;

/// Removes what is unfinished when the program is asked to end, and ends it then as the signal would have; keeps secrets out of
/// dumps of memory. Only a program of its own does this: in one with others it would be theirs to say.
pub fn prepare_process() {
    wall::own_process();
    #[cfg(unix)]
    {
        use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
        use signal_hook::iterator::Signals;
        // It removes what is unfinished, wherever that is: it begins before there is a wall.
        if let Ok(mut signals) = Signals::new([SIGHUP, SIGINT, SIGTERM]) {
            std::thread::spawn(move || {
                if let Some(signal) = signals.forever().next() {
                    // Nothing goes on from here: what is held keeps all others from beginning anew.
                    let _held = unfinished::remove_all();
                    let _ = signal_hook::low_level::emulate_default_handler(signal);
                    std::process::exit(128 + signal);
                }
            });
        }
    }
}

/// Runs the program with its arguments, its own name first; gives back the exit status.
pub fn run<I, T>(arguments: I, input: &mut dyn BufRead, out: &mut dyn Write, err: &mut dyn Write) -> u8
where
    I: IntoIterator<Item = T>,
    T: Into<OsString> + Clone,
{
    let (mut out, mut err) = (Stream::new(out), Stream::new(err));
    let (out, err): (&mut dyn Write, &mut dyn Write) = (&mut out, &mut err);
    let words: Vec<OsString> = arguments.into_iter().map(Into::into).collect();
    let parsed = Arguments::try_parse_from(&words);
    let mut printer = Printer::new(out, err);
    let status = match parsed {
        Ok(arguments) => {
            if arguments.general.json
                && let Some(command) = arguments.command.answers()
            {
                printer = printer.for_programs(command);
            }
            perform(&arguments, input, &mut printer)
        }
        // A program that asks for JSON gets it, whatever is wrong with the rest.
        Err(error) if error.use_stderr() && words.iter().any(|word| word == "--json") => {
            printer = printer.for_programs("");
            let text = error.render().to_string();
            let text = text.strip_prefix("error: ").unwrap_or(&text);
            Err(Failed::usage(text.lines().next().unwrap_or_default()).help("see `--help`"))
        }
        Err(error) => {
            let text = error.render();
            let printed = if error.use_stderr() {
                write!(printer.err, "{}", text.ansi())
            } else {
                write!(printer.out, "{}", text.ansi())
            };
            printed
                .map(|()| if error.use_stderr() { Status::WrongUsage } else { Status::Done })
                .map_err(Failed::from)
        }
    };
    let status = status.and_then(|status| printer.out.flush().map(|()| status).map_err(Failed::from));
    let status = status.unwrap_or_else(|failed| printer.failed(failed));
    // What was done is done, and the status says so, where nobody reads on; an error of writing is one.
    match printer.finish(status) {
        Ok(()) => status.code(),
        Err(_) => Status::Failed.code(),
    }
}

fn perform(
    arguments: &Arguments,
    input: &mut dyn BufRead,
    printer: &mut Printer<'_>,
) -> Result<Status, Failed> {
    let general = &arguments.general;
    match &arguments.command {
        // They raise the wall when they know where they write.
        Command::Carry(_) | Command::Profile(ProfileCommand::Try(_)) => {}
        Command::Map(Map { output: Some(output), .. }) | Command::Redact(Redact { output, .. }) => {
            // Behind a link it is written where that leads.
            let output = std::fs::canonicalize(output).unwrap_or_else(|_| output.clone());
            wall::raise(Openings { writable: &[parent_of(&output)], ..Openings::default() });
        }
        Command::Demo(_) => wall::leave_out(),
        _ => wall::raise(Openings::default()),
    }
    match &arguments.command {
        Command::Survey(options) => commands::survey::survey(general, options, input, printer),
        Command::Reach(options) => commands::reach::reach(general, options, input, printer),
        Command::Redact(options) => commands::redact::redact(general, options, input, printer),
        Command::Profile(command) => commands::profile::profile(general, command, input, printer),
        Command::Finding(options) => commands::finding::finding(general, options, printer),
        Command::Map(options) => commands::map::map(general, options, input, printer),
        Command::Carry(options) => commands::carry::carry(general, options, input, printer),
        Command::Ledger(options) => commands::ledger::ledger(general, options, printer),
        Command::Demo(options) => commands::demo::demo(options, printer),
    }
}

/// The folder that a path is in.
fn parent_of(path: &Path) -> &Path {
    path.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."))
}
