//! A `PostgreSQL` server of one release, on a socket in a folder of its own.

use crate::programs::{kept, run, said};
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use tempfile::TempDir;

/// The releases that are kept, oldest first.
pub(crate) const RELEASES: [&str; 5] = ["10", "12", "14", "16", "18"];
/// A port for the name of the socket; nothing listens on the network.
const PORT: &str = "6543";

pub(crate) struct Server {
    release: String,
    folder: TempDir,
    is_running: bool,
}

/// What a running server says of a setting.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Setting {
    pub(crate) value: String,
    pub(crate) boot: String,
    pub(crate) context: String,
}

impl Server {
    /// A new cluster with the configuration that `initdb` writes.
    pub(crate) fn new(release: &str) -> Self {
        let folder = tempfile::Builder::new().prefix("pg").tempdir_in("/tmp").expect("a temporary folder");
        let server = Self { release: release.to_owned(), folder, is_running: false };
        let output = run(server
            .program("initdb")
            .args(["-U", "postgres", "-A", "trust", "--no-sync", "-D"])
            .arg(server.data()));
        assert!(output.status.success(), "{}", said(&output));
        server
    }

    pub(crate) fn data(&self) -> PathBuf {
        self.folder.path().join("data")
    }

    /// A program of the release. A server refuses to run as root: then it is somebody else in a namespace.
    fn program(&self, name: &str) -> Command {
        let path = kept().join("postgresql").join(&self.release).join("native/bin").join(name);
        assert!(path.exists(), "{}: `cargo xtask real-systems --fetch` fetches it", path.display());
        let is_root = String::from_utf8_lossy(&run(Command::new("id").arg("-u")).stdout).trim() == "0";
        if !is_root {
            return Command::new(path);
        }
        let mut command = Command::new("unshare");
        command.args(["--user", "--map-user=1000", "--map-group=1000"]).arg(path);
        command
    }

    /// Puts configuration files in the place of those that are there.
    pub(crate) fn configure(&self, files: &Path) {
        crate::programs::copy(files, &self.data());
    }

    /// A rule in front of all others, by which the judge may ask.
    pub(crate) fn let_us_in(&self) {
        let path = self.data().join("pg_hba.conf");
        let rules = fs::read_to_string(&path).expect("a file");
        fs::write(path, format!("local postgres postgres trust\n{rules}")).expect("written");
    }

    /// What `postgres -C` says of the configuration: it names each setting that it refuses.
    #[track_caller]
    pub(crate) fn accepts(&self, what: &str) {
        let output = run(self.program("postgres").arg("-D").arg(self.data()).args(["-C", "port"]));
        assert!(output.status.success(), "{what} in {}: {}", self.release, said(&output));
    }

    fn control(&self, arguments: &[&str]) -> Output {
        let log = self.folder.path().join("log");
        let mut command = self.program("pg_ctl");
        command.arg("-D").arg(self.data()).arg("-l").arg(log).args(["-w", "-t", "60"]).args(arguments);
        run(&mut command)
    }

    /// Starts it on its socket alone, whatever the configuration says of where it listens and what it runs.
    #[track_caller]
    pub(crate) fn start(&mut self, what: &str) {
        let own = self.folder.path().display();
        let options = format!(
            "-c listen_addresses='' -c unix_socket_directories='{own}' -c port={PORT} -c logging_collector=off -c archive_mode=off -c fsync=off"
        );
        let output = self.control(&["-o", &options, "start"]);
        let log = fs::read_to_string(self.folder.path().join("log")).unwrap_or_default();
        assert!(output.status.success(), "{what} in {}: {}\n{log}", self.release, said(&output));
        self.is_running = true;
    }

    /// Whether it starts with its configuration as it is, on its own socket where that does not say which, and what it
    /// says if it does not. `postgres -C` takes more than half of what a server refuses.
    pub(crate) fn starts(&mut self) -> Result<(), String> {
        let conf = fs::read_to_string(self.data().join("postgresql.conf")).unwrap_or_default();
        let own = self.folder.path().display().to_string();
        let mut options = format!("-c port={PORT} -c fsync=off");
        for (name, value) in [("listen_addresses", ""), ("unix_socket_directories", &own)] {
            if !conf.contains(name) {
                options = format!("{options} -c {name}='{value}'");
            }
        }
        let _ = fs::remove_file(self.folder.path().join("log"));
        let output = self.control(&["-o", &options, "start"]);
        self.is_running = true;
        self.stop();
        let log = fs::read_to_string(self.folder.path().join("log")).unwrap_or_default();
        output.status.success().then_some(()).ok_or(log)
    }

    pub(crate) fn stop(&mut self) {
        if std::mem::take(&mut self.is_running) {
            self.control(&["-m", "immediate", "stop"]);
        }
    }

    /// The rows of a query, with their columns.
    #[track_caller]
    pub(crate) fn query(&self, query: &str) -> Vec<Vec<String>> {
        let mut command = Command::new("psql");
        command.args([
            "-X", "-U", "postgres", "-d", "postgres", "-p", PORT, "-At", "-F", "\u{1f}", "-R", "\u{1e}",
            "-c", query,
        ]);
        let output = run(command.arg("-h").arg(self.folder.path()));
        assert!(output.status.success(), "{}", said(&output));
        let text = String::from_utf8_lossy(&output.stdout).into_owned();
        let rows = text.trim_end_matches('\n').split('\u{1e}').filter(|row| !row.is_empty());
        rows.map(|row| row.split('\u{1f}').map(str::to_owned).collect()).collect()
    }

    /// All rules of access as the server itself reads them, a line each.
    pub(crate) fn rules(&self) -> String {
        let rows = self.query(
            "SELECT type, database, user_name, address, netmask, auth_method, options FROM pg_hba_file_rules ORDER BY line_number",
        );
        let mut lines: Vec<String> = rows.into_iter().map(|row| row.join(" ")).collect();
        // Those of included files have line numbers of their own.
        lines.sort();
        lines.join("\n")
    }

    /// All settings, as the server itself knows them.
    pub(crate) fn settings(&self) -> BTreeMap<String, Setting> {
        let rows = self.query("SELECT name, setting, coalesce(boot_val, ''), context FROM pg_settings");
        let settings = rows.into_iter().map(|row| {
            let [name, value, boot, context] = <[String; 4]>::try_from(row).expect("four columns");
            (name, Setting { value, boot, context })
        });
        settings.collect()
    }

    /// What is wrong with the files, as the running server sees them. What only another start would change is not.
    pub(crate) fn mistakes(&self) -> Vec<Vec<String>> {
        let mut found = self.query(
            "SELECT sourcefile, sourceline, name, error FROM pg_file_settings \
             WHERE error IS NOT NULL AND error <> 'setting could not be applied'",
        );
        // Without certificates of its own the judge has no SSL, which such rows ask for.
        found.extend(self.query(
            "SELECT line_number, error FROM pg_hba_file_rules \
             WHERE error IS NOT NULL AND error <> 'hostssl record cannot match because SSL is disabled'",
        ));
        found
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        self.stop();
    }
}
