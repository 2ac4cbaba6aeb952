//! Files in parts: `NAME.001`, `NAME.002` and so on, joined in their order.

use super::Member;
use super::facts::PartsFact;
use crate::finding::Finding;

/// Splits the name of a part: the name of the whole, and the part's number, as it is written.
pub fn part_of(name: &str) -> Option<(&str, &str)> {
    let (whole, digits) = name.rsplit_once('.')?;
    // Fewer digits end the names of other things, `firmware-4.6`.
    let is_number = digits.len() >= 3 && digits.bytes().all(|b| b.is_ascii_digit());
    (is_number && !whole.is_empty()).then_some((whole, digits))
}

/// Joins the parts of a file. They count from 0 or from 1.
///
/// # Errors
/// All parts that are missing, and all that are there twice: with the same number, or the same bytes as another.
pub fn join_parts(whole: &str, parts: &[Member]) -> Result<Vec<u8>, Vec<Finding>> {
    // A number beyond all bounds is that of no part; the missing ones before it are reported.
    let number =
        |part: &Member| part_of(&part.path).and_then(|(_, number)| number.parse().ok()).unwrap_or(u32::MAX);
    let mut numbered: Vec<(u32, &Member)> = parts.iter().map(|part| (number(part), part)).collect();
    numbered.sort_by(|a, b| (a.0, &a.1.path).cmp(&(b.0, &b.1.path)));
    let mut findings = Vec::new();
    let mut report = |part: &str, fact| findings.push(Finding::new(fact).of_file(part));
    let width =
        numbered.first().and_then(|(_, part)| part_of(&part.path)).map_or(3, |(_, number)| number.len());
    let mut expected = numbered.first().map_or(1, |(first, _)| (*first).min(1));
    for (index, (number, part)) in numbered.iter().enumerate() {
        if let Some((_, other)) = numbered[..index].iter().find(|(known, _)| known == number) {
            let (first, second) = (other.path.clone(), part.path.clone());
            report(&part.path, PartsFact::Twice { number: *number, first, second });
            continue;
        }
        if let Some((_, other)) = numbered[..index].iter().find(|(_, other)| other.bytes == part.bytes) {
            let (first, second) = (other.path.clone(), part.path.clone());
            report(&part.path, PartsFact::Same { first, second });
        }
        // More than any backup has are reported as a range.
        let missing = expected..*number;
        if missing.len() > 20 {
            report(whole, PartsFact::ManyMissing { from: expected, to: number - 1 });
        } else {
            for number in missing {
                report(whole, PartsFact::Missing { part: format!("{whole}.{number:0width$}") });
            }
        }
        expected = number.saturating_add(1);
    }
    if findings.is_empty() {
        Ok(numbered.iter().flat_map(|(_, part)| part.bytes.iter().copied()).collect())
    } else {
        Err(findings)
    }
}
