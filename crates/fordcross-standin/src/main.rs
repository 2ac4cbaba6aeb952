//! Simulated receiving systems, as a program.

use std::process::ExitCode;

fn main() -> ExitCode {
    match fordcross_standin::run(
        std::env::args_os(),
        &mut std::io::stdout().lock(),
        &mut std::io::stderr().lock(),
    ) {
        Ok(status) => ExitCode::from(status),
        // Nobody reads what is printed, so nobody could read why.
        Err(_) => ExitCode::FAILURE,
    }
}
