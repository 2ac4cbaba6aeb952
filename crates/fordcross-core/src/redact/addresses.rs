//! Addresses in a text: which there are, and others in their places.

use super::pseudonyms::{Book, Found};
use std::net::IpAddr;

/// A word of a text that is an address.
enum Address {
    Ip(IpAddr, Option<u32>),
    Mac([u8; 6], char),
}

/// The addresses of a text.
pub(super) fn addresses_in(text: &str) -> Vec<Found> {
    let mut found = Vec::new();
    words(text, &mut |word, after, _| {
        if let Some(Address::Ip(address, length)) = read(word, after) {
            found.push((address, length));
        }
    });
    found
}

/// The text with other addresses, and how many there were.
pub(super) fn with_pseudonyms(text: &str, book: &mut Book<'_>) -> (String, usize) {
    let mut out = String::with_capacity(text.len());
    let mut count = 0;
    let mut done = 0;
    words(text, &mut |word, after, at| {
        let new = match read(word, after) {
            Some(Address::Ip(address, length)) => book.address(address, length).to_string(),
            Some(Address::Mac(mac, separator)) => {
                let bytes = book.mac(mac).map(|byte| format!("{byte:02x}"));
                bytes.join(separator.encode_utf8(&mut [0; 4]))
            }
            None => return,
        };
        // What stays is spelled as it was.
        let is_other = read(&new, after).map(|new| same(&new)) != read(word, after).map(|old| same(&old));
        if is_other {
            out.push_str(&text[done..at]);
            out.push_str(&new);
            done = at + word.len();
        }
        count += usize::from(is_other);
    });
    out.push_str(&text[done..]);
    (out, count)
}

fn same(address: &Address) -> (Option<IpAddr>, Option<[u8; 6]>) {
    match address {
        Address::Ip(address, _) => (Some(*address), None),
        Address::Mac(mac, _) => (None, Some(*mac)),
    }
}

/// Calls for each word that could be an address, with what follows it and where it is.
fn words<'t>(text: &'t str, report: &mut dyn FnMut(&'t str, &'t str, usize)) {
    let is_part = |c: char| c.is_ascii_hexdigit() || matches!(c, ':' | '.' | '-');
    let mut rest = text;
    while !rest.is_empty() {
        let end = rest.find(|c: char| !c.is_ascii_alphanumeric() && !is_part(c)).unwrap_or(rest.len());
        if end == 0 {
            let c = rest.chars().next().unwrap_or_default();
            rest = &rest[c.len_utf8()..];
            continue;
        }
        let at = text.len() - rest.len();
        let (word, after) = rest.split_at(end);
        // A full stop or dash at the end of a sentence is none of the address.
        let bare = word.trim_end_matches(['.', '-']);
        if read(bare, after).is_some() {
            report(bare, after, at);
        } else if let Some((one, other)) = bare.split_once('-').filter(|(one, _)| read(one, "").is_some()) {
            // A range.
            report(one, "", at);
            report(other, after, at + one.len() + 1);
        } else if let Some((host, _)) = bare.split_once(':').filter(|(host, _)| host.contains('.')) {
            // With a port behind it.
            report(host, "", at);
        }
        rest = after;
    }
}

/// Reads a word as an address; `after` is what follows it.
fn read(word: &str, after: &str) -> Option<Address> {
    let length = after.strip_prefix('/').and_then(|rest| {
        let digits = rest.find(|c: char| !c.is_ascii_digit()).unwrap_or(rest.len());
        rest[..digits].parse::<u32>().ok()
    });
    if let Ok(address) = word.parse::<IpAddr>() {
        let most = if address.is_ipv4() { 32 } else { 128 };
        return Some(Address::Ip(address, length.filter(|length| *length <= most)));
    }
    let separator = word.chars().nth(2).filter(|c| matches!(c, '-' | ':'))?;
    let bytes = word
        .split(separator)
        .map(|byte| (byte.len() == 2).then(|| u8::from_str_radix(byte, 16).ok()).flatten());
    let bytes: Vec<u8> = bytes.collect::<Option<_>>()?;
    Some(Address::Mac(bytes.try_into().ok()?, separator))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::redact::Key;
    use rstest::rstest;

    #[rstest]
    #[case("ip=10.1.2.3 and 10.1.2.4, 10.1.2.3.", 3)]
    #[case("10.77.90.0/24 255.255.255.0 0.0.0.0/0", 1)]
    #[case("fd00:1:9::1 ::1 fd00:1:9::/64", 2)]
    #[case("aa-bb-cc-dd-ee-ff AA:BB:CC:DD:EE:FF ff:ff:ff:ff:ff:ff", 2)]
    #[case("from 10.1.9.5-10.1.9.9 to 203.0.113.9:443, [2001:db8:77:1::9]:80", 4)]
    #[case("release 4.6.1, 12:30:00, face, 1.2.3.4.5", 0)]
    fn addresses_are_hidden(#[case] text: &str, #[case] count: usize) {
        let key = Key::new(b"one");
        let mut book = Book::new(&key, &addresses_in(text));
        let (made, found) = with_pseudonyms(text, &mut book);
        assert_eq!(found, count, "{made}");
        // What is between them is as it was.
        let rest = |text: &str| {
            let word = |c: char| c.is_ascii_hexdigit() || matches!(c, '.' | ':' | '-');
            text.split(word).map(str::to_owned).filter(|part| !part.is_empty()).collect::<Vec<_>>()
        };
        assert_eq!(rest(&made), rest(text));
    }
}
