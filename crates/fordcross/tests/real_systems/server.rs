//! A `PostgreSQL` server of one release, on a socket in a folder of its own.

use crate::programs::{kept, run, said};
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use tempfile::TempDir;

/// The releases that are kept, oldest first.
pub(crate) const RELEASES: [&str; 5] = ["10", "12", "14", "16", "18"];
/// A port for the name of the socket; nothing listens on the network.
const PORT: &str = "6543";

pub(crate) struct Server {
    release: String,
    folder: TempDir,
    is_running: bool,
    /// The network that it is in, if it has one of its own.
    network: Option<Arc<Network>>,
    /// Whom the judge asks as, and in which database.
    judge: &'static str,
}

/// A network namespace with addresses that clients of the server may have.
struct Network(String);

/// Addresses of the server's own network, all of them on its loopback: whoever connects to one comes from it.
pub(crate) const ADDRESSES: [&str; 7] =
    ["127.0.0.1", "::1", "10.66.1.1", "10.1.1.1", "192.0.2.10", "198.51.100.10", "203.0.113.10"];

/// What a refused login is called, by what is said of it.
const REASONS: [(&str, &str); 11] = [
    ("WAL sender", "no-replication"),
    ("walsender", "no-replication"),
    ("no pg_hba.conf entry", "no-rule"),
    ("pg_hba.conf rejects", "rejected"),
    ("password authentication failed", "password"),
    ("Peer authentication failed", "peer"),
    ("does not exist", "absent"),
    ("Ident authentication failed", "ident"),
    ("authentication failed", "failed"),
    ("Connection refused", "closed"),
    ("SSL", "ssl"),
];

impl Network {
    fn new() -> Self {
        static COUNT: AtomicUsize = AtomicUsize::new(0);
        let name = format!("pg-{}-{}", std::process::id(), COUNT.fetch_add(1, Ordering::Relaxed));
        let ip = |arguments: &[&str]| {
            let output = run(Command::new("ip").args(arguments));
            assert!(output.status.success(), "ip {arguments:?}: {}", said(&output));
        };
        ip(&["netns", "add", &name]);
        ip(&["-n", &name, "link", "set", "lo", "up"]);
        for address in ADDRESSES.iter().filter(|address| !["127.0.0.1", "::1"].contains(address)) {
            ip(&["-n", &name, "addr", "add", address, "dev", "lo"]);
        }
        Self(name)
    }
}

impl Drop for Network {
    fn drop(&mut self) {
        let _ = run(Command::new("ip").args(["netns", "del", &self.0]));
    }
}

/// What a running server says of a setting.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Setting {
    pub(crate) value: String,
    pub(crate) boot: String,
    pub(crate) context: String,
}

/// A folder with a short path, which that of a socket has to be; in memory where there is such a place.
fn new_folder() -> TempDir {
    let places = ["/dev/shm", "/tmp"];
    let place = places.into_iter().find(|place| Path::new(place).is_dir()).unwrap_or(places[1]);
    tempfile::Builder::new().prefix("pg").tempdir_in(place).expect("a temporary folder")
}

impl Server {
    /// A new cluster with the configuration that `initdb` writes.
    pub(crate) fn new(release: &str) -> Self {
        let folder = new_folder();
        let server =
            Self { release: release.to_owned(), folder, is_running: false, network: None, judge: "postgres" };
        let output = run(server
            .program("initdb")
            .args(["-U", "postgres", "-A", "trust", "--no-sync", "-D"])
            .arg(server.data()));
        assert!(output.status.success(), "{}", said(&output));
        server
    }

    /// A copy of a stopped one, in a network of its own.
    pub(crate) fn like(other: &Self) -> Self {
        Self::within_network(other, Arc::new(Network::new()))
    }

    /// A copy of a stopped one, in the network of another.
    pub(crate) fn beside(other: &Self, neighbour: &Self) -> Self {
        Self::within_network(other, neighbour.network.clone().expect("a network of its own"))
    }

    fn within_network(other: &Self, network: Arc<Network>) -> Self {
        let folder = new_folder();
        let output = run(Command::new("cp").arg("-a").arg(other.data()).arg(folder.path()));
        assert!(output.status.success(), "{}", said(&output));
        let release = other.release.clone();
        Self { release, folder, is_running: false, network: Some(network), judge: "judge" }
    }

    /// Runs a statement in a stopped one, which is stopped again.
    pub(crate) fn reopened(&mut self, statement: &str) {
        self.start("once more");
        self.query(statement);
        self.stop_cleanly();
    }

    /// Starts it as it is, but for the folder of its sockets; its log if it does not start.
    pub(crate) fn start_as_it_is(&mut self) -> Result<(), String> {
        let options = format!("-c unix_socket_directories='{}'", self.folder.path().display());
        let output = self.control(&["-o", &options, "start"]);
        self.is_running = output.status.success();
        let log = || fs::read_to_string(self.folder.path().join("log")).unwrap_or_default();
        output.status.success().then_some(()).ok_or_else(log)
    }

    /// What comes of a login: `ok`, or what the server or the client says.
    pub(crate) fn login(&self, address: &str, database: &str, user: &str, ssl: &str) -> String {
        let host =
            if address == "local" { self.folder.path().display().to_string() } else { address.to_owned() };
        let mut command = self.within("psql");
        command.env("PGPASSWORD", "tide").env("PGSSLMODE", ssl).env("PGCONNECT_TIMEOUT", "5");
        command.args(["-X", "-At", "-p", &self.port(), "-c", "SELECT 1", "-h", &host]);
        let output = run(command.args(["-U", user]).arg(database));
        if output.status.success() {
            return "ok".to_owned();
        }
        let said = said(&output);
        let reason = REASONS.iter().find(|(text, _)| said.contains(text));
        reason.map_or_else(|| said.trim().replace('\n', " "), |(_, word)| (*word).to_owned())
    }

    /// The port of its sockets.
    fn port(&self) -> String {
        let folder = fs::read_dir(self.folder.path()).expect("a folder");
        let mut names =
            folder.map(|entry| entry.expect("an entry").file_name().to_string_lossy().into_owned());
        let port = names.find_map(|name| {
            name.strip_prefix(".s.PGSQL.").filter(|port| !port.ends_with("lock")).map(str::to_owned)
        });
        port.unwrap_or_else(|| PORT.to_owned())
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
        let mut command = self.within("unshare");
        command.args(["--user", "--map-user=65534", "--map-group=65534"]).arg(path);
        command
    }

    /// A program in the network of the server.
    fn within(&self, program: &str) -> Command {
        let Some(Network(name)) = self.network.as_deref() else { return Command::new(program) };
        let mut command = Command::new("ip");
        command.args(["netns", "exec", name, program]);
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

    /// Stops it so that it needs no recovery.
    pub(crate) fn stop_cleanly(&mut self) {
        self.control(&["-m", "fast", "stop"]);
        self.is_running = false;
    }

    pub(crate) fn stop(&mut self) {
        if std::mem::take(&mut self.is_running) {
            self.control(&["-m", "immediate", "stop"]);
        }
    }

    /// The rows of a query, with their columns.
    #[track_caller]
    pub(crate) fn query(&self, query: &str) -> Vec<Vec<String>> {
        // A configuration can end sessions that wait a moment.
        let mut output = self.asked(query);
        for _ in 0..4 {
            if output.status.success() {
                break;
            }
            output = self.asked(query);
        }
        assert!(output.status.success(), "{}", said(&output));
        let text = String::from_utf8_lossy(&output.stdout).into_owned();
        let rows = text.trim_end_matches('\n').split('\u{1e}').filter(|row| !row.is_empty());
        rows.map(|row| row.split('\u{1f}').map(str::to_owned).collect()).collect()
    }

    /// The same, whatever comes of it.
    pub(crate) fn asked(&self, query: &str) -> Output {
        let mut command = self.within("psql");
        command.args(["-X", "-U", self.judge, "-d", self.judge, "-p", &self.port(), "-At"]);
        run(command.args(["-F", "\u{1f}", "-R", "\u{1e}", "-c", query, "-h"]).arg(self.folder.path()))
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
