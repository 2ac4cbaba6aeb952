//! The texts that an Osier gateway takes. Written from its own description, not from Fordcross.

use std::net::IpAddr;

pub(super) fn is_host_name(text: &str) -> bool {
    !text.is_empty()
        && text.len() < 254
        && text.split('.').all(|label| {
            let bytes = label.as_bytes();
            (1..64).contains(&bytes.len())
                && bytes[0] != b'-'
                && bytes[bytes.len() - 1] != b'-'
                && bytes.iter().all(|b| b.is_ascii_alphanumeric() || *b == b'-')
        })
}

/// Six pairs of lower-case digits with colons between them, and nothing else.
pub(super) fn is_mac(text: &str) -> bool {
    let pairs: Vec<&str> = text.split(':').collect();
    let pair = |pair: &&str| pair.len() == 2 && pair.bytes().all(|b| matches!(b, b'0'..=b'9' | b'a'..=b'f'));
    pairs.len() == 6 && pairs.iter().all(pair)
}

/// An address with the length of its network's prefix.
pub(super) fn with_prefix(text: &str) -> Option<(IpAddr, u32)> {
    let (address, prefix) = text.split_once('/')?;
    let address: IpAddr = address.parse().ok()?;
    let length: u32 = prefix.parse().ok().filter(|_| prefix.bytes().all(|b| b.is_ascii_digit()))?;
    (length <= width(address)).then_some((address, length))
}

/// A network: no bit set behind the prefix.
pub(super) fn is_network(text: &str) -> bool {
    with_prefix(text).is_some_and(|(address, length)| {
        let behind = width(address) - length;
        behind == 0 || bits(address) & (u128::MAX >> (128 - behind)) == 0
    })
}

pub(super) fn in_network(address: IpAddr, (network, length): (IpAddr, u32)) -> bool {
    let behind = width(network) - length;
    address.is_ipv4() == network.is_ipv4()
        && (behind >= 128 || bits(address) >> behind == bits(network) >> behind)
}

fn width(address: IpAddr) -> u32 {
    if address.is_ipv4() { 32 } else { 128 }
}

fn bits(address: IpAddr) -> u128 {
    match address {
        IpAddr::V4(address) => u128::from(u32::from(address)),
        IpAddr::V6(address) => u128::from(address),
    }
}

pub(super) fn is_pem(text: &str, kind: &str) -> bool {
    text.starts_with(&format!("-----BEGIN {kind}-----\n"))
        && text.ends_with(&format!("\n-----END {kind}-----"))
}
