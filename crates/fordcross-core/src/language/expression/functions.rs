//! The functions that expressions have beside those of the language itself.

use super::OperandKind::{self, Boolean, Integer, List, Text, Unknown};
use cel::Context;
use ipnet::IpNet;
use std::net::IpAddr;
use std::sync::Arc;
use wildmatch::WildMatch;

/// A function: its name, what it takes, what it gives, what it does.
#[derive(Debug)]
pub(crate) struct Function {
    pub(crate) name: &'static str,
    pub(crate) takes: &'static [OperandKind],
    /// The last of these may be there several times.
    pub(crate) takes_more: bool,
    /// From which of its values on it takes paths, and asks about what is there.
    path: Option<usize>,
    pub(crate) gives: OperandKind,
    /// For the reference of the language.
    pub(crate) about: &'static str,
}

impl Function {
    const fn new(
        name: &'static str,
        takes: &'static [OperandKind],
        gives: OperandKind,
        about: &'static str,
    ) -> Self {
        Self { name, takes, takes_more: false, path: None, gives, about }
    }

    /// One that asks about its surroundings: from a value on, what it takes are paths.
    const fn asks(self, path: usize) -> Self {
        Self { path: Some(path), ..self }
    }

    const fn of_several(self) -> Self {
        Self { takes_more: true, ..self }
    }

    /// From which of its values on it takes paths, if it asks about its surroundings.
    pub(super) fn first_path(&self) -> Option<usize> {
        self.path
    }
}

/// Says that a value stays as it is, whatever the map says.
pub(super) const AS_IS: &str = "as_is";

/// All functions of ours, in the order of the reference.
pub(crate) static FUNCTIONS: &[Function] = &[
    Function::new("given", &[Text], Boolean, "whether a setting or object of that path is given").asks(0),
    Function::new("count", &[Text], Integer, "how often it is given").asks(0),
    Function::new("effective", &[Text], Unknown, "the value that holds: the one given, or else the default").asks(0),
    Function::new("since", &[Text], Boolean, "whether the old release is that one or a later one").asks(0),
    Function::new("named_by", &[Text], Boolean, "whether a setting of that path has the name of the object as its value").asks(0),
    Function::new("names", &[Text], List, "the names of what is at that path, as a set: `port in names('/ports/*')`").asks(0),
    Function::new("values", &[Text], List, "the values of settings of that path, for `like_any`").asks(0),
    Function::new("same", &[Text, Text], Boolean, "whether the same is at two paths").asks(0),
    Function::new("circle", &[Text], Boolean, "whether the object leads back to itself over settings that name objects of its kind: `circle('link', 'interfaces')`").asks(0).of_several(),
    Function::new("named_late", &[Text], Boolean, "whether in the branches of the object something is behind what names it, over settings of these paths: `named_late('vlans/*/link')`").asks(0).of_several(),
    Function::new("held_by", &[Text, Text], Text, "the narrowest network at those paths that holds an address; the empty text if there is none").asks(1).of_several(),
    Function::new("overlapping", &[Text, Text], Integer, "how many networks at those paths have an address in common with one").asks(1).of_several(),
    Function::new("network", &[Text, Integer], Text, "the network of an address and a prefix length"),
    Function::new("holds", &[Text, Text], Boolean, "whether a network holds an address or another network; what is neither is held by none"),
    Function::new("first", &[Text], Text, "the first address of a network"),
    Function::new("last", &[Text], Text, "the last address of a network; its broadcast address in IPv4"),
    Function::new("prefix_length", &[Text], Integer, "the prefix length of a network"),
    Function::new("family", &[Text], Integer, "4 or 6, by the address or network; 0 for what is neither"),
    Function::new("net_of", &[Text], Text, "the network of an address with its length, without the bits behind it; a bare address as it is"),
    Function::new("address_of", &[Text], Text, "the address of an address with its length"),
    Function::new("ordinal", &[Text], Unknown, "the place of an address among all, to be compared"),
    Function::new("like", &[Text, Text], Boolean, "whether a text is like a pattern, in which `*` is anything and `?` for one character"),
    Function::new("like_any", &[Text, List], Boolean, "whether a text is like one of several patterns: `like_any(name, values('/patterns'))`"),
    Function::new("any_like", &[List, Text], Boolean, "whether one of several texts is like a pattern: `any_like(values('/names'), name + '.*')`"),
    Function::new("lower", &[Text], Text, "the text in lower case"),
    Function::new("upper", &[Text], Text, "the text in upper case"),
    Function::new("octets", &[Text], Integer, "how many bytes the text has in UTF-8"),
    Function::new("before", &[Text, Text], Text, "what is before the first such text; all if there is none"),
    Function::new("after", &[Text, Text], Text, "what is behind the first such text; nothing if there is none"),
    Function::new("replace", &[Text, Text, Text], Text, "the text with each second replaced by the third"),
    Function::new("verbatim", &[Text], Text, "a regular expression (POSIX, extended) that fits that text and nothing else"),
    Function::new("pattern", &[Text], Boolean, "whether the text can be read as a regular expression"),
    Function::new("as_is", &[Unknown], Unknown, "a value that stays as it is, whatever the map says"),
];

pub(super) type Words = Arc<String>;
pub(super) type Fallible<T> = Result<T, cel::ExecutionError>;

/// Adds all functions that do not ask about the surroundings: these are answered beforehand.
pub(super) fn add(context: &mut Context<'_, '_>) {
    // The names are ours alone, so none is declared already.
    let _ = context.add_function("network", |address: Words, length: i64| -> Fallible<Words> {
        let address: IpAddr = parse("network", &address)?;
        let too_long = || failed("network", "no network has a prefix of that length");
        let length = u8::try_from(length).map_err(|_| too_long())?;
        let network = IpNet::new(address, length).map_err(|_| too_long())?;
        Ok(Arc::new(network.trunc().to_string()))
    });
    let _ = context.add_function("holds", |network: Words, address: Words| -> Fallible<bool> {
        let network = super::parse_network(&network);
        Ok(network
            .zip(super::parse_network(&address))
            .is_some_and(|(network, address)| network.contains(&address)))
    });
    let _ = context.add_function("first", |network: Words| -> Fallible<Words> {
        Ok(Arc::new(parse::<IpNet>("first", &network)?.network().to_string()))
    });
    let _ = context.add_function("last", |network: Words| -> Fallible<Words> {
        Ok(Arc::new(parse::<IpNet>("last", &network)?.broadcast().to_string()))
    });
    let _ = context.add_function("prefix_length", |network: Words| -> Fallible<i64> {
        Ok(i64::from(parse::<IpNet>("prefix_length", &network)?.prefix_len()))
    });
    add_addresses(context);
    let _ = context.add_function("octets", |text: Words| i64::try_from(text.len()).unwrap_or(i64::MAX));
    let _ = context.add_function("pattern", |text: Words| is_pattern(&text));
    let _ = context.add_function(AS_IS, |value: cel::Value| value);
    let _ =
        context.add_function("like", |text: Words, pattern: Words| WildMatch::new(&pattern).matches(&text));
    let _ = context.add_function("like_any", |text: Words, patterns: Arc<Vec<cel::Value>>| {
        patterns.iter().any(|pattern| match pattern {
            cel::Value::String(pattern) => WildMatch::new(pattern).matches(&text),
            _ => false,
        })
    });
    let _ = context.add_function("any_like", |texts: Arc<Vec<cel::Value>>, pattern: Words| {
        let pattern = WildMatch::new(&pattern);
        texts.iter().any(|text| matches!(text, cel::Value::String(text) if pattern.matches(text)))
    });
    let _ = context.add_function("lower", |text: Words| text.to_lowercase());
    let _ = context.add_function("upper", |text: Words| text.to_uppercase());
    let _ = context.add_function("before", |text: Words, mark: Words| {
        text.split_once(mark.as_str()).map_or_else(|| text.as_ref().clone(), |(before, _)| before.to_owned())
    });
    let _ = context.add_function("after", |text: Words, mark: Words| {
        text.split_once(mark.as_str()).map_or_else(String::new, |(_, after)| after.to_owned())
    });
    let _ = context.add_function("replace", |text: Words, old: Words, new: Words| -> Fallible<Words> {
        // What it gives grows with each text that is replaced, and again with each time that it is called.
        let times = text.matches(old.as_str()).count();
        if text.len() + times * new.len() > super::MOST_BYTES {
            return Err(failed("replace", "the text becomes longer than 64 KiB"));
        }
        Ok(Arc::new(text.replace(old.as_str(), &new)))
    });
    let _ = context.add_function("verbatim", |text: Words| {
        let escaped =
            text.chars().flat_map(|c| special_in_patterns(c).then_some('\\').into_iter().chain([c]));
        format!("^{}$", escaped.collect::<String>())
    });
}

/// The functions of addresses that take no path.
fn add_addresses(context: &mut Context<'_, '_>) {
    let address = |text: &str| {
        text.parse::<IpAddr>().or_else(|_| text.parse::<IpNet>().map(|network| network.addr())).ok()
    };
    let _ = context.add_function("family", move |text: Words| match address(&text) {
        Some(IpAddr::V4(_)) => 4_i64,
        Some(IpAddr::V6(_)) => 6,
        None => 0,
    });
    let _ = context.add_function("net_of", |text: Words| match text.parse::<IpNet>() {
        Ok(network) => network.trunc().to_string(),
        Err(_) => text.as_ref().clone(),
    });
    let _ = context.add_function("address_of", move |text: Words| {
        address(&text).map(|it| it.to_string()).unwrap_or_default()
    });
    let _ = context.add_function("ordinal", |text: Words| -> Fallible<Words> {
        // As a text that compares as the number does: IPv6 has more bits than whole numbers here.
        Ok(Arc::new(match parse::<IpAddr>("ordinal", &text)? {
            IpAddr::V4(address) => format!("4 {:032x}", u32::from(address)),
            IpAddr::V6(address) => format!("6 {:032x}", u128::from(address)),
        }))
    });
}

/// Whether a text can be read as an extended regular expression: brackets that close, and something before what
/// says how often it is there (POSIX.1-2017, XBD 9.4).
fn is_pattern(text: &str) -> bool {
    let mut open = 0_usize;
    // Whether what comes before can be there several times.
    let mut repeatable = false;
    let mut rest = text.chars().peekable();
    while let Some(c) = rest.next() {
        match c {
            '\\' if rest.next().is_none() => return false,
            '[' => {
                rest.next_if_eq(&'^');
                rest.next_if_eq(&']');
                if !rest.by_ref().any(|c| c == ']') {
                    return false;
                }
            }
            '(' => open += 1,
            ')' if open == 0 => return false,
            ')' => open -= 1,
            '*' | '+' | '?' if !repeatable => return false,
            _ => {}
        }
        repeatable = !matches!(c, '(' | '|' | '^');
        if c == '(' {
            // `(?:` and its like of advanced expressions.
            rest.next_if_eq(&'?');
        }
    }
    open == 0
}

/// The characters that mean something in extended regular expressions: POSIX.1-2017, XBD 9.4.3.
fn special_in_patterns(c: char) -> bool {
    ".[\\()*+?{|^$".contains(c)
}

pub(super) fn parse<T: std::str::FromStr>(function: &str, text: &str) -> Fallible<T> {
    text.parse().map_err(|_| failed(function, "a text is no address or network"))
}

pub(super) fn failed(function: &str, why: &str) -> cel::ExecutionError {
    cel::ExecutionError::function_error(function, why)
}
