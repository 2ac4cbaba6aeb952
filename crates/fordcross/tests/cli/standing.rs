//! Configurations as they are in folders: packed with their folder, in two folders, with files that include others,
//! among what editors and packages leave behind.

use crate::desk::Desk;
use rstest::rstest;
use std::process::Command;

/// A server's folder that includes in each way.
fn server(desk: &Desk, folder: &str) {
    let main = "Include 'capitals.conf'\ninclude '/opt/other/by-end.conf'\ninclude '/etc/postgresql/15/main/gone.conf'\n\
        include_dir 'conf.d'\ninclude_if_exists 'local.conf'\ninclude 'sub/../up.conf'\nwork_mem = 64MB\n";
    for (name, text) in [
        ("PG_VERSION", "15\n"),
        ("postgresql.conf", main),
        ("capitals.conf", "port = 5433\n"),
        ("by-end.conf", "max_connections = 55\n"),
        ("up.conf", "log_min_messages = info\n"),
        ("postgresql.conf~", "work_mem = 1MB\n"),
        ("pg_hba.conf.dpkg-old", "local all all trust\n"),
    ] {
        desk.write(&format!("{folder}/{name}"), text);
    }
    std::fs::create_dir_all(desk.path(&format!("{folder}/conf.d"))).expect("a folder");
}

/// Locator and fate of each setting of the backup.
fn rows(desk: &Desk, folder: &str) -> Vec<(String, String)> {
    let rows = desk.ledger(folder).into_iter().filter(|row| row["kind"] == "setting");
    let mut rows: Vec<(String, String)> = rows
        .map(|row| {
            let text = |key: &str| row[key].as_str().unwrap_or_default().to_owned();
            (text("locator"), text("fate"))
        })
        .collect();
    rows.sort();
    rows
}

#[test]
fn each_include_is_as_the_server_does_it_or_has_a_row() {
    let desk = Desk::new();
    server(&desk, "pg");
    let ran = desk.run_to(0, "carry pg --to postgresql@18 -o out");
    let wanted = [
        ("version", "moot"),
        ("main/port", "carried"),
        ("main/max_connections", "carried"),
        ("main/include", "by-hand"),
        ("main/include_dir", "moot"),
        ("main/include_if_exists", "moot"),
        ("main/log_min_messages", "carried"),
        ("main/work_mem", "carried"),
        ("other-files/pg_hba.conf.dpkg-old", "moot"),
        ("other-files/postgresql.conf~", "moot"),
    ];
    let rows = rows(&desk, "out");
    let found: Vec<(&str, &str)> = rows.iter().map(|(at, fate)| (at.as_str(), fate.as_str())).collect();
    let mut wanted = wanted.to_vec();
    wanted.sort_unstable();
    assert_eq!(found, wanted);
    assert!(
        ran.reported.contains("`/opt/other/by-end.conf` is assumed to be `by-end.conf`"),
        "{}",
        ran.reported
    );
    assert_eq!(ran.reported.matches("warning[").count(), 2, "{}", ran.reported);
}

/// The same result, however the folder is given.
#[rstest]
#[case::with_its_folder("tar -cf b.tar pg", "b.tar", "")]
#[case::deep_down(
    "mkdir -p deep/etc/postgresql && mv pg deep/etc/postgresql/main && tar -czf b.tgz deep",
    "b.tgz",
    ""
)]
#[case::beside_others(
    "mkdir whole && cp gw.xml whole && mv pg whole/pg",
    "whole",
    "`gw.xml` is next to the configuration in `pg`"
)]
#[case::in_two(
    "mkdir -p w/etc w/data/base && mv pg/PG_VERSION w/data && mv pg w/etc/pg && touch w/data/base/1",
    "w/etc/pg --also w/data",
    "is data"
)]
fn a_configuration_is_found_where_it_stands(
    #[case] shell: &str,
    #[case] given: &str,
    #[case] reported: &str,
) {
    let desk = Desk::new();
    server(&desk, "pg");
    desk.run_to(0, "carry pg --to postgresql@18 -o whole-folder");
    let wanted = rows(&desk, "whole-folder");
    let done = Command::new("sh").arg("-c").arg(shell).current_dir(desk.path("")).status().expect("a shell");
    assert!(done.success());
    let ran = desk.run_to(0, &format!("carry {given} --to postgresql@18 -o out"));
    assert_eq!(rows(&desk, "out"), wanted);
    let reported = if reported == "is data" { "1 file skipped" } else { reported };
    assert!(ran.reported.contains(reported), "{}", ran.reported);
}

#[test]
fn settings_and_data_are_one_backup_in_one_archive() {
    let desk = Desk::new();
    server(&desk, "w/etc/pg");
    desk.write("w/var/pg/postgresql.auto.conf", "work_mem = '9MB'\n");
    let ran = desk.run_to(0, "carry w --to postgresql@18 -o out");
    assert!(desk.read("out/w.postgresql/postgresql.auto.conf").contains("9MB"), "{}", ran.reported);
}

#[rstest]
#[case(
    "carry two --to postgresql@18 -o out",
    "there are 2 configurations: `a` (postgresql), `b` (postgresql)"
)]
#[case("carry two/a --also two/b --to postgresql@18 -o out", "is in both `two/a` and `two/b`")]
#[case("carry gw.xml --also two/b --to postgresql@18 -o out", "`gw.xml` is not a folder")]
#[case("carry two/a --also gw.xml --to postgresql@18 -o out", "`gw.xml` is not a folder")]
fn what_may_be_either_is_asked(#[case] line: &str, #[case] reported: &str) {
    let desk = Desk::new();
    server(&desk, "two/a");
    server(&desk, "two/b");
    let ran = desk.run(line);
    assert!(ran.reported.contains(reported) && matches!(ran.status, 1 | 3), "{}{}", ran.status, ran.reported);
    assert!(!desk.path("out").exists());
}

/// What a base says in a file that is read later holds, and the row of the setting says so.
#[rstest]
#[case("1MB", 4)]
#[case("32768kB", 0)]
fn what_a_base_overrides_is_reported(#[case] of_base: &str, #[case] status: i32) {
    let desk = Desk::new();
    for (name, text) in [
        ("old/PG_VERSION", "15\n"),
        ("old/postgresql.conf", "work_mem = 32MB\nport = 5432\n"),
        ("new/PG_VERSION", "18\n"),
        ("new/postgresql.conf", "work_mem = 4MB\n"),
        ("new/postgresql.auto.conf", &format!("work_mem = '{of_base}'\nport = 5432\n")),
    ] {
        desk.write(name, text);
    }
    desk.run_to(status, "carry old --to postgresql@18 --base new -o out --strict");
    let rows = desk.ledger("out");
    let reported = rows.iter().filter(|row| row["findings"][0] == "base-overrides");
    let reported: Vec<&str> = reported.filter_map(|row| row["locator"].as_str()).collect();
    assert_eq!(reported, if status == 4 { &["main/work_mem"][..] } else { &[] });
}

/// An untouched system has scripts of its packages and nothing else to tell.
#[test]
fn scripts_of_packages_are_no_work_for_a_person() {
    let desk = Desk::new();
    desk.write("net/interfaces", "source /etc/network/interfaces.d/*\n\nauto lo\niface lo inet loopback\n");
    std::fs::create_dir_all(desk.path("net/interfaces.d")).expect("a folder");
    for script in ["if-up.d/postfix", "if-pre-up.d/wireless-tools", "if-down.d/resolved", "interfaces~"] {
        desk.write(&format!("net/{script}"), "#!/bin/sh\nexit 0\n");
    }
    let ran = desk.run_to(0, "carry net --to netplan@0.106 -o out --strict");
    assert!(!ran.reported.contains("warning["), "{}", ran.reported);
    desk.write("net/if-up.d/firewall", "#!/bin/sh\niptables-restore </etc/fw\n");
    let ran = desk.run_to(4, "carry net --to netplan@0.106 -o out2 --strict");
    assert!(ran.reported.contains("scripts/up/firewall"), "{}", ran.reported);
}
