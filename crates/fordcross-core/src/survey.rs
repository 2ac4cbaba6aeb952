//! What is in a backup.

use crate::backup::Backup;
use crate::profile::Profile;
use crate::reading::{Reading, RowKind, automaton_of};

/// What a backup holds, counted.
#[derive(Debug)]
pub struct Survey {
    /// The sections, in the order of the profile; what stands in none comes last, as `-`.
    pub sections: Vec<SectionCount>,
    /// Comments; they are no settings.
    pub comments: usize,
    /// How many days old the backup is, if it says when it was taken.
    pub age_days: Option<i64>,
}

/// What one section holds.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SectionCount {
    /// Its name.
    pub name: String,
    /// Objects.
    pub objects: usize,
    /// Settings.
    pub settings: usize,
    /// Settings that are secrets.
    pub secrets: usize,
    /// Settings that the profile does not know.
    pub unknown: usize,
}

impl Survey {
    /// The sums over all sections.
    pub fn total(&self) -> SectionCount {
        self.sections.iter().fold(SectionCount::default(), |sum, section| SectionCount {
            name: sum.name,
            objects: sum.objects + section.objects,
            settings: sum.settings + section.settings,
            secrets: sum.secrets + section.secrets,
            unknown: sum.unknown + section.unknown,
        })
    }
}

/// Counts what a backup holds. `today` is the day to count its age to.
pub fn survey(backup: &Backup<'_>, profile: &Profile, today: jiff::civil::Date) -> Survey {
    let mut automaton = automaton_of(profile, None);
    let reading = Reading::new(&backup.tree, profile, &mut automaton);
    let names = profile.sections.iter().map(|section| section.name.as_str()).chain(["-"]);
    let mut sections: Vec<SectionCount> =
        names.map(|name| SectionCount { name: name.to_owned(), ..SectionCount::default() }).collect();
    for row in &reading.rows {
        let index = row.section.map_or(profile.sections.len(), usize::from);
        let section = &mut sections[index];
        match row.kind {
            RowKind::Object => section.objects += 1,
            RowKind::Setting => {
                section.settings += 1;
                match row.type_id(profile, &automaton) {
                    Some(kind) => section.secrets += usize::from(profile.types.is_secret(kind)),
                    None => section.unknown += 1,
                }
            }
        }
    }
    sections.retain(|section| section.objects + section.settings > 0);
    let taken = backup.identity.taken.as_deref().and_then(date_of);
    let age_days = taken.and_then(|taken| today.since(taken).ok()).map(|span| i64::from(span.get_days()));
    Survey { sections, comments: reading.remarks.len(), age_days }
}

/// The day of `2026-03-14` or `2026-03-14T02:10:00Z`.
pub fn date_of(text: &str) -> Option<jiff::civil::Date> {
    text.get(..10)?.parse().ok()
}
