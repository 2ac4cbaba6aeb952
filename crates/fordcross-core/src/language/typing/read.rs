//! Reading a text as a type.

use super::{Family, Form, Misread, TypeId, Types, Value};
use std::borrow::Cow;
use std::net::{IpAddr, Ipv4Addr, Ipv6Addr};

impl Types {
    /// What `text` means as the type `id`.
    ///
    /// # Errors
    /// What was expected instead.
    pub(crate) fn read<'t>(&'t self, id: TypeId, text: &'t str) -> Result<Value<'t>, Misread> {
        let form = &self.get(id).form;
        let bare = text.trim_ascii();
        match form {
            Form::Text(limits) if limits.fit(text) => Ok(Value::Text(Cow::Borrowed(text))),
            Form::Text(limits) => Misread::expected(characters_of(limits)),
            Form::Secret(secret) if secret.misfit(text).is_some() => {
                Misread::expected(secret.misfit(text).unwrap_or_default())
            }
            Form::Secret(secret) => Ok(Value::Secret(Cow::Borrowed(text), secret.kept_in(text).clone())),
            Form::Integer { min, max, prefixes } => match whole_number(bare, *prefixes) {
                Some(number) if (*min..=*max).contains(&number) => Ok(Value::Integer(number)),
                _ => Misread::expected(integer_range(*min, *max)),
            },
            Form::Boolean { on, off, any_case } => {
                let is = |spelling: &String| same_word(spelling, bare, *any_case);
                if on.iter().any(is) {
                    Ok(Value::Boolean(true))
                } else if off.iter().any(is) {
                    Ok(Value::Boolean(false))
                } else {
                    Misread::expected(crate::finding::one_of(on.iter().chain(off)))
                }
            }
            Form::Choice { values, any_case } => match find_choice(values, bare, *any_case) {
                Some(first) => Ok(Value::Choice(Cow::Borrowed(first))),
                None => {
                    Misread::expected(crate::finding::one_of(values.iter().filter_map(|value| value.first())))
                }
            },
            Form::Quantity(quantity) => Ok(match quantity.read(bare)? {
                Some(amount) => Value::Quantity(quantity.dimension, amount),
                None => Value::Never,
            }),
            Form::Address { family } => match bare.parse::<IpAddr>() {
                Ok(address) if family.takes(address) => Ok(Value::Address(address)),
                _ => Misread::expected(format!("an {} address", family.word())),
            },
            Form::Network { family } => match read_network(bare) {
                Some(network) if family.takes(network.addr()) => Ok(Value::Network(network)),
                _ => Misread::expected(format!("an {} network such as `192.0.2.0/24`", family.word())),
            },
            Form::PrefixLength { .. } => match read_prefix(bare) {
                Some(length) => Ok(Value::PrefixLength(length)),
                None => Misread::expected("a prefix length or a mask such as `255.255.255.0`"),
            },
            Form::Mac { .. } => match read_mac(bare) {
                Some(mac) => Ok(Value::Mac(mac)),
                None => Misread::expected("a MAC address of six pairs of hexadecimal digits"),
            },
            Form::Port => match bare {
                "" => Misread::expected("the name of a port"),
                name => Ok(Value::Port(Cow::Borrowed(name))),
            },
            Form::HostName if is_host_name(bare) => Ok(Value::Text(Cow::Borrowed(bare))),
            Form::HostName => Misread::expected("a host name"),
            Form::Host if is_host_name(bare) => match bare.parse::<IpAddr>() {
                Ok(address) => Ok(Value::Address(address)),
                Err(_) => Ok(Value::Text(Cow::Borrowed(bare))),
            },
            Form::Host => match bare.parse::<IpAddr>() {
                Ok(address) => Ok(Value::Address(address)),
                Err(_) => Misread::expected("a host name or an address"),
            },
            Form::Name { limits, .. } if !limits.fit(bare) => Misread::expected(characters_of(limits)),
            Form::Name { .. } if !bare.is_empty() => Ok(Value::Text(Cow::Borrowed(bare))),
            Form::Name { .. } => Misread::expected("a name"),
            Form::Command(_) => Ok(Value::Text(Cow::Borrowed(text))),
            // An empty path is none, and says so.
            Form::Path if bare.is_empty() => Ok(Value::Text(Cow::Borrowed(""))),
            Form::Path if bare.contains('\0') => Misread::expected("a path"),
            Form::Path => Ok(Value::Path(Cow::Borrowed(bare))),
            Form::Release if bare.is_empty() => Misread::expected("the name of a release"),
            Form::Release => Ok(Value::Text(Cow::Borrowed(bare))),
            Form::Certificate if is_pem(bare) => Ok(Value::Text(Cow::Borrowed(bare))),
            Form::Certificate => Misread::expected("a certificate in PEM form"),
            Form::Date
                if bare.parse::<jiff::Timestamp>().is_ok() || bare.parse::<jiff::civil::Date>().is_ok() =>
            {
                Ok(Value::Text(Cow::Borrowed(bare)))
            }
            Form::Date => Misread::expected("a date such as `2026-03-14` or `2026-03-14T02:10:00Z`"),
            Form::List { .. } if bare.is_empty() => Ok(Value::List(Vec::new())),
            Form::List { of, separator } => {
                let parts = bare.split(separator.trim_ascii()).map(|part| self.read(*of, part.trim_ascii()));
                parts.collect::<Result<_, _>>().map(Value::List)
            }
            Form::Shaped(alternatives) => {
                for alternative in alternatives {
                    let mut fits =
                        |index: usize, part: &str| self.read(alternative.types[index], part).is_ok();
                    if let Some(found) = alternative.shape.read(bare, &mut fits) {
                        return self.read_parts(alternative, bare, found);
                    }
                }
                Misread::expected(format!("a value of the type `{}`", self.get(id).name))
            }
        }
    }

    fn read_parts<'t>(
        &'t self,
        alternative: &'t super::Alternative,
        text: &'t str,
        found: crate::text::shape::Captured,
    ) -> Result<Value<'t>, Misread> {
        if found.is_empty() {
            return Ok(Value::Text(Cow::Borrowed(text)));
        }
        let parts = alternative.shape.captures().zip(&alternative.types).zip(found);
        parts
            .filter_map(|((name, kind), range)| Some((name, *kind, range?)))
            .map(|(name, kind, range)| Ok((Cow::Borrowed(name), self.read(kind, &text[range])?)))
            .collect::<Result<_, _>>()
            .map(Value::Parts)
    }
}

impl Family {
    pub(crate) fn takes(self, address: IpAddr) -> bool {
        match self {
            Self::Any => true,
            Self::V4 => address.is_ipv4(),
            Self::V6 => address.is_ipv6(),
        }
    }

    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Any => "IP",
            Self::V4 => "IPv4",
            Self::V6 => "IPv6",
        }
    }
}

fn same_word(known: &str, text: &str, any_case: bool) -> bool {
    known == text || any_case && known.eq_ignore_ascii_case(text)
}

pub(super) fn find_choice<'c>(choices: &'c [Vec<String>], text: &str, any_case: bool) -> Option<&'c str> {
    choices
        .iter()
        .find(|spellings| spellings.iter().any(|spelling| same_word(spelling, text, any_case)))?
        .first()
        .map(String::as_str)
}

fn characters_of(limits: &super::Limits) -> String {
    match (&limits.characters, limits.min) {
        (Some(known), _) => format!("only characters of `{}`", known.spelled),
        (None, least) => format!("at least {} characters", least.unwrap_or_default()),
    }
}

pub(super) fn integer_range(min: i64, max: i64) -> String {
    match (min, max) {
        (i64::MIN, i64::MAX) => "a whole number".into(),
        (min, i64::MAX) => format!("a whole number of at least {min}"),
        (i64::MIN, max) => format!("a whole number up to {max}"),
        (min, max) => format!("a whole number from {min} to {max}"),
    }
}

/// Digits with an optional minus: `parse` alone would take a plus. Prefixes are those of C.
fn whole_number(text: &str, prefixes: bool) -> Option<i64> {
    let (digits, radix) = match text.strip_prefix('0') {
        Some(rest) if prefixes && !rest.is_empty() => match rest.strip_prefix(['x', 'X']) {
            Some(digits) => (digits, 16),
            None => (rest, 8),
        },
        _ => (text, 10),
    };
    if digits.starts_with('+') { None } else { i64::from_str_radix(digits, radix).ok() }
}

/// A network; the bits after the prefix must be zero, else it is an address.
fn read_network(text: &str) -> Option<ipnet::IpNet> {
    let (address, prefix) = text.split_once('/')?;
    let network = ipnet::IpNet::new(address.parse().ok()?, read_prefix(prefix)?).ok()?;
    (network.addr() == network.network()).then_some(network)
}

/// `24`, or a mask whose set bits all lead (RFC 4632, section 5.1).
fn read_prefix(text: &str) -> Option<u8> {
    if let Ok(mask) = text.parse::<Ipv4Addr>() {
        let bits = u32::from(mask);
        return (bits.leading_ones() + bits.trailing_zeros() >= 32).then_some(bits.leading_ones() as u8);
    }
    if let Ok(mask) = text.parse::<Ipv6Addr>() {
        let bits = u128::from(mask);
        return (bits.leading_ones() + bits.trailing_zeros() >= 128).then_some(bits.leading_ones() as u8);
    }
    let digits = !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
    text.parse().ok().filter(|&length: &u8| digits && length <= 128)
}

/// Six pairs of hexadecimal digits with `-`, `:` or nothing between the pairs, or three groups of
/// four with `.` between them.
fn read_mac(text: &str) -> Option<[u8; 6]> {
    let grouped = match text.len() {
        17 => {
            let separator = text.as_bytes()[2];
            matches!(separator, b'-' | b':') && text.bytes().skip(2).step_by(3).all(|b| b == separator)
        }
        14 => text.bytes().skip(4).step_by(5).all(|b| b == b'.'),
        12 => true,
        _ => false,
    };
    let mut digits = text.chars().filter(|c| !matches!(c, '-' | ':' | '.'));
    let mut mac = [0; 6];
    for byte in &mut mac {
        *byte = (digits.next()?.to_digit(16)? * 16 + digits.next()?.to_digit(16)?) as u8;
    }
    (grouped && digits.next().is_none()).then_some(mac)
}

/// RFC 1123 section 2.1: labels of letters, digits and inner hyphens, 63 each, 253 in all.
fn is_host_name(text: &str) -> bool {
    let name = text.strip_suffix('.').unwrap_or(text).as_bytes();
    let mut label = 0;
    let mut last = b'.';
    for &byte in name {
        match byte {
            b'.' if label == 0 || last == b'-' => return false,
            b'.' => label = 0,
            b'-' if label == 0 => return false,
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'-' if label < 63 => label += 1,
            _ => return false,
        }
        last = byte;
    }
    text.len() <= 253 && label > 0 && last != b'-'
}

/// RFC 7468, section 2: the encapsulation boundaries, not what is between them.
fn is_pem(text: &str) -> bool {
    text.starts_with("-----BEGIN CERTIFICATE-----") && text.ends_with("-----END CERTIFICATE-----")
}
