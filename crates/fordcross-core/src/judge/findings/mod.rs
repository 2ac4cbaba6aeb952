//! Findings about breaches: what is wrong, what became of it, and the settings of the backup and the
//! entries of the map that are behind it.

mod causes;
mod sentences;

use super::facts::{BreachFact, Subject};
use crate::ids::{PortId, RowId};
pub(crate) use causes::{Cause, Causes};
use sentences::{noun, remedy, restricts, sentence, shown};

use super::settle::Settled;
use super::{Breached, Judge, Part};
use crate::finding::{Finding, Findings, Severity, Site};
use crate::language::profile::Breach;
use crate::ledger::DecidedBy;
use crate::ledger::fate::Fate;
use crate::tree::NodeId;
use rustc_hash::{FxHashMap, FxHashSet};

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

/// What shares a finding.
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

/// What is needed of a carry to say what is behind a breach.
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
        // What went because of an earlier removal shares its finding.
        let follows = matches!(breached.part, Part::Required(..) | Part::Narrowed(_))
            && number < settled.went.len()
            && Causes::follows(settled, breached);
        if follows {
            continue;
        }
        let cause = match behind.first() {
            _ if breached.part == Part::Check && breached.breach == Breach::Goes => GroupedBy::Code,
            // The same name that is nowhere.
            Some(Cause::Row(_) | Cause::Other(_)) if matches!(breached.part, Part::Reference { .. }) => {
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
    let several = members.len();
    let label = match nowhere {
        Some(path) => Some(path.clone()),
        None => (several == 1).then(|| (words.label)(subject(first)).clone()),
    };
    let what = match label {
        Some(label) => Subject::One { label, several: several > 1 },
        None => Subject::Several(several, noun(judge, subject(first), first)),
    };
    let said = sentence(judge, first, several);
    let differs = |(breached, _): &Member<'_>| sentence(judge, breached, several) != said;
    let and_the_like = kind.cause == GroupedBy::Code && members.iter().skip(1).any(differs);
    let mut map = behind.iter().find_map(|cause| match cause {
        Cause::Row(row) => (words.entry)(*row),
        _ => None,
    });
    let mut because = None;
    if let Some(Cause::Port(port)) = behind.first() {
        let (said, place) = (words.port)(*port);
        (because, map) = (Some(said), place);
    }
    let severity = match kind.breach {
        Breach::Notes => Severity::Note,
        Breach::Warns | Breach::Goes => Severity::Warning,
        Breach::Blocks => Severity::Blocker,
    };
    let mut finding = Finding::new(BreachFact {
        name: kind.code.as_str().into(),
        subject: what,
        goes,
        text: said,
        and_the_like,
        because,
        remedy: remedy(judge, first, behind),
    });
    finding.severity = severity;
    finding.count = members.len();
    finding.map = map;
    finding.rule = Some(format!("{}:{}", judge.profile.file, judge.profile.rules.head(first.rule).line));
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
            Part::Check | Part::Undecided(_) | Part::Unique | Part::UniqueName | Part::Reference { .. }
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

/// A breach with what is behind it.
type Member<'b> = (&'b Breached, Vec<Cause>);

/// How many places of one finding are kept.
const SITES: usize = 8;
