//! Running programs side by side.

use crate::backup::backup;
use std::fs;
use std::io::{self, Write};
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Instant;

const IDENTITY: &str = r#"<xsl:stylesheet version="1.0" xmlns:xsl="http://www.w3.org/1999/XSL/Transform">
<xsl:template match="@*|node()"><xsl:copy><xsl:apply-templates select="@*|node()"/></xsl:copy></xsl:template>
</xsl:stylesheet>"#;

/// One run: seconds of wall time, and the most memory in KiB where it could be told.
#[derive(Clone, Copy, Debug)]
struct Run {
    seconds: f64,
    peak: f64,
}

/// Measures all sizes and prints the table.
pub(crate) fn table(program: &Path, sizes: &[String], runs: usize, out: &mut dyn Write) -> io::Result<()> {
    let folder = tempfile::tempdir()?;
    let program = fs::canonicalize(program).map_err(|error| {
        io::Error::other(format!("{}: {error}; build it with `cargo build --release`", program.display()))
    })?;
    let own = std::env::current_exe()?;
    fs::write(folder.path().join("identity.xsl"), IDENTITY)?;
    unbounded(&folder.path().join("unbounded"))?;
    writeln!(
        out,
        "{:>6} {:>9} {:>10} {:>10} {:>9} {:>10} {:>12} {:>12} {:>14} {:>12}",
        "size",
        "carry s",
        "xsltproc s",
        "events s",
        "least s",
        "nothing s",
        "of xsltproc",
        "of events",
        "least of xslt",
        "peak/input"
    )?;
    let mut per_byte = Vec::new();
    for size in sizes {
        let bytes = crate::bytes(size)?;
        let input = folder.path().join("gw.xml");
        fs::write(&input, backup(bytes))?;
        #[expect(clippy::cast_precision_loss, reason = "sizes of files are far below where it matters")]
        let length = fs::metadata(&input)?.len() as f64;
        let (mut carry, mut xslt, mut events) = (Vec::new(), Vec::new(), Vec::new());
        let (mut least, mut nothing) = (Vec::new(), Vec::new());
        // The first round warms up and is not counted.
        for round in 0..=runs {
            let result = folder.path().join(format!("out-{round}"));
            let mut command = Command::new(&program);
            command
                .args(["carry", "gw.xml", "--to", "osier/16@2.1", "--profiles", "unbounded", "-o"])
                .arg(&result);
            let ours = run(&command, folder.path())?;
            let mut command = Command::new("xsltproc");
            command
                .args(["--huge", "-o"])
                .arg(folder.path().join(format!("copy-{round}.xml")))
                .args(["identity.xsl", "gw.xml"]);
            let theirs = run(&command, folder.path())?;
            let mut command = Command::new(&own);
            command.args(["events", "gw.xml"]);
            let loop_alone = run(&command, folder.path())?;
            let written = |file: &str| Ok::<_, io::Error>(fs::metadata(result.join(file))?.len().to_string());
            let empty = folder.path().join(format!("least-{round}"));
            fs::create_dir(&empty)?;
            let mut command = Command::new(&own);
            command.args(["least", "gw.xml", &written("ledger.jsonl")?, &written("gw.osier.json")?]);
            let no_less = run(command.arg(&empty), folder.path())?;
            fs::remove_dir_all(&empty)?;
            let mut command = Command::new(&own);
            command.arg("nothing");
            let start_alone = run(&command, folder.path())?;
            fs::remove_dir_all(&result)?;
            fs::remove_file(folder.path().join(format!("copy-{round}.xml")))?;
            if round > 0 {
                carry.push(ours);
                xslt.push(theirs);
                events.push(loop_alone);
                least.push(no_less);
                nothing.push(start_alone);
            }
        }
        let seconds = |runs: &[Run]| median(runs.iter().map(|run| run.seconds).collect());
        let start = seconds(&nothing);
        // Small inputs: what a program that does nothing takes is no work on either side.
        let less = if bytes < 1_000_000 { start } else { 0.0 };
        let ratio = |ones: &[Run], others: &[Run]| {
            median(ones.iter().zip(others).map(|(a, b)| (a.seconds - less) / (b.seconds - less)).collect())
        };
        let peak = median(carry.iter().map(|run| run.peak * 1024.0).collect()) / length;
        per_byte.push(seconds(&carry) / length);
        writeln!(
            out,
            "{size:>6} {:>9.3} {:>10.3} {:>10.3} {:>9.3} {start:>10.4} {:>12.3} {:>12.2} {:>14.3} {peak:>12.2}",
            seconds(&carry),
            seconds(&xslt),
            seconds(&events),
            seconds(&least),
            ratio(&carry, &xslt),
            ratio(&carry, &events),
            ratio(&least, &xslt),
        )?;
    }
    if let [.., ten, hundred] = per_byte.as_slice() {
        writeln!(out, "time a byte, the last size against the one before: {:.2}", hundred / ten)?;
    }
    Ok(())
}

fn median(mut values: Vec<f64>) -> f64 {
    values.sort_by(f64::total_cmp);
    values.get(values.len() / 2).copied().unwrap_or(f64::NAN)
}

/// Runs a command under GNU time, which tells the most memory it had.
fn run(command: &Command, folder: &Path) -> io::Result<Run> {
    let mut timed = Command::new("/usr/bin/time");
    timed.args(["-f", "%M"]).arg(command.get_program()).args(command.get_args()).current_dir(folder);
    timed.stdout(Stdio::null()).stderr(Stdio::piped());
    let start = Instant::now();
    let output = timed.output()?;
    let seconds = start.elapsed().as_secs_f64();
    let reported = String::from_utf8_lossy(&output.stderr).into_owned();
    if !output.status.success() {
        return Err(io::Error::other(format!("{} failed: {reported}", command.get_program().display())));
    }
    let peak = reported.lines().last().and_then(|line| line.trim().parse().ok()).unwrap_or(f64::NAN);
    Ok(Run { seconds, peak })
}

/// Writes the receiving platform's profile into a folder without the limits of its models: no real unit holds as much as is
/// carried here, and a carry beyond a limit is blocked and writes no result.
fn unbounded(folder: &Path) -> io::Result<()> {
    let shipped = fordcross_profiles::PROFILES.iter().find(|profile| profile.platform == "osier");
    let shipped = shipped.ok_or_else(|| io::Error::other("no profile of osier ships"))?;
    let lines = shipped.text.lines().filter(|line| !line.starts_with("limit = "));
    let text: String = lines.flat_map(|line| [line, "\n"]).collect();
    fs::create_dir(folder)?;
    fs::write(folder.join("osier.profile.toml"), text)
}
