//! Models of a platform: ports and limits.

use super::facts::ProfileFact;
use super::schema::{Schema, What};
use super::{Limit, Model, Port};
use crate::declaration::{Section, parse_pattern};
use std::ops::Range;

pub(super) fn read_model(section: Section<'_, '_>, schema: &Schema) -> Option<Model> {
    let name = section.need_word("name").map(|word| word.text.to_owned());
    let title = section.need_word("title").map(|word| word.text.to_owned());
    let mut ports: Vec<Port> = Vec::new();
    for group in section.sections("port") {
        let names = group.need_word("names");
        let medium = group.need_word("medium").map(|word| word.text.to_owned());
        let speed = group.need_word("speed").and_then(|word| {
            let speed = parse_speed(word.text);
            if speed.is_none() {
                group.report().add(word.span, ProfileFact::NoSpeed { text: word.text.to_owned() });
            }
            speed
        });
        let role = group.word("role").map(|word| word.text.to_owned());
        if let (Some(names), Some(medium), Some(speed)) = (names, medium, speed) {
            match expand_range(names.text) {
                Some(range) => {
                    for name in range {
                        if ports.iter().any(|port| port.name == name) {
                            group.report().add(names.span, ProfileFact::PortTwice { name: name.clone() });
                        }
                        ports.push(Port { name, medium: medium.clone(), speed, role: role.clone() });
                    }
                }
                None => {
                    group.report().add(names.span, ProfileFact::NoRange { text: names.text.to_owned() });
                }
            }
        }
        group.finish();
    }
    let limits = read_limits(&section, schema);
    section.finish();
    Some(Model { name: name?, title: title?, ports, limits })
}

/// `limit = { "filter/rules" = 64 }`
fn read_limits(section: &Section<'_, '_>, schema: &Schema) -> Vec<Limit> {
    let Some(table) = section.section("limit") else { return Vec::new() };
    let mut limits = Vec::new();
    for (path, value) in table.members() {
        let Some(pattern) = parse_pattern(&table, path) else { continue };
        let most = value.get_ref().as_integer().and_then(|number| number.as_str().parse().ok());
        let Some(most) = most else {
            table.report().add(value.span().into(), ProfileFact::LimitNumber);
            continue;
        };
        let counted = schema.same(&pattern).is_some_and(|entry| {
            let what = &schema[entry].what;
            what.is_list() || matches!(what, What::Object { many: true, .. })
        });
        if !counted {
            table.report().add(path.span, ProfileFact::LimitOfNone);
        }
        limits.push(Limit { of: path.text.to_owned(), most, pattern });
    }
    limits
}

/// `1G` in Mbit/s.
fn parse_speed(text: &str) -> Option<u64> {
    let (number, factor) = match text.strip_suffix('G') {
        Some(number) => (number, 1_000),
        None => (text.strip_suffix('M')?, 1),
    };
    number.parse::<u64>().ok()?.checked_mul(factor)
}

/// `p1..p4` is `p1`, `p2`, `p3`, `p4`.
fn expand_range(text: &str) -> Option<Vec<String>> {
    let Some((first, last)) = text.split_once("..") else {
        return (!text.is_empty()).then(|| vec![text.to_owned()]);
    };
    let split = |name: &str| -> Option<(usize, u32)> {
        let digits = name.bytes().rev().take_while(u8::is_ascii_digit).count();
        Some((name.len() - digits, name[name.len() - digits..].parse().ok()?))
    };
    let ((stem, from), (other_stem, to)) = (split(first)?, split(last)?);
    let range: Range<u32> = from..to.checked_add(1)?;
    (first[..stem] == last[..other_stem] && from <= to && to - from < 10_000)
        .then(|| range.map(|number| format!("{}{number}", &first[..stem])).collect())
}
