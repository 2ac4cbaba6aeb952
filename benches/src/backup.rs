//! Made-up Teasel backups of any size, the same bytes every time.

use std::fmt::Write as _;

/// A backup of about `bytes` bytes: leases and filter rules in equal parts, as real ones grow, with
/// about 2 million settings in 100 MB.
pub(crate) fn backup(bytes: usize) -> String {
    let mut text = String::with_capacity(bytes + 4_096);
    text.push_str(HEAD);
    // The length of a lease and its rule together, where numbers have four or five digits.
    let pairs = (bytes.saturating_sub(HEAD.len())) / PAIR;
    text.push_str("  <leases>\n");
    for number in 0..pairs {
        lease(number, &mut text);
    }
    text.push_str("  </leases>\n  <filter>\n    <otherwise>deny</otherwise>\n");
    for number in 0..pairs {
        rule(number, &mut text);
    }
    text.push_str("  </filter>\n</teasel-backup>\n");
    text
}

const PAIR: usize = 427;

const HEAD: &str = r#"<?xml version="1.0" encoding="UTF-8"?>
<teasel-backup firmware="4.6" model="40" taken="2026-11-16T02:10:00Z" kind="full">
  <unit>
    <name>gw-bench</name>
    <domain>bench.marrowby.example</domain>
    <idle-logout>900</idle-logout>
  </unit>
  <links>
    <link id="p1" on="yes">
      <side>outer</side>
    </link>
    <link id="p2" on="yes">
      <side>inner</side>
    </link>
    <link id="p2.30" on="yes">
      <side>inner</side>
    </link>
  </links>
  <addresses>
    <address at="p2">
      <ip>2001:db8::1</ip>
      <mask>64</mask>
    </address>
  </addresses>
"#;

/// Landing stages, for texts of the length that people write.
const STAGES: [&str; 3] = ["wrackhaven-upper-shed", "sandle-point-pier", "corrie-slip-office"];

fn lease(number: usize, text: &mut String) {
    let _ = write!(
        text,
        "    <host mac=\"{:02x}-{:02x}-5e-{:02x}-{:02x}-{:02x}\">\n      <ip>2001:db8::{:x}:{:x}</ip>\n      \
         <name>unit-{number}.{}.marrowby.example</name>\n    </host>\n",
        number >> 28 & 0xF0,
        number >> 24 & 0xFF,
        number >> 16 & 0xFF,
        number >> 8 & 0xFF,
        number & 0xFF,
        number >> 16,
        number & 0xFFFF,
        STAGES[number % STAGES.len()]
    );
}

fn rule(number: usize, text: &mut String) {
    let action = if number % 7 == 3 { "deny" } else { "allow" };
    let at = ["p1", "p2", "p2.30"][number % 3];
    let stage = STAGES[number % STAGES.len()];
    let protocol = if number.is_multiple_of(4) { "udp" } else { "tcp" };
    if number.is_multiple_of(3) {
        let _ = writeln!(text, "    <!-- asked for by the harbour office of {stage}, ticket {number} -->");
    }
    let _ = write!(
        text,
        "    <rule do=\"{action}\" at=\"{at}\">\n      <from>192.0.2.{}/27</from>\n      <to>198.51.100.{}/28</to>\n      \
         <service>{protocol}/{}</service>\n      <log>no</log>\n      <note>rule {number}: {stage}, tills and boards to the booking service</note>\n    </rule>\n",
        number % 8 * 32,
        number % 16 * 16,
        number % 65_535 + 1
    );
}

#[cfg(test)]
mod tests {
    use super::backup;

    #[test]
    fn a_backup_is_about_as_large_as_asked_and_always_the_same() {
        let text = backup(200_000);
        assert!((180_000..220_000).contains(&text.len()), "{}", text.len());
        assert_eq!(text, backup(200_000));
    }
}
