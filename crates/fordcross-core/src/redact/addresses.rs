//! Addresses of a text in whose place others stand: of the ranges for documentation, the same one always the same.

use rustc_hash::FxHashMap;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

/// The text with other addresses, and how many there were.
pub(super) fn without_addresses(text: &str, book: &mut Book) -> (String, usize) {
    let is_part = |c: char| c.is_ascii_hexdigit() || matches!(c, ':' | '.' | '-');
    let mut out = String::with_capacity(text.len());
    let mut count = 0;
    let mut rest = text;
    while !rest.is_empty() {
        let end = rest.find(|c: char| !c.is_ascii_alphanumeric() && !is_part(c)).unwrap_or(rest.len());
        if end == 0 {
            let c = rest.chars().next().unwrap_or_default();
            out.push(c);
            rest = &rest[c.len_utf8()..];
            continue;
        }
        let (word, after) = rest.split_at(end);
        // A full stop or colon at the end of a sentence is none of the address.
        let bare = word.trim_end_matches(['.', '-']);
        match book.instead_of(bare, after) {
            Some(new) => {
                count += 1;
                out.push_str(&new);
                out.push_str(&word[bare.len()..]);
            }
            None => out.push_str(word),
        }
        rest = after;
    }
    (out, count)
}

/// Which address stands for which.
#[derive(Default)]
pub(super) struct Book {
    known: FxHashMap<String, usize>,
    counts: [usize; 3],
}

impl Book {
    fn number(&mut self, kind: usize, text: String) -> usize {
        let next = self.counts[kind];
        let number = *self.known.entry(text).or_insert(next);
        self.counts[kind] = self.counts[kind].max(number + 1);
        number
    }

    /// What stands for a word, if it is an address; `after` is what follows it.
    fn instead_of(&mut self, word: &str, after: &str) -> Option<String> {
        let length = after.strip_prefix('/').and_then(|rest| {
            let digits = rest.find(|c: char| !c.is_ascii_digit()).unwrap_or(rest.len());
            rest[..digits].parse::<u32>().ok()
        });
        if let Ok(address) = word.parse::<IpAddr>() {
            return match address {
                IpAddr::V4(address) if is_mask(address) => None,
                IpAddr::V4(address) => {
                    let number = self.number(0, address.to_string());
                    let new = u32::from(documentation(number));
                    let kept = length
                        .map_or(u32::MAX, |length| u32::MAX.checked_shl(32 - length.min(32)).unwrap_or(0));
                    Some(Ipv4Addr::from(new & kept).to_string())
                }
                IpAddr::V6(address) if address.is_unspecified() || address.is_loopback() => None,
                IpAddr::V6(address) => {
                    let number = self.number(1, address.to_string()) as u128 + 1;
                    // In the upper half, so that a network keeps its number.
                    let new = 0x2001_0db8_u128 << 96 | number << 64 | u128::from(length.is_none());
                    Some(Ipv6Addr::from(new).to_string())
                }
            };
        }
        let separator = word.chars().nth(2).filter(|c| matches!(c, '-' | ':'))?;
        let bytes: Vec<&str> = word.split(separator).collect();
        let is_mac = bytes.len() == 6
            && bytes.iter().all(|byte| byte.len() == 2 && byte.bytes().all(|b| b.is_ascii_hexdigit()));
        is_mac.then(|| {
            let number = self.number(2, word.to_ascii_lowercase().replace(separator, "-"));
            // RFC 7042 section 2.1.2 has 256 for documentation; those after them are locally administered.
            let head = if number < 256 { "00-00-5e-00-53" } else { "02-00-5e-00-53" };
            let head = if number < 256 {
                head.to_owned()
            } else {
                format!("{}-{:02x}", &head[..11], number >> 8 & 0xFF)
            };
            format!("{head}-{:02x}", number & 0xFF).replace('-', &separator.to_string())
        })
    }
}

/// Whether it is a mask, or stands for every address.
fn is_mask(address: Ipv4Addr) -> bool {
    let bits = u32::from(address);
    bits.leading_ones() + bits.trailing_zeros() == 32 || bits == 0
}

/// An address of the ranges of RFC 5737; past their 762, one of those for benchmarks (RFC 2544).
fn documentation(number: usize) -> Ipv4Addr {
    let (range, host) = (number / 254, number % 254 + 1);
    match range {
        0 => Ipv4Addr::new(192, 0, 2, host as u8),
        1 => Ipv4Addr::new(198, 51, 100, host as u8),
        2 => Ipv4Addr::new(203, 0, 113, host as u8),
        range => Ipv4Addr::new(198, 18 + (range >> 8 & 1) as u8, (range & 0xFF) as u8, host as u8),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("ip=10.1.2.3 and 10.1.2.4, 10.1.2.3.", "ip=192.0.2.1 and 192.0.2.2, 192.0.2.1.", 3)]
    #[case("10.1.2.0/24 255.255.255.0 0.0.0.0/0", "192.0.2.0/24 255.255.255.0 0.0.0.0/0", 1)]
    #[case("fd00::1 ::1 fd00::/64", "2001:db8:0:1::1 ::1 2001:db8:0:2::/64", 2)]
    #[case("aa-bb-cc-dd-ee-ff AA:BB:CC:DD:EE:FF", "00-00-5e-00-53-00 00:00:5e:00:53:00", 2)]
    #[case("release 4.6.1, 12:30:00, face, 1.2.3.4.5", "release 4.6.1, 12:30:00, face, 1.2.3.4.5", 0)]
    fn addresses_are_hidden(#[case] text: &str, #[case] expected: &str, #[case] count: usize) {
        assert_eq!(without_addresses(text, &mut Book::default()), (expected.to_owned(), count));
    }

    #[test]
    fn many_addresses_stay_apart() {
        let text: String = (0..2_000_u32).map(|n| format!("{} ", Ipv4Addr::from(0x0A00_0000 + n))).collect();
        let (text, count) = without_addresses(&text, &mut Book::default());
        let distinct: std::collections::HashSet<&str> = text.split_whitespace().collect();
        assert_eq!((count, distinct.len()), (2_000, 2_000));
    }
}
