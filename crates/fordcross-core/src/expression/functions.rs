//! The functions that expressions have beside those of the language itself.

use super::OperandKind::{self, Boolean, Integer, Text, Unknown};
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
    pub(crate) gives: OperandKind,
    /// For the reference of the language.
    pub(crate) about: &'static str,
}

/// All functions of ours, in the order of the reference.
pub(crate) static FUNCTIONS: &[Function] = &[
    Function {
        name: "given",
        takes: &[Text],
        gives: Boolean,
        about: "whether a setting or object of that path is given",
    },
    Function { name: "count", takes: &[Text], gives: Integer, about: "how often it is given" },
    Function {
        name: "effective",
        takes: &[Text],
        gives: Unknown,
        about: "the value that holds: the one given, or else the default",
    },
    Function {
        name: "since",
        takes: &[Text],
        gives: Boolean,
        about: "whether the old release is that one or a later one",
    },
    Function {
        name: "named_by",
        takes: &[Text],
        gives: Boolean,
        about: "whether a setting of that path has the name of the object as its value",
    },
    Function {
        name: "names",
        takes: &[Text],
        gives: Unknown,
        about: "the names of what stands at that path, as a set: `port in names('/ports/*')`",
    },
    Function {
        name: "values",
        takes: &[Text],
        gives: Unknown,
        about: "the values of settings of that path, for `like_any`",
    },
    Function {
        name: "network",
        takes: &[Text, Integer],
        gives: Text,
        about: "the network of an address and a prefix length",
    },
    Function {
        name: "holds",
        takes: &[Text, Text],
        gives: Boolean,
        about: "whether a network holds an address",
    },
    Function { name: "first", takes: &[Text], gives: Text, about: "the first address of a network" },
    Function {
        name: "last",
        takes: &[Text],
        gives: Text,
        about: "the last address of a network; its broadcast address in IPv4",
    },
    Function {
        name: "prefix_length",
        takes: &[Text],
        gives: Integer,
        about: "the prefix length of a network",
    },
    Function {
        name: "like",
        takes: &[Text, Text],
        gives: Boolean,
        about: "whether a text is like a pattern, in which `*` stands for anything and `?` for one character",
    },
    Function {
        name: "like_any",
        takes: &[Text, Unknown],
        gives: Boolean,
        about: "whether a text is like one of several patterns: `like_any(name, values('/patterns'))`",
    },
    Function { name: "lower", takes: &[Text], gives: Text, about: "the text in lower case" },
    Function { name: "upper", takes: &[Text], gives: Text, about: "the text in upper case" },
    Function {
        name: "before",
        takes: &[Text, Text],
        gives: Text,
        about: "what stands before the first such text; all if there is none",
    },
    Function {
        name: "after",
        takes: &[Text, Text],
        gives: Text,
        about: "what stands after the first such text; nothing if there is none",
    },
    Function {
        name: "replace",
        takes: &[Text, Text, Text],
        gives: Text,
        about: "the text with each second replaced by the third",
    },
    Function {
        name: "verbatim",
        takes: &[Text],
        gives: Text,
        about: "a regular expression (POSIX, extended) that fits that text and nothing else",
    },
];

/// Those that ask about the surroundings and so take a path that is known beforehand.
pub(super) const QUESTIONS: [&str; 7] =
    ["given", "count", "effective", "since", "named_by", "names", "values"];

type Words = Arc<String>;
type Fallible<T> = Result<T, cel::ExecutionError>;

/// Adds all functions that do not ask about the surroundings: these are answered beforehand.
pub(super) fn add(context: &mut Context<'_, '_>) {
    // The names are ours alone, so none is declared already.
    let _ = context.add_function("network", |address: Words, length: i64| -> Fallible<Words> {
        let address: IpAddr = parse("network", &address)?;
        let length = u8::try_from(length).map_err(|error| failed("network", error))?;
        let network = IpNet::new(address, length).map_err(|error| failed("network", error))?;
        Ok(Arc::new(network.trunc().to_string()))
    });
    let _ = context.add_function("holds", |network: Words, address: Words| -> Fallible<bool> {
        let network: IpNet = parse("holds", &network)?;
        Ok(network.contains(&parse::<IpAddr>("holds", &address)?))
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
    let _ =
        context.add_function("like", |text: Words, pattern: Words| WildMatch::new(&pattern).matches(&text));
    let _ = context.add_function("like_any", |text: Words, patterns: Arc<Vec<cel::Value>>| {
        patterns.iter().any(|pattern| match pattern {
            cel::Value::String(pattern) => WildMatch::new(pattern).matches(&text),
            _ => false,
        })
    });
    let _ = context.add_function("lower", |text: Words| text.to_lowercase());
    let _ = context.add_function("upper", |text: Words| text.to_uppercase());
    let _ = context.add_function("before", |text: Words, mark: Words| {
        text.split_once(mark.as_str()).map_or_else(|| text.as_ref().clone(), |(before, _)| before.to_owned())
    });
    let _ = context.add_function("after", |text: Words, mark: Words| {
        text.split_once(mark.as_str()).map_or_else(String::new, |(_, after)| after.to_owned())
    });
    let _ = context
        .add_function("replace", |text: Words, old: Words, new: Words| text.replace(old.as_str(), &new));
    let _ = context.add_function("verbatim", |text: Words| {
        let escaped =
            text.chars().flat_map(|c| special_in_patterns(c).then_some('\\').into_iter().chain([c]));
        format!("^{}$", escaped.collect::<String>())
    });
}

/// The characters that mean something in extended regular expressions: POSIX.1-2017, XBD 9.4.3.
fn special_in_patterns(c: char) -> bool {
    ".[\\()*+?{|^$".contains(c)
}

fn parse<T: std::str::FromStr<Err: std::fmt::Display>>(function: &str, text: &str) -> Fallible<T> {
    text.parse().map_err(|error| failed(function, error))
}

fn failed(function: &str, error: impl std::fmt::Display) -> cel::ExecutionError {
    cel::ExecutionError::function_error(function, error)
}
