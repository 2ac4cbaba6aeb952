//! Two runs, and a person, at one place at one time.

use crate::{WRACKHAVEN, keep, names, number_of, program, wrong_with};
use std::fs;
use std::process::{Output, Stdio};
use std::time::Duration;

#[test]
fn runs_to_one_place_do_not_mix() {
    let desk = tempfile::tempdir().expect("a folder");
    let folder = desk.path();
    fs::write(folder.join("gw.xml"), WRACKHAVEN).expect("written");
    let races = number_of("FORDCROSS_RACES", 20) as usize;
    let mut random = fastrand::Rng::with_seed(number_of("FORDCROSS_SEED", 16));
    let (mut both, mut reported, mut persons) = (0, 0, 0);
    for number in 0..races {
        let replace = |yes: bool| if yes { "--replace" } else { "" };
        let (one, other) = (replace(random.bool()), replace(random.bool()));
        let start = |model: &str, replace: &str| {
            let line = format!("carry gw.xml --to osier/{model}@2.1 -o out {replace}");
            program(folder, &line).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().expect("runs")
        };
        // In a third of them a person makes a folder of that name meanwhile.
        let is_person = number % 3 == 0;
        let first = start("8", one);
        std::thread::sleep(Duration::from_micros(random.u64(0..12_000)));
        let second = (!is_person).then(|| start("16", other));
        let by_person = is_person && fs::create_dir(folder.join("out")).is_ok();
        if by_person {
            let _ = fs::write(folder.join("out/precious.txt"), "mine");
        }
        let ended: Vec<Output> = [Some(first), second]
            .into_iter()
            .flatten()
            .map(|run| run.wait_with_output().expect("ends"))
            .collect();
        for ran in &ended {
            let err = String::from_utf8_lossy(&ran.stderr);
            let is_reported =
                ["another run is writing", "add `--replace`", "is not empty", "is not replaced"];
            assert!(ran.status.success() || is_reported.iter().any(|words| err.contains(words)), "{err}");
            reported += usize::from(!ran.status.success());
        }
        let out = folder.join("out");
        if by_person && out.join("precious.txt").exists() {
            assert_eq!(fs::read_to_string(out.join("precious.txt")).expect("there"), "mine");
            persons += 1;
        } else {
            // What a person put there never goes: where the results are, nothing was there.
            assert!(!by_person || !ended[0].status.success() || wrong_with(&out).is_none());
            assert_eq!(wrong_with(&out), None, "race {number}");
            both += usize::from(ended.iter().all(|ran| ran.status.success()));
        }
        assert_eq!(names(folder), ["gw.xml", "out"], "race {number}");
        fs::remove_dir_all(&out).expect("removed");
    }
    keep(
        "races",
        &[
            ("races", races),
            ("told", reported),
            ("one-after-the-other", both),
            ("kept-a-persons-folder", persons),
            ("mixed", 0),
        ],
    );
}
