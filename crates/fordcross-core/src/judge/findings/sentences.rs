//! How breaches are worded.

use super::causes::Cause;
use crate::finding::one_of;
use crate::judge::{Breached, Judge, Part};
use crate::language::expression::{Evaluator, Operand, Surroundings as _};
use crate::language::profile::{Breach, OwnRuleId, What, Wording};
use crate::scan::surroundings::Scope;
use crate::tree::NodeId;

/// Whether what breaks a rule keeps somebody out: that is never passed by a word.
pub(super) fn restricts(judge: &Judge<'_, '_>, breached: &Breached) -> bool {
    let OwnRuleId::Object(id) = breached.rule else { return false };
    let rule = &judge.profile.rules.objects[id.index()];
    let evaluator = Evaluator::new();
    let scope = scope_of(judge, breached, &evaluator);
    rule.restricts_if.as_ref().is_some_and(|when| when.holds(&scope))
}

pub(super) fn scope_of<'s, 'a>(
    judge: &'s Judge<'_, 'a>,
    breached: &Breached,
    evaluator: &'s Evaluator,
) -> Scope<'s, 'a> {
    Scope {
        tree: judge.tree,
        profile: judge.profile,
        inheritance: None,
        node: breached.node,
        pattern: Some(&judge.profile.rules.head(breached.rule).pattern),
        evaluator,
        gone: None,
        seen: None,
    }
}

/// What such things are called: the objects by their rules, or settings by their path.
pub(super) fn noun(judge: &Judge<'_, '_>, subject: NodeId, breached: &Breached) -> String {
    let rules = &judge.profile.rules;
    let names = judge.names_on_way(subject);
    let head = rules.head(breached.rule);
    let own = head.noun.clone().filter(|_| subject == breached.node);
    let of_objects = rules.objects.iter().filter(|rule| rule.head.pattern.fits(&names));
    // The narrower the path, the more it says.
    let named = of_objects.filter(|rule| rule.head.noun.is_some());
    let most = named.max_by_key(|rule| rule.head.pattern.exactness()).and_then(|rule| rule.head.noun.clone());
    own.or(most).unwrap_or_else(|| format!("setting `{}`", names.last().copied().unwrap_or_default()))
}

pub(super) fn wording<'j>(judge: &'j Judge<'_, '_>, breached: &Breached) -> Option<&'j Wording> {
    let rules = &judge.profile.rules;
    match (breached.rule, &breached.part) {
        (OwnRuleId::Object(id), Part::Required(number, _)) => {
            Some(&rules.objects[id.index()].required[usize::from(*number)].wording)
        }
        (OwnRuleId::Check(id), _) => Some(&rules.checks[id.index()].wording),
        _ => None,
    }
}

/// What is wrong, said of one or of several.
pub(super) fn sentence(judge: &Judge<'_, '_>, breached: &Breached, number: usize) -> String {
    let (it, has) = if number == 1 { ("it", "it has") } else { ("they", "they have") };
    if let Part::Undecided(why) = &breached.part {
        return format!("the profile cannot decide whether it is right: {why}");
    }
    if let Some(text) = wording(judge, breached).and_then(|wording| wording.text.as_deref()) {
        return filled(judge, breached, text);
    }
    match &breached.part {
        Part::Required(_, path) => format!("{has} no `{path}`"),
        Part::Needs(one, other) => format!("`{one}` has no meaning without `{other}`"),
        Part::AtMostOne(group) => format!("{has} more than one of {}", one_of(group)),
        Part::AtLeastOne(group) => format!("{has} none of {}", one_of(group)),
        Part::Narrowed(Some(path)) => format!("without `{path}` {it} would be wider than on the old unit"),
        Part::Narrowed(None) => {
            format!(
                "part of it could not be carried, and without that {it} would be wider than on the old unit"
            )
        }
        Part::Count(there) => {
            let rules = &judge.profile.rules;
            let (bounds, of) = match breached.rule {
                OwnRuleId::Setting(id) => {
                    let rule = &rules.settings[id.index()];
                    (rule.count, rule.head.pattern.last_name())
                }
                OwnRuleId::Object(id) | OwnRuleId::Count(id) => {
                    let rule = &rules.objects[id.index()];
                    (rule.count, rule.head.pattern.last_name())
                }
                OwnRuleId::Check(_) => (None, String::new()),
            };
            let wanted = match bounds {
                Some(bounds) if *there < bounds.least => format!("at least {}", bounds.least),
                Some(bounds) => format!("at most {}", bounds.most),
                None => String::new(),
            };
            format!("{has} {there} of `{of}`, and {} needs {wanted}", judge.profile.title)
        }
        Part::NothingToCountIn(_) => {
            let OwnRuleId::Count(id) = breached.rule else { return String::new() };
            let rule = &judge.profile.rules.objects[id.index()];
            let (least, of) = (rule.count.map_or(1, |bounds| bounds.least), rule.head.pattern.last_name());
            format!(
                "nothing of it arrives, and {} needs at least {least} of `{of}` in it",
                judge.profile.title
            )
        }
        Part::Unique => {
            let other = breached
                .other
                .map_or_else(String::new, |other| format!("`{}`", judge.names_on_way(other).join("/")));
            let value = shown(judge, breached.node);
            format!("{value}already exists, at {other}, and must be unique")
        }
        Part::UniqueName => {
            let other = breached.other.map_or_else(String::new, |other| judge.names_on_way(other).join("/"));
            format!(
                "`{}` already has one, at `{other}`, and can have only one",
                judge.tree.name(breached.node)
            )
        }
        Part::Reference { of, is_key } => names_nothing(judge, breached.node, of, *is_key),
        Part::Check | Part::Undecided(_) => "a check of the profile fails".to_owned(),
    }
}

/// That a value names nothing of what it should: by the nouns of these objects, if they have some.
fn names_nothing(judge: &Judge<'_, '_>, node: NodeId, of: &str, is_key: bool) -> String {
    let value = if is_key { format!("`{}`", judge.tree.name(node)) } else { shown(judge, node) };
    let (ports, of) = match of.strip_prefix("model port") {
        Some(rest) => (Some("port"), rest.trim_start_matches('|')),
        None => (None, of),
    };
    let objects = &judge.profile.rules.objects;
    let noun = |branch: &str| {
        let at = format!("{}/*", branch.trim_end_matches("/*"));
        objects
            .iter()
            .find(|rule| rule.head.noun.is_some() && rule.head.pattern.to_string() == at)?
            .head
            .noun
            .as_deref()
    };
    let nouns: Option<Vec<&str>> = of.split('|').filter(|of| !of.is_empty()).map(noun).collect();
    let unit = if ports.is_some() { " on the new unit" } else { "" };
    match nouns {
        Some(nouns) => {
            let nouns: Vec<&str> = ports.into_iter().chain(nouns).collect();
            format!("there is no {} {}{unit}", nouns.join(" or "), value.trim_end()).trim_end().to_owned()
        }
        None => format!("nothing at `{of}` is named {}", value.trim_end()),
    }
}

/// The value of a setting, if it may be shown, with a blank behind it.
pub(super) fn shown(judge: &Judge<'_, '_>, node: NodeId) -> String {
    let names = judge.names_on_way(node);
    let entry = judge.profile.schema.entries.iter().find(|entry| entry.pattern.fits(&names));
    match entry.map(|entry| &entry.what) {
        Some(What::Setting { ty, .. }) if judge.profile.types.is_open(*ty) => {
            format!("`{}` ", judge.tree.value(node).trim_ascii())
        }
        Some(What::Object { name: Some(_), .. }) => format!("`{}` ", judge.tree.name(node)),
        _ => "it ".to_owned(),
    }
}

/// A text of the profile with the values of settings put into it: `{subnet}`.
pub(super) fn filled(judge: &Judge<'_, '_>, breached: &Breached, text: &str) -> String {
    let evaluator = Evaluator::new();
    let scope = Scope {
        tree: judge.tree,
        profile: judge.profile,
        inheritance: None,
        node: breached.node,
        pattern: Some(&judge.profile.rules.head(breached.rule).pattern),
        evaluator: &evaluator,
        gone: None,
        seen: None,
    };
    let mut out = String::new();
    let mut rest = text;
    while let Some((before, (path, after))) =
        rest.split_once('{').and_then(|(before, rest)| Some((before, rest.split_once('}')?)))
    {
        out.push_str(before);
        match if path == "name" {
            scope.variable("name").unwrap_or(Operand::Nothing)
        } else {
            scope.effective(path)
        } {
            Operand::Text(text) => out.push_str(&text),
            Operand::Integer(number) => out.push_str(&number.to_string()),
            Operand::Boolean(on) => out.push_str(if on { "true" } else { "false" }),
            Operand::Nothing => out.push('…'),
        }
        rest = after;
    }
    out + rest
}

pub(super) fn remedy(judge: &Judge<'_, '_>, breached: &Breached, behind: &[Cause]) -> String {
    if matches!(breached.part, Part::Undecided(_)) {
        return "check the value yourself; if it is right, accept the finding with a reason".to_owned();
    }
    if let Some(remedy) = wording(judge, breached).and_then(|wording| wording.remedy.as_deref()) {
        return filled(judge, breached, remedy);
    }
    match (behind.first(), breached.breach) {
        (Some(Cause::Port(_)), Breach::Goes) => {
            "map the port to a new one, or set by hand what is left out".to_owned()
        }
        (Some(Cause::Port(_)), _) => "map the port to a new one".to_owned(),
        (_, Breach::Goes) => "set it on the new unit by hand".to_owned(),
        (_, Breach::Blocks) => {
            "change the map or the backup; if the rule is wrong, accept the finding in the map with a reason"
                .to_owned()
        }
        _ => "check it on the new unit".to_owned(),
    }
}
