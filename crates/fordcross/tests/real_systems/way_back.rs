//! The way back of a change of networks: the commands of the runbook are run, in a namespace where nothing of this machine
//! changes, and then the one that runs by itself. The old configuration is there again.

use crate::programs::{run, said};
use serde_json::Value;
use std::fs;
use std::path::Path;
use std::process::Command;
use tempfile::TempDir;

const HOST: &str = "auto eth0\niface eth0 inet static\n    address 192.0.2.2/24\n    gateway 192.0.2.1\n";

/// The folders that the commands change, each one of its own; units and restarts are written down.
const AROUND: &str = r#"
set -e
for folder in /etc/network /etc/netplan /run; do mkdir -p $folder; mount -t tmpfs none $folder; done
mkdir /run/stub
for tool in systemctl reboot netplan; do printf '#!/bin/sh\necho "%s $*" >> /run/log\n' $tool > /run/stub/$tool; chmod +x /run/stub/$tool; done
export PATH=/run/stub:$PATH
cp "$FROM/interfaces" /etc/network/interfaces
cp "$RESULT" /run/NAME.netplan.yaml
cd /run
"#;

/// What is between backticks in the steps of a phase.
fn commands(steps: &[Value], phase: &str) -> Vec<String> {
    let of_phase = steps.iter().filter(|step| step["phase"] == phase);
    let texts = of_phase.filter_map(|step| step["do"].as_str());
    texts.flat_map(|text| text.split('`').skip(1).step_by(2).map(str::to_owned).collect::<Vec<_>>()).collect()
}

fn in_a_namespace(script: &str, from: &Path, result: &Path) -> String {
    let mut command = Command::new("unshare");
    command.args(["-m", "bash", "-c", script]).env("FROM", from).env("RESULT", result);
    let output = run(&mut command);
    assert!(output.status.success(), "{script}\n{}", said(&output));
    String::from_utf8_lossy(&output.stdout).into_owned()
}

#[test]
fn the_way_back_brings_the_old_network_back() {
    let folder = TempDir::new().expect("a temporary folder");
    let from = folder.path().join("host");
    fs::create_dir(&from).expect("a folder");
    fs::write(from.join("interfaces"), HOST).expect("written");
    let mut command = Command::new(env!("CARGO_BIN_EXE_fordcross"));
    command.current_dir(folder.path()).args([
        "carry",
        "host",
        "--to",
        "netplan@0.106",
        "--same-names",
        "-o",
        "out",
        "--json",
    ]);
    let output = run(&mut command);
    let made: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    let steps = made["results"][0]["work"].as_array().expect("steps").clone();
    let result = folder.path().join("out/interfaces.netplan.yaml");
    assert!(result.exists(), "{made:#}");
    let during = commands(&steps, "at");
    assert!(during.iter().any(|line| line.starts_with("mv ")), "{during:?}");
    let back =
        commands(&steps, "before").into_iter().find(|line| line.contains("way-back")).expect("a way back");
    // What the timer would run.
    let body = back.split_once("sh -c '").and_then(|(_, rest)| rest.strip_suffix('\'')).expect("a command");
    let changed =
        format!("{AROUND}{}\nls /etc/network /etc/netplan\ncat /etc/netplan/*\n", during.join("\n"));
    let seen = in_a_namespace(&changed, &from, &result);
    assert!(
        seen.contains("interfaces.before")
            && seen.contains("60-network.yaml")
            && seen.contains("192.0.2.2/24"),
        "{seen}"
    );
    let undone = format!(
        "{AROUND}{}\n: > /run/log\nsh -c '{body}'\ncat /etc/network/interfaces\nls /etc/netplan\necho --\ncat /run/log\n",
        during.join("\n")
    );
    let expected = format!(
        "{HOST}--\nsystemctl enable networking.service\nsystemctl disable systemd-networkd.service\nreboot \n"
    );
    assert_eq!(in_a_namespace(&undone, &from, &result), expected);
}
