//! What a person is told of breaches: what is wrong, what became of it, and the settings of the backup and the
//! entries of the map that stand behind it.

use super::settle::{LostBy, Settled};
use super::{Breached, Judge, Part};
use crate::finding::{Code, Finding, Findings, Severity, Site, count, one_of};
use crate::ids::{PortId, RowId};
use crate::language::expression::{Operand, Surroundings as _};
use crate::language::profile::{Breach, OwnRuleId, What, Wording};
use crate::ledger::fate::Fate;
use crate::ledger::{DecidedBy, Ledger};
use crate::scan::surroundings::{Scope, Seen};
use crate::tree::NodeId;
use rustc_hash::{FxHashMap, FxHashSet};
use std::cell::OnceCell;

/// What a breach comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Cause {
    /// What the map says of the port of this number.
    Port(PortId),
    /// A row of the backup, which did not arrive or is what is wrong itself.
    Row(RowId),
    /// Nothing of the backup: this node has another origin.
    Other(NodeId),
}

/// Finds what stands behind nodes of a new tree.
pub(crate) struct Causes<'c> {
    ledger: &'c Ledger,
    /// The rows that land at each node, in the order of nodes.
    rows: OnceCell<Vec<(NodeId, RowId)>>,
}

/// What judging came to, for the ledger.
#[derive(Debug, Default)]
pub(crate) struct Judged {
    pub(crate) findings: Findings,
    /// For each breach for which something went.
    pub(crate) went: Vec<Went>,
}

/// Why something went, for the ledger.
#[derive(Debug)]
pub(crate) struct Went {
    /// The rule, as file and line.
    pub(crate) rule: String,
    pub(crate) why: String,
    pub(crate) fate: Fate,
    /// The port that the map leaves, if that is why.
    pub(crate) port: Option<PortId>,
}

impl<'c> Causes<'c> {
    pub(crate) fn new(ledger: &'c Ledger) -> Self {
        Self { ledger, rows: OnceCell::new() }
    }

    /// The rows that land at a node.
    fn rows_at(&self, node: NodeId) -> impl Iterator<Item = RowId> {
        let rows = self.rows.get_or_init(|| {
            let mut rows = Vec::new();
            for (row, decision) in self.ledger.decisions.iter().enumerate() {
                for landing in self.ledger.landings_of(decision) {
                    rows.push((landing.node, RowId::new(row)));
                }
            }
            rows.sort_unstable();
            rows
        });
        let from = rows.partition_point(|(known, _)| *known < node);
        rows[from..].iter().take_while(move |(known, _)| *known == node).map(|(_, row)| *row)
    }

    /// The first row that lands at a node or at what stands in it.
    pub(crate) fn first_row(&self, judge: &Judge<'_, '_>, node: NodeId) -> Option<RowId> {
        let mut work = vec![node];
        let mut first: Option<RowId> = None;
        while let Some(at) = work.pop() {
            if let Some(row) = self.rows_at(at).min() {
                if at == node {
                    return Some(row);
                }
                first = Some(first.map_or(row, |first| first.min(row)));
            }
            work.extend(judge.tree.children(at));
        }
        first
    }

    /// The first cause of a row's fate.
    pub(crate) fn of_row(&self, row: RowId) -> Cause {
        let mut row = row;
        // A row can only be lost because of others; a chain is as long as there are rows, at most.
        for _ in 0..64 {
            if let DecidedBy::Map(port) = self.ledger.decisions[row.index()].by {
                return Cause::Port(port);
            }
            match self.ledger.because.binary_search_by_key(&row, |(of, _)| *of) {
                Ok(at) => row = self.ledger.because[at].1,
                Err(_) => break,
            }
        }
        Cause::Row(row)
    }

    fn of_node(&self, judge: &Judge<'_, '_>, node: NodeId) -> Cause {
        self.first_row(judge, node).map_or(Cause::Other(node), Cause::Row)
    }

    /// What a breach comes from.
    pub(crate) fn of(&self, judge: &Judge<'_, '_>, settled: &Settled, breached: &Breached) -> Vec<Cause> {
        let mut causes = Vec::new();
        self.gather(judge, settled, breached, &mut FxHashSet::default(), &mut causes);
        if causes.is_empty() {
            causes.push(match breached.part {
                Part::NothingToCountIn(_) => Cause::Other(breached.node),
                _ => self.of_node(judge, breached.node),
            });
        }
        let mut known = FxHashSet::default();
        causes.retain(|cause| known.insert(*cause));
        causes
    }

    fn gather(
        &self,
        judge: &Judge<'_, '_>,
        settled: &Settled,
        breached: &Breached,
        visited: &mut FxHashSet<usize>,
        causes: &mut Vec<Cause>,
    ) {
        let mut add = |by: LostBy, causes: &mut Vec<Cause>| match by {
            LostBy::Row(row) => causes.push(self.of_row(row)),
            LostBy::Went(number) if visited.insert(number) => {
                self.gather(judge, settled, &settled.went[number], visited, causes);
            }
            LostBy::Went(_) => {}
        };
        let lost_at = |node: NodeId, path: &str| {
            let is_about = |known: &str| concerns(path, known);
            let parts = settled.lost.of(node).iter();
            parts
                .filter(move |part| part.path.as_deref().is_some_and(is_about))
                .map(|part| part.by)
                .collect::<Vec<_>>()
        };
        match &breached.part {
            Part::Required(_, path) => {
                lost_at(breached.node, path).into_iter().for_each(|by| add(by, causes));
            }
            Part::Narrowed(path) => {
                let parts = settled.lost.of(breached.node).iter();
                for part in parts.filter(|part| part.path == *path) {
                    add(part.by, causes);
                }
            }
            Part::NothingToCountIn(path) => {
                lost_at(breached.node, path).into_iter().for_each(|by| add(by, causes));
            }
            Part::Count(_) => {
                settled.lost.of(breached.node).iter().for_each(|part| add(part.by, causes));
            }
            Part::AtLeastOne(paths) => {
                for path in paths {
                    lost_at(breached.node, path).into_iter().for_each(|by| add(by, causes));
                }
            }
            Part::Reference(_) => {
                // What is named may have gone itself.
                let name = judge.tree.value(breached.node).trim_ascii();
                let named =
                    |node: &&NodeId| judge.tree.name(**node) == name && judge.tree.kind(**node).is_branch();
                if let Some(node) = settled.gone.iter().find(named) {
                    add(LostBy::Went(settled.of[node]), causes);
                }
            }
            Part::Check | Part::Undecided(_) => {
                // What the check looked for everywhere, and did not arrive.
                let paths = super::round::asked_from_top(judge, breached);
                let parts = settled.lost.of(judge.tree.root()).iter();
                let names = |path: &str| path.split('/').map(str::to_owned).collect::<Vec<_>>();
                for part in parts {
                    let Some(path) = part.path.as_deref() else { continue };
                    let names = names(path);
                    let names: Vec<&str> = names.iter().map(String::as_str).collect();
                    if paths.iter().any(|pattern| pattern.fits(&names)) {
                        add(part.by, causes);
                    }
                }
            }
            Part::Needs(..) | Part::AtMostOne(_) | Part::Unique | Part::UniqueName => {}
        }
        if causes.is_empty() {
            for seen in &breached.seen {
                match seen {
                    Seen::There(node) => causes.push(self.of_node(judge, *node)),
                    Seen::Missing(node, path) => {
                        for by in lost_at(*node, path) {
                            match by {
                                LostBy::Row(row) => causes.push(self.of_row(row)),
                                LostBy::Went(number) => {
                                    causes.push(self.of_node(judge, settled.went[number].node));
                                }
                            }
                        }
                    }
                }
            }
        }
    }

    /// Whether all that an object lacks went itself.
    fn follows(settled: &Settled, breached: &Breached) -> bool {
        let path = match &breached.part {
            Part::Required(_, path) => Some(path),
            Part::Narrowed(path) => path.as_ref(),
            _ => return false,
        };
        let about = |known: &str| path.is_none_or(|path| concerns(path, known));
        let mut parts = settled.lost.of(breached.node).iter();
        let mut parts = parts.by_ref().filter(|part| part.path.as_deref().is_some_and(about)).peekable();
        parts.peek().is_some() && parts.all(|part| matches!(part.by, LostBy::Went(_)))
    }

    /// The fate of what went, by its causes: what the map left is left, what was dropped is dropped, the rest is for
    /// a person.
    fn fate(&self, causes: &[Cause]) -> Fate {
        let fate_of = |cause: &Cause| match cause {
            Cause::Port(_) => Fate::LeftOut,
            Cause::Row(row) => match self.ledger.decisions[row.index()].fate {
                fate @ (Fate::LeftOut | Fate::Dropped) => fate,
                _ => Fate::ByHand,
            },
            Cause::Other(_) => Fate::ByHand,
        };
        causes.iter().map(fate_of).max().unwrap_or(Fate::ByHand)
    }
}

/// Whether what would have stood at a path is of a wanted one: there, in it or around it.
fn concerns(wanted: &str, lost: &str) -> bool {
    let fits = |(wanted, lost): (&str, &str)| wanted == "*" || wanted.split('|').any(|name| name == lost);
    wanted.split('/').zip(lost.split('/')).all(fits)
}

/// What is told together.
#[derive(Clone, PartialEq, Eq, Hash)]
struct Kind {
    code: String,
    breach: Breach,
    part: Part,
    cause: GroupedBy,
}

#[derive(Clone, PartialEq, Eq, Hash)]
enum GroupedBy {
    Port(PortId),
    /// Each is for the same reason.
    Code,
    /// Each names this.
    Name(String),
    /// What decided the row that is to blame, where that is a rule of which many rows may have fallen.
    Decided(DecidedBy, Fate),
    Alone(NodeId),
}

/// What is needed of a carry to say what stands behind a breach.
pub(crate) struct Words<'w> {
    pub(crate) place_of_row: &'w mut dyn FnMut(RowId) -> Site,
    /// The label of a node of the new tree.
    pub(crate) label: &'w mut dyn FnMut(NodeId) -> String,
    /// What the map says of a port: `p3 = "leave"`, and where.
    pub(crate) port: &'w dyn Fn(PortId) -> (String, Option<String>),
    /// The entry of the map that has a say in the value of a row, and gives it another one.
    pub(crate) entry: &'w dyn Fn(RowId) -> Option<String>,
}

/// Says all that settling came to.
pub(crate) fn judged(
    judge: &Judge<'_, '_>,
    settled: &Settled,
    causes: &Causes<'_>,
    words: &mut Words<'_>,
) -> Judged {
    let mut all = Judged::default();
    let mut groups: Vec<(Kind, Vec<Member<'_>>)> = Vec::new();
    let mut known: FxHashMap<Kind, usize> = FxHashMap::default();
    for (number, breached) in settled.went.iter().chain(&settled.left).enumerate() {
        let behind = causes.of(judge, settled, breached);
        if number < settled.went.len() {
            let rule = format!("{}:{}", judge.profile.file, judge.profile.rules.head(breached.rule).line);
            let port = behind.iter().find_map(|cause| match cause {
                Cause::Port(port) => Some(*port),
                _ => None,
            });
            let (why, fate) = (sentence(judge, breached, 1), causes.fate(&behind));
            all.went.push(Went { rule, why, fate, port });
        }
        // What went because of what went before is told with that.
        let follows = matches!(breached.part, Part::Required(..) | Part::Narrowed(_))
            && number < settled.went.len()
            && Causes::follows(settled, breached);
        if follows {
            continue;
        }
        let cause = match behind.first() {
            _ if breached.part == Part::Check && breached.breach == Breach::Goes => GroupedBy::Code,
            // The same name that is nowhere.
            Some(Cause::Row(_) | Cause::Other(_)) if matches!(breached.part, Part::Reference(_)) => {
                GroupedBy::Name(shown(judge, breached.node))
            }
            Some(Cause::Port(port)) => GroupedBy::Port(*port),
            Some(Cause::Row(row)) if matches!(breached.part, Part::Required(..) | Part::Narrowed(_)) => {
                let decision = &causes.ledger.decisions[row.index()];
                GroupedBy::Decided(decision.by, decision.fate)
            }
            Some(Cause::Row(_) | Cause::Other(_)) | None => GroupedBy::Alone(breached.node),
        };
        let kind = Kind {
            code: breached.code(judge.profile),
            breach: breached.breach,
            part: match &breached.part {
                // How many there are says nothing of what is wrong.
                Part::Count(_) => Part::Count(0),
                part => part.clone(),
            },
            cause,
        };
        match known.get(&kind) {
            Some(&at) => groups[at].1.push((breached, behind)),
            None => {
                known.insert(kind.clone(), groups.len());
                groups.push((kind, vec![(breached, behind)]));
            }
        }
    }
    for (kind, members) in groups {
        all.findings.push(finding(judge, settled, causes, words, &kind, &members));
    }
    all
}

fn finding(
    judge: &Judge<'_, '_>,
    settled: &Settled,
    causes: &Causes<'_>,
    words: &mut Words<'_>,
    kind: &Kind,
    members: &[(&Breached, Vec<Cause>)],
) -> Finding {
    let (first, behind) = &members[0];
    let goes = kind.breach == Breach::Goes;
    // What goes in the end: the outermost that went with it.
    let subject = |breached: &Breached| match breached.takes.first().filter(|_| goes) {
        Some(&node) => settled.outermost(judge, node),
        None => breached.node,
    };
    let nowhere = match &first.part {
        Part::NothingToCountIn(path) => Some(path),
        _ => None,
    };
    let what = if let Some(path) = nowhere {
        format!("`{path}`")
    } else if members.len() == 1 {
        format!("`{}`", (words.label)(subject(first)))
    } else {
        count(members.len(), &noun(judge, subject(first), first))
    };
    let verb = match (goes, members.len()) {
        (false, _) => String::new(),
        (true, 1) => " is left out".to_owned(),
        (true, _) => " are left out".to_owned(),
    };
    let said = sentence(judge, first, members.len());
    let mut message = format!("{what}{verb}: {said}");
    let differs = |(breached, _): &Member<'_>| sentence(judge, breached, members.len()) != said;
    if kind.cause == GroupedBy::Code && members.iter().skip(1).any(differs) {
        message += ", and the like";
    }
    let mut map = behind.iter().find_map(|cause| match cause {
        Cause::Row(row) => (words.entry)(*row),
        _ => None,
    });
    if let Some(Cause::Port(port)) = behind.first() {
        let (said, place) = (words.port)(*port);
        message = format!("{message}, because of {said}");
        map = place;
    }
    let severity = match kind.breach {
        Breach::Notes => Severity::Note,
        Breach::Warns | Breach::Goes => Severity::Warning,
        Breach::Blocks => Severity::Blocker,
    };
    let mut finding = Finding::new(Code::RuleBroken, message);
    finding.severity = severity;
    finding.own_code = Some(kind.code.as_str().into());
    finding.count = members.len();
    finding.map = map;
    finding.rule = Some(format!("{}:{}", judge.profile.file, judge.profile.rules.head(first.rule).line));
    finding.help = Some(remedy(judge, first, behind).into());
    finding.acceptable = kind.breach == Breach::Blocks && !restricts(judge, first);
    // The causes first, then what they took along.
    let mut sites: Vec<Site> = Vec::new();
    let mut rows: FxHashSet<RowId> = FxHashSet::default();
    let mut add = |row: RowId, sites: &mut Vec<Site>| {
        if rows.insert(row) {
            sites.push((words.place_of_row)(row));
        }
    };
    for (_, behind) in members.iter().take(SITES) {
        for cause in behind.iter().take(SITES) {
            match cause {
                Cause::Row(row) => add(*row, &mut sites),
                // The first row that the port took out.
                Cause::Port(port) => {
                    let mut taken = causes.ledger.decisions.iter();
                    if let Some(row) = taken.position(|decision| decision.by == DecidedBy::Map(*port)) {
                        add(RowId::new(row), &mut sites);
                    }
                }
                Cause::Other(_) => {}
            }
        }
    }
    // What is wrong in itself was named as its own cause.
    let beside = |breached: &&(&Breached, Vec<Cause>)| {
        !matches!(
            breached.0.part,
            Part::Check | Part::Undecided(_) | Part::Unique | Part::UniqueName | Part::Reference(_)
        ) || breached.1.iter().all(|cause| !matches!(cause, Cause::Row(_)))
    };
    for (breached, _) in members.iter().filter(beside).filter(|_| nowhere.is_none()).take(SITES) {
        if let Some(row) = causes.first_row(judge, breached.node) {
            add(row, &mut sites);
        }
    }
    if sites.is_empty() {
        finding.locator = Some(nowhere.cloned().unwrap_or_else(|| (words.label)(first.node)));
    }
    finding.put_at(sites);
    finding
}

/// A breach with what stands behind it.
type Member<'b> = (&'b Breached, Vec<Cause>);

/// How many places of one finding are kept.
const SITES: usize = 8;

/// Whether what breaks a rule keeps somebody out: that is never passed by a word.
fn restricts(judge: &Judge<'_, '_>, breached: &Breached) -> bool {
    let OwnRuleId::Object(id) = breached.rule else { return false };
    let rule = &judge.profile.rules.objects[id.index()];
    let evaluator = crate::language::expression::Evaluator::new();
    let scope = scope_of(judge, breached, &evaluator);
    rule.restricts_if.as_ref().is_some_and(|when| when.holds(&scope))
}

fn scope_of<'s, 'a>(
    judge: &'s Judge<'_, 'a>,
    breached: &Breached,
    evaluator: &'s crate::language::expression::Evaluator,
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
fn noun(judge: &Judge<'_, '_>, subject: NodeId, breached: &Breached) -> String {
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

fn wording<'j>(judge: &'j Judge<'_, '_>, breached: &Breached) -> Option<&'j Wording> {
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
fn sentence(judge: &Judge<'_, '_>, breached: &Breached, number: usize) -> String {
    let (it, has) = if number == 1 { ("it", "it has") } else { ("they", "they have") };
    if let Part::Undecided(why) = &breached.part {
        return format!("the profile cannot say whether it is right: {why}");
    }
    if let Some(text) = wording(judge, breached).and_then(|wording| wording.text.as_deref()) {
        return filled(judge, breached, text);
    }
    match &breached.part {
        Part::Required(_, path) => format!("{has} no `{path}`"),
        Part::Needs(one, other) => format!("`{one}` means nothing without `{other}`"),
        Part::AtMostOne(group) => format!("{has} more than one of {}", one_of(group)),
        Part::AtLeastOne(group) => format!("{has} neither of {}", one_of(group)),
        Part::Narrowed(Some(path)) => format!("without `{path}` {it} would be wider than on the old unit"),
        Part::Narrowed(None) => {
            format!("a part could not be carried, and without it {it} would be wider than on the old unit")
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
            format!("{has} {there} of `{of}`, and {} takes {wanted}", judge.profile.title)
        }
        Part::NothingToCountIn(_) => {
            let OwnRuleId::Count(id) = breached.rule else { return String::new() };
            let rule = &judge.profile.rules.objects[id.index()];
            let (least, of) = (rule.count.map_or(1, |bounds| bounds.least), rule.head.pattern.last_name());
            format!(
                "nothing of it arrives, and {} takes at least {least} of `{of}` in it",
                judge.profile.title
            )
        }
        Part::Unique => {
            let other = breached
                .other
                .map_or_else(String::new, |other| format!("`{}`", judge.names_on_way(other).join("/")));
            let value = shown(judge, breached.node);
            format!("{value}is there already, at {other}, and must be one of a kind")
        }
        Part::UniqueName => {
            let other = breached.other.map_or_else(String::new, |other| judge.names_on_way(other).join("/"));
            format!(
                "`{}` has one already, at `{other}`, and can have one only",
                judge.tree.name(breached.node)
            )
        }
        Part::Reference(of) => names_nothing(judge, breached.node, of),
        Part::Check | Part::Undecided(_) => "a check of the profile does not hold".to_owned(),
    }
}

/// That a value names nothing of what it should: by the nouns of these objects, if they have some.
fn names_nothing(judge: &Judge<'_, '_>, node: NodeId, of: &str) -> String {
    let value = shown(judge, node);
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
        None => format!("nothing at `{of}` is called {}", value.trim_end()),
    }
}

/// The value of a setting, if it may be shown, with a blank behind it.
fn shown(judge: &Judge<'_, '_>, node: NodeId) -> String {
    let names = judge.names_on_way(node);
    let entry = judge.profile.schema.entries.iter().find(|entry| entry.pattern.fits(&names));
    match entry.map(|entry| &entry.what) {
        Some(What::Setting { kind, .. }) if judge.profile.types.is_open(*kind) => {
            format!("`{}` ", judge.tree.value(node).trim_ascii())
        }
        Some(What::Object { name: Some(_), .. }) => format!("`{}` ", judge.tree.name(node)),
        _ => "it ".to_owned(),
    }
}

/// A text of the profile with the values of settings put into it: `{subnet}`.
fn filled(judge: &Judge<'_, '_>, breached: &Breached, text: &str) -> String {
    let evaluator = crate::language::expression::Evaluator::new();
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

fn remedy(judge: &Judge<'_, '_>, breached: &Breached, behind: &[Cause]) -> String {
    if matches!(breached.part, Part::Undecided(_)) {
        return "look at the value yourself; accept the finding with a reason where it is right".to_owned();
    }
    if let Some(remedy) = wording(judge, breached).and_then(|wording| wording.remedy.as_deref()) {
        return filled(judge, breached, remedy);
    }
    match (behind.first(), breached.breach) {
        (Some(Cause::Port(_)), Breach::Goes) => "give the port a new one in the map, or set by hand what is left out".to_owned(),
        (Some(Cause::Port(_)), _) => "give the port a new one in the map".to_owned(),
        (_, Breach::Goes) => "set it on the new unit by hand".to_owned(),
        (_, Breach::Blocks) => {
            "change the map or the backup; where the rule is wrong, accept the finding in the map with a reason".to_owned()
        }
        _ => "look at it on the new unit".to_owned(),
    }
}
