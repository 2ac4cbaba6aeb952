//! Fordcross on the command line.

use std::io::{self, BufWriter};
use std::process::ExitCode;

fn main() -> ExitCode {
    fordcross::prepare_process();
    // Colour on a terminal only, and not where NO_COLOR is set.
    let mut out = BufWriter::new(anstream::AutoStream::auto(io::stdout()));
    let mut err = anstream::AutoStream::auto(io::stderr());
    ExitCode::from(fordcross::run(std::env::args_os(), &mut io::stdin().lock(), &mut out, &mut err))
}
