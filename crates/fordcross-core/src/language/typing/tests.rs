use super::*;
use crate::declaration::{Report, Section};
use crate::mapping::{Destination, MapFile, MapFor, Mapping, Proposal};
use crate::text::source::{Source, Span};
use rstest::rstest;

/// The type that a declaration like `type = "integer"` makes, in a table that has `vlan-id` and `interface`.
fn declare(declaration: &str) -> (Types, TypeId) {
    let text = declaration.to_owned();
    let report = Report::new(Source::new("type", &text));
    let table = report.parse();
    let section = Section::new(&report, table.get_ref(), Span::default());
    let mut types = RawTypes::default();
    let id = declare_type(&section, &mut types).expect("a type");
    section.finish();
    assert!(report.is_clean(), "{:?}", report.into_findings());
    (types.types, id)
}

/// Reads by one declaration, writes by another.
#[track_caller]
fn convert(old: &str, text: &str, new: &str) -> Result<(String, bool), String> {
    let (old, old_id) = declare(old);
    let (new, new_id) = declare(new);
    let value = old.read(old_id, text).map_err(|misread| misread.expected)?;
    let mut out = String::new();
    let loss = new.write(new_id, &value, &mut out).map_err(|unfit| unfit.to_string())?;
    Ok((out, loss.is_some()))
}

const SECONDS: &str = "type = 'duration'\nunit = 's'\nunlimited = '0'";
const MINUTES: &str = "type = 'duration'\nunit = 'min'\nunlimited = '0'\nmax = 600";
const SIZE: &str = "type = 'size'\nunit = 'B'";
const YES: &str = "type = 'boolean'\non = ['yes', '1']\noff = 'no'";
const VLAN_DOT: &str = "type = 'shape'\nshapes = ['{parent:port}.{id:integer}', '{own:port}']";
const VLAN_COLON: &str = "type = 'shape'\nshapes = ['{parent:port}:{id:integer}', '{own:port}']";

#[rstest]
#[case(SECONDS, "900", MINUTES, "15", false)]
#[case(SECONDS, "100", MINUTES, "2", true)]
#[case(SECONDS, "90", MINUTES, "2", true)] // half up
#[case(SECONDS, "89", MINUTES, "1", true)]
#[case(SECONDS, "0", MINUTES, "0", false)] // never
#[case(SECONDS, "60000", MINUTES, "600", true)] // clamped
#[case(MINUTES, "15", SECONDS, "900", false)]
#[case(YES, "yes", "type = 'boolean'", "true", false)]
#[case("type = 'boolean'", "false", YES, "no", false)]
#[case("type = 'prefix-length'\nnotation = 'mask'", "255.255.255.248", "type = 'prefix-length'", "29", false)]
#[case("type = 'prefix-length'", "29", "type = 'prefix-length'\nnotation = 'mask'", "255.255.255.248", false)]
#[case("type = 'size'\nunit = 'MB'", "16", "type = 'size'\nunit = 'kB'", "16000", false)]
#[case(
    "type = 'size'\nunit = 'MiB'\nunit-suffixes = ['KiB', 'MiB']",
    "512KiB",
    "type = 'size'\nunit = 'MiB'",
    "1",
    true
)]
#[case(
    "type = 'size'\nunit = 'B'\nunit-suffixes = { k = 'KiB' }",
    "4k",
    "type = 'size'\nunit = 'B'",
    "4096",
    false
)]
#[case(
    "type = 'size'\nunit = 'B'",
    "8192",
    "type = 'size'\nunit = 'B'\nunit-suffixes = ['kB', 'KiB']",
    "8KiB",
    false
)]
#[case("type = 'rate'\nunit = 'Mbit/s'", "8", "type = 'rate'\nunit = 'MB/s'", "1", false)]
#[case("type = 'duration'\nunit = 'ms'\nunit-suffixes = ['s', 'min', 'h']", "90 min", SECONDS, "5400", false)]
#[case(
    "type = 'size'\nunit = 'KiB'\nradix-prefixes = true",
    "0x4000",
    "type = 'size'\nunit = 'MiB'",
    "16",
    false
)]
#[case("type = 'size'\nunit = 'B'\nradix-prefixes = true\ndecimals = true", "010", SIZE, "8", false)]
#[case("type = 'size'\nunit = 'B'\nradix-prefixes = true\ndecimals = true", "010.0", SIZE, "10", false)]
#[case(
    "type = 'size'\nunit = 'B'\nradix-prefixes = true\nunit-suffixes = ['kB']",
    "0x1 kB",
    SIZE,
    "1000",
    false
)]
#[case("type = 'size'\nunit = 'B'", "010", SIZE, "10", false)]
#[case("type = 'path'", "/srv/data", "type = 'text'", "/srv/data", false)]
#[case("type = 'name'", "harbour", "type = 'name'\nmax = 5", "harbo", true)]
#[case("type = 'name'", "a b", "type = 'name'\nallowed = 'a-z_'\nreplacement = '_'", "a_b", true)]
#[case(
    "type = 'secret'\nprotection = 'unit-bound'",
    "x",
    "type = 'secret'\nprotection = 'unit-bound'",
    "x",
    false
)]
#[case("type = 'mac'", "00-00-5E-00-53-07", "type = 'mac'", "00:00:5e:00:53:07", false)]
#[case(
    "type = 'mac'",
    "0000.5e00.5307",
    "type = 'mac'\nseparator = '-'\ncase = 'upper'",
    "00-00-5E-00-53-07",
    false
)]
#[case("type = 'network'", "192.0.2.0/255.255.255.0", "type = 'network'", "192.0.2.0/24", false)]
#[case("type = 'address'", "192.0.2.7", "type = 'network'", "192.0.2.7/32", false)]
#[case("type = 'address'", "2001:DB8::0:1", "type = 'address'", "2001:db8::1", false)]
#[case(
    "type = 'choice'\nvalues = ['slow|0', 'fast|1']",
    "1",
    "type = 'choice'\nvalues = ['slow', 'fast']",
    "fast",
    false
)]
#[case("type = 'integer'", "9000", "type = 'integer'\nmax = 1600", "1600", true)]
#[case("type = 'text'", "443", "type = 'integer'", "443", false)]
#[case("type = 'text'", "harbour", "type = 'text'\nmax = 4", "harb", true)]
#[case("type = 'integer'\nradix-prefixes = true", "0x40", "type = 'integer'", "64", false)]
#[case("type = 'integer'\nradix-prefixes = true", "-7", "type = 'integer'", "-7", false)]
#[case("type = 'integer'\nradix-prefixes = true", "0770", "type = 'integer'", "504", false)]
#[case("type = 'size'\nunit = '8 KiB'", "16384", "type = 'size'\nunit = 'MiB'", "128", false)]
#[case("type = 'size'\nunit = 'MiB'", "1", "type = 'size'\nunit = '8 KiB'", "128", false)]
#[case("type = 'size'\nunit = 'GB'\ndecimals = true", "1.5", "type = 'size'\nunit = 'MB'", "1500", false)]
#[case(
    "type = 'duration'\nunit = 's'\ndecimals = true",
    "0.25",
    "type = 'duration'\nunit = 'ms'",
    "250",
    false
)]
#[case(
    "type = 'boolean'\non = 'on'\noff = 'off'\ncase-insensitive = true",
    "OFF",
    "type = 'boolean'",
    "false",
    false
)]
#[case(
    "type = 'choice'\nvalues = ['md5|on', 'other']\ncase-insensitive = true",
    "On",
    "type = 'choice'\nvalues = ['md5']",
    "md5",
    false
)]
#[case(
    "type = 'list'\nof = 'host'",
    "a, 192.0.2.1 ,b",
    "type = 'list'\nof = 'host'\nseparator = '; '",
    "a; 192.0.2.1; b",
    false
)]
#[case("type = 'list'\nof = 'host'", "a", "type = 'host'", "a", false)]
#[case("type = 'prefix-length'", "ffff:ffff::", "type = 'prefix-length'", "32", false)]
#[case(
    "type = 'text'",
    "192.0.2.1/24",
    "type = 'shape'\nshapes = ['{a:address}/{l:prefix-length}']",
    "192.0.2.1/24",
    false
)]
#[case(VLAN_DOT, "p2.30", VLAN_COLON, "p2:30", false)]
#[case(VLAN_DOT, "p2", VLAN_COLON, "p2", false)]
#[case("type = 'port'", "p2", VLAN_COLON, "p2", false)]
#[case("type = 'host'", "ns1.example", "type = 'host-name'", "ns1.example", false)]
fn converts(
    #[case] old: &str,
    #[case] text: &str,
    #[case] new: &str,
    #[case] expected: &str,
    #[case] lossy: bool,
) {
    assert_eq!(convert(old, text, new), Ok((expected.to_owned(), lossy)));
}

#[rstest]
#[case(SECONDS, "10", MINUTES, "means `never`")]
#[case("type = 'list'\nof = 'host'", "a,b", "type = 'host'", "a setting with one value cannot hold several")]
#[case("type = 'integer'", "0x40", "type = 'integer'", "a whole number")]
#[case("type = 'size'\nunit = 'kB'", "1.5", "type = 'size'\nunit = 'kB'", "whole number of kilobytes")]
#[case(SECONDS, "ten", MINUTES, "whole number of seconds")]
#[case(SECONDS, "18446744073709551615", MINUTES, "whole number of seconds")]
#[case("type = 'integer'\nmin = 1\nmax = 5", "6", "type = 'integer'", "from 1 to 5")]
#[case("type = 'integer'", "+5", "type = 'integer'", "a whole number")]
#[case("type = 'prefix-length'", "255.0.255.0", "type = 'prefix-length'", "prefix length")]
#[case("type = 'network'", "192.0.2.1/24", "type = 'network'", "network such as")]
#[case("type = 'mac'", "00-00:5e-00-53-07", "type = 'mac'", "MAC address")]
#[case("type = 'host-name'", "-x.example", "type = 'text'", "host name")]
#[case("type = 'address'", "2001:db8::1", "type = 'address'\nfamily = 'ipv4'", "IPv4")]
#[case("type = 'text'", "maybe", YES, "expects `yes`")]
#[case("type = 'secret'", "hunter2", "type = 'text'", "a secret cannot be written to a visible setting")]
#[case("type = 'text'", "x", "type = 'secret'", "the target stores a secret here, and the value is not one")]
#[case("type = 'secret'", "x", "type = 'secret'\nprotection = 'hash'\nscheme = 'sha512-crypt'", "kept clear")]
#[case(
    "type = 'secret'\nprotection = 'withheld'",
    "***",
    "type = 'secret'",
    "the secret is masked in the backup"
)]
#[case("type = 'secret'\nprotection = 'unit-bound'", "x", "type = 'secret'", "only the old unit has")]
#[case(
    "type = 'size'\nunit = 'MB'",
    "8",
    "type = 'rate'\nunit = 'MB/s'",
    "whole number of megabytes a second"
)]
#[case("type = 'size'\nunit = 'MB'\nunit-suffixes = ['kB']", "8GB", "type = 'text'", "or one with its unit")]
#[case(VLAN_DOT, "p2.30", "type = 'port'", "")]
fn refuses(#[case] old: &str, #[case] text: &str, #[case] new: &str, #[case] why: &str) {
    let refused = convert(old, text, new).expect_err("refused");
    assert!(refused.contains(why), "{refused}");
}

fn mapping(old: &str, new: &str) -> Mapping {
    let port = Proposal {
        kind: crate::mapping::MapKind::Ports,
        old: old.into(),
        target: Destination::New(new.into()),
        why: String::new(),
        by_person: true,
        settings: 1,
    };
    Mapping::new("map", &[port], &MapFile::default())
}

#[test]
fn ports_inside_a_name_are_renamed() {
    let (types, id) = declare(VLAN_DOT);
    let mut value = types.read(id, "p2.30").expect("a VLAN");
    let mut named = Vec::new();
    value.ports(&mut |port| named.push(port.to_owned()));
    assert_eq!(named, ["p2"]);
    let mapping = mapping("p2", "cu2");
    assert!(MapFor { mapping: &mapping, except: &[] }.remap(&mut value));
    let mut out = String::new();
    assert_eq!(types.write(id, &value, &mut out), Ok(None));
    assert_eq!(out, "cu2.30");
}

/// Each built-in type writes what it reads.
#[test]
fn every_type_writes_what_it_reads() {
    let mut known: Vec<&str> = Vec::new();
    for (declaration, text) in [
        ("type = 'text'", "two words"),
        ("type = 'integer'", "-7"),
        ("type = 'boolean'", "true"),
        ("type = 'choice'\nvalues = ['a', 'b']", "b"),
        ("type = 'duration'\nunit = 's'", "90"),
        ("type = 'size'\nunit = 'MB'", "16"),
        ("type = 'rate'\nunit = 'Mbit/s'", "100"),
        ("type = 'address'", "2001:db8::1"),
        ("type = 'network'", "192.0.2.0/24"),
        ("type = 'prefix-length'", "29"),
        ("type = 'mac'", "00:00:5e:00:53:07"),
        ("type = 'port'", "p1"),
        ("type = 'host-name'", "gw.marrowby.example"),
        ("type = 'host'", "192.0.2.1"),
        ("type = 'name'", "photos"),
        ("type = 'path'", "/srv/photos"),
        ("type = 'command'", "cp %p /srv/wal/%f"),
        ("type = 'release'", "4.6 r3"),
        ("type = 'certificate'", "-----BEGIN CERTIFICATE-----\nMIIB\n-----END CERTIFICATE-----"),
        ("type = 'date'", "2026-11-25"),
        ("type = 'secret'", "twelve letters"),
        ("type = 'list'\nof = 'host'\nseparator = ', '", "192.0.2.1, gw.marrowby.example"),
        (VLAN_DOT, "p2.30"),
    ] {
        assert_eq!(convert(declaration, text, declaration), Ok((text.to_owned(), false)), "{declaration}");
        known.extend(declaration.split('\'').nth(1));
    }
    assert_eq!(known, BUILT_IN);
}
