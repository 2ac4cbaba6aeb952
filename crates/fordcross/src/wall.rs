//! A second wall around the readers of strangers' files: should one of them be taken over in spite of everything, the
//! process can still write nowhere but where its results go, start no program and reach no network.
//!
//! The kernel holds it (Landlock, Linux 5.13 and later, as much of it as the kernel knows), and nothing takes it down again. What
//! it does not protect from is in DESIGN.md.

use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};

/// Whether the process is ours to restrict: in one with others, as in a test, it is not.
static IS_OURS: AtomicBool = AtomicBool::new(false);

/// What stays possible behind the wall.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Openings<'p> {
    /// Folders in which files are made and written.
    pub(crate) writable: &'p [&'p Path],
    /// Folders in which folders are renamed, and what was replaced is removed; nothing in them is written.
    pub(crate) replaceable: &'p [&'p Path],
}

/// Says that the process is a program of its own, and sets limits to it: it leaves no dump of memory, and takes no more memory than
/// leaves room for what else runs on the machine.
pub(crate) fn own_process() {
    IS_OURS.store(true, Ordering::Relaxed);
    #[cfg(target_os = "linux")]
    {
        use rustix::process::{Resource, Rlimit, setrlimit};
        let none = Rlimit { current: Some(0), maximum: Some(0) };
        // What the system does not grant is no reason not to work.
        let _ = setrlimit(Resource::Core, none);
    }
    limit_memory(None);
}

/// Sets how many bytes of memory the process may use, in place of seven eighths of the machine's; gives back how many it may use.
#[cfg(target_os = "linux")]
pub(crate) fn limit_memory(asked: Option<u64>) -> u64 {
    use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
    let of_machine = || {
        let info = rustix::system::sysinfo();
        u64::from(info.mem_unit).saturating_mul(info.totalram as u64) / 8 * 7
    };
    let wanted = asked.unwrap_or_else(of_machine);
    let known = getrlimit(Resource::Data);
    // A limit that was set before, by whoever started the program, bounds its defaults, not what it is asked to use.
    let set = if asked.is_some() { known.maximum } else { known.current.or(known.maximum) };
    let most = set.map_or(wanted, |set| set.min(wanted));
    if IS_OURS.load(Ordering::Relaxed) {
        let _ = setrlimit(Resource::Data, Rlimit { current: Some(most), ..known });
    }
    most
}

/// There is no limit to set; what is asked for is what settings are counted against.
#[cfg(not(target_os = "linux"))]
pub(crate) fn limit_memory(asked: Option<u64>) -> u64 {
    asked.unwrap_or(u64::MAX)
}

/// Leaves the wall out: for what runs several commands in one process.
pub(crate) fn leave_out() {
    IS_OURS.store(false, Ordering::Relaxed);
}

/// Raises the wall around this thread and all that it begins. Where the kernel has none, nothing happens.
pub(crate) fn raise(openings: Openings<'_>) {
    if IS_OURS.load(Ordering::Relaxed) {
        around_this_thread(openings);
    }
}

#[cfg(not(target_os = "linux"))]
fn around_this_thread(_: Openings<'_>) {}

/// Returns whether the kernel holds it.
#[cfg(target_os = "linux")]
fn around_this_thread(openings: Openings<'_>) -> bool {
    use landlock::{
        ABI, Access as _, AccessFs, AccessNet, RestrictionStatus, Ruleset, RulesetAttr as _,
        RulesetCreatedAttr as _, RulesetStatus, path_beneath_rules,
    };
    // Of later versions nothing is asked that a prompt at the terminal needs.
    let all = AccessFs::from_write(ABI::V3) | AccessFs::Execute;
    let in_results = AccessFs::from_write(ABI::V3)
        & !(AccessFs::MakeChar
            | AccessFs::MakeBlock
            | AccessFs::MakeSock
            | AccessFs::MakeFifo
            | AccessFs::MakeSym);
    let around_results = AccessFs::MakeDir | AccessFs::RemoveDir | AccessFs::RemoveFile | AccessFs::Refer;
    // A passphrase is asked for there.
    let terminal = [Path::new("/dev/tty"), Path::new("/dev/null")];
    let restrict = || {
        Ruleset::default()
            .handle_access(all)?
            .handle_access(AccessNet::from_all(ABI::V4))?
            .create()?
            .add_rules(path_beneath_rules(openings.writable, in_results))?
            .add_rules(path_beneath_rules(openings.replaceable, around_results))?
            .add_rules(path_beneath_rules(terminal, AccessFs::WriteFile))?
            .restrict_self()
    };
    let restricted: Result<RestrictionStatus, landlock::RulesetError> = restrict();
    restricted.is_ok_and(|status| status.ruleset != RulesetStatus::NotEnforced)
}

#[cfg(all(test, target_os = "linux"))]
mod tests {
    use super::*;
    use std::fs;
    use std::net::TcpStream;
    use std::process::Command;

    /// What a reader that was taken over would try, behind the wall.
    #[test]
    fn a_reader_that_is_taken_over_writes_nowhere_else() {
        let outer = tempfile::tempdir().expect("a folder");
        let at = |name: &str| outer.path().join(name);
        for folder in ["half", "other"] {
            fs::create_dir(at(folder)).expect("a folder");
        }
        fs::write(at("kept.txt"), "kept").expect("written");
        let listener = std::net::TcpListener::bind("127.0.0.1:0").expect("a port");
        let port = listener.local_addr().expect("its address").port();
        let tried = std::thread::scope(|scope| {
            let compromised = || {
                let (half, parent) = (at("half"), outer.path());
                let held = around_this_thread(Openings { writable: &[&half], replaceable: &[parent] });
                let tries = [
                    ("write a result", fs::write(at("half/a"), "x").is_ok()),
                    ("make a folder in the results", fs::create_dir_all(at("half/b/c")).is_ok()),
                    ("put the results in place", fs::rename(at("half"), at("done")).is_ok()),
                    ("read", fs::read_to_string(at("kept.txt")).is_ok()),
                    ("write into a file beside", fs::write(at("kept.txt"), "y").is_ok()),
                    ("cut a file beside", fs::OpenOptions::new().append(true).open(at("kept.txt")).is_ok()),
                    ("make a file beside", fs::write(at("new.txt"), "x").is_ok()),
                    ("make a file elsewhere", fs::write(at("other/new.txt"), "x").is_ok()),
                    ("make a link", std::os::unix::fs::symlink("/", at("link")).is_ok()),
                    ("start a program", Command::new("/bin/true").status().is_ok()),
                    ("reach a network", TcpStream::connect(("127.0.0.1", port)).is_ok()),
                ];
                (held, tries.into_iter().filter(|(_, done)| *done).map(|(what, _)| what).collect::<Vec<_>>())
            };
            scope.spawn(compromised).join().expect("no panic")
        });
        let (held, done) = tried;
        // A kernel without it holds nothing.
        if !held {
            return;
        }
        let allowed = ["write a result", "make a folder in the results", "put the results in place", "read"];
        assert_eq!(done, allowed);
        assert_eq!(fs::read_to_string(at("kept.txt")).expect("there"), "kept");
    }
}
