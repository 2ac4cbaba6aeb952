//! Profiles with one rule less, made from the text of a profile.

use toml::{Table, Value};

/// A profile without one rule.
pub(crate) struct Mutant {
    /// The line that findings of the rule name, counted from one.
    pub(crate) line: usize,
    /// What is not there any more: `required hostname`.
    pub(crate) what: String,
    pub(crate) text: String,
    /// Whether it is what a type says of one value.
    pub(crate) is_limit: bool,
}

/// Keys of a declaration or of an object that are rules.
const RULES: [&str; 11] = [
    "atomic",
    "required",
    "needs",
    "key-refers-to",
    "refers-to",
    "unique",
    "key-unique",
    "count",
    "narrows",
    "at-most-one",
    "at-least-one",
];
/// What a type says that values are refused for.
const LIMITS: [&str; 5] = ["min", "max", "begins", "pem", "forms"];

/// All profiles with one rule less that hold for a release, which is the newest.
pub(crate) fn mutants(profile: &str) -> Vec<Mutant> {
    let lines: Vec<&str> = profile.lines().collect();
    let mut all = Vec::new();
    let starts: Vec<usize> = (0..lines.len()).filter(|line| lines[*line].starts_with('[')).collect();
    for (number, &start) in starts.iter().enumerate() {
        let end = starts.get(number + 1).copied().unwrap_or(lines.len());
        let body = &lines[start + 1..end];
        if body.iter().any(|line| line.starts_with("until")) {
            continue;
        }
        let mut add = |line: usize, what: String, from: usize, to: usize, put: &str| {
            let kept = lines[..from].iter().copied().chain([put]).chain(lines[to..].iter().copied());
            let text = kept.collect::<Vec<_>>().join("\n") + "\n";
            let is_limit = LIMITS.iter().any(|key| what.starts_with(key));
            all.push(Mutant { line: line + 1, what, text, is_limit });
        };
        if let Some(at) = lines[start].strip_prefix("[object.\"").and_then(|rest| rest.strip_suffix("\"]")) {
            for (offset, line) in body.iter().enumerate() {
                let here = start + 1 + offset;
                let Some((key, without)) = one_line(line) else { continue };
                for (part, put) in without {
                    let part = if part.is_empty() { part } else { format!("{part} ") };
                    add(start, format!("{key} {part}of {at}"), here, here + 1, &put);
                }
            }
        }
        match lines[start] {
            // One case on the line of its list: without it there is no such check.
            "[[check]]" if body.iter().any(|line| line.starts_with("cases") && line.contains("[[\"")) => {
                let at = body.iter().position(|line| line.starts_with("cases")).expect("there is one");
                let code = body[at].split('"').nth(1).unwrap_or_default();
                add(start + 1 + at, format!("check {code}"), start, end, "");
            }
            "[[check]]" if body.iter().any(|line| line.starts_with("cases")) => {
                for (offset, line) in body.iter().enumerate().filter(|(_, line)| line.starts_with("  [\"")) {
                    let here = start + 1 + offset;
                    let code = line.split('"').nth(1).unwrap_or_default();
                    // A list of cases must have one.
                    let put = format!("  [\"{code}\", \"true\", \"-\", \"-\"],");
                    add(here, format!("check {code}"), here, here + 1, &put);
                }
            }
            "[[check]]" => {
                let code =
                    body.iter().find(|line| line.starts_with("code")).and_then(|line| line.split('"').nth(1));
                add(start, format!("check {}", code.unwrap_or_default()), start, end, "");
            }
            head if ["[object]", "[type]"].contains(&head) || head.starts_with("[setting") => {
                // `[setting."path/"]`: those below a path.
                let above = head.split('"').nth(1).unwrap_or_default();
                for (offset, line) in body.iter().enumerate() {
                    let here = start + 1 + offset;
                    for (what, put) in declaration(line, above) {
                        add(here, what, here, here + 1, &put);
                    }
                    // One of several, each on a line of its own.
                    let row = line.strip_prefix("  {").and_then(|row| row.strip_suffix("},"));
                    for (what, put) in
                        row.into_iter().flat_map(|row| declaration(&format!("row = {{{row}}}"), ""))
                    {
                        let put = put.strip_prefix("\"row\" = [").and_then(|put| put.strip_suffix("]"));
                        add(here, what, here, here + 1, &format!("  {},", put.expect("a list")));
                    }
                }
            }
            _ => {}
        }
    }
    all
}

/// The key of a line of an object, and the line without each part of it.
fn one_line(line: &str) -> Option<(String, Vec<(String, String)>)> {
    let table: Table = line.parse().ok()?;
    let (key, value) = table.into_iter().next()?;
    if !RULES.contains(&key.as_str()) {
        return None;
    }
    let without = match &value {
        Value::Array(items) => {
            let each = (0..items.len()).map(|number| {
                let mut left = items.clone();
                let part = left.remove(number).to_string();
                (part, format!("{key} = {}", Value::Array(left)))
            });
            each.collect()
        }
        _ => vec![(String::new(), String::new())],
    };
    Some((key, without))
}

/// A declaration without each rule, each part of a rule, and each limit that it has.
fn declaration(line: &str, above: &str) -> Vec<(String, String)> {
    let Ok(table) = line.parse::<Table>() else { return Vec::new() };
    let Some((path, value)) = table.into_iter().next() else { return Vec::new() };
    // Of several the last is the one of the newest release.
    let (before, declared) = match value {
        Value::Table(declared) => (Vec::new(), declared),
        Value::Array(mut all) => match all.pop() {
            Some(Value::Table(declared)) => (all, declared),
            _ => return Vec::new(),
        },
        _ => return Vec::new(),
    };
    if declared.contains_key("until") {
        return Vec::new();
    }
    let written = |left: Table| {
        let all = before.iter().cloned().chain([Value::Table(left)]).collect();
        format!("\"{path}\" = {}", Value::Array(all))
    };
    let is_limit = |key: &str| LIMITS.contains(&key);
    let keys = declared.keys().filter(|key| RULES.contains(&key.as_str()) || is_limit(key));
    let without = keys.flat_map(|key| {
        let mut left = declared.clone();
        let value = left.remove(key);
        // In which unit a length counts means nothing without one.
        if key == "min" {
            left.remove("in");
        }
        let Some(Value::Array(items)) = value.filter(|_| !is_limit(key)) else {
            return vec![(format!("{key} of {above}{path}"), written(left))];
        };
        let each = (0..items.len()).map(|number| {
            let mut fewer = items.clone();
            let part = fewer.remove(number).to_string();
            let mut left = declared.clone();
            left.insert(key.clone(), Value::Array(fewer));
            (format!("{key} {part} of {above}{path}"), written(left))
        });
        each.collect()
    });
    without.collect()
}
