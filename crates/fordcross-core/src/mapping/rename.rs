//! Tables of new names: `"old" = "new"`, or `"old" = { to = "new", except = ["PATH"] }`.

use super::facts::MapFact;
use super::kind::Reading;
use crate::declaration::{Report, Section, Word, as_word, parse_pattern};
use crate::tree::pattern::Pattern;

/// An entry of a table of new names: old, new, the line, and what it is not for.
pub(super) struct Rename<'t> {
    pub(super) old: Word<'t>,
    pub(super) new: Word<'t>,
    pub(super) line: u32,
    pub(super) except: Vec<Pattern>,
}

/// More entries of one kind than anybody writes: they are numbered in 16 bits.
const MAX_RENAMES: usize = 30_000;

/// Hands on each old name of a table with its new one, in the order of the file.
pub(super) fn each_rename<'t>(
    section: &Section<'t, '_>,
    with: &mut Reading<'_, '_>,
    table: &str,
    wanted: &str,
    mut take: impl FnMut(&Report<'_>, Rename<'t>, &mut Reading<'_, '_>),
) {
    for (number, (old, value)) in section.members().into_iter().enumerate() {
        if number == MAX_RENAMES {
            section.report().add(old.span, MapFact::TooMany { table: table.to_owned(), most: MAX_RENAMES });
            return;
        }
        let line = with.lines.position(old.span.start).line;
        if let Some(new) = as_word(value) {
            take(section.report(), Rename { old, new, line, except: Vec::new() }, with);
            continue;
        }
        let entry = section.as_section(value).filter(|_| value.get_ref().is_table()).and_then(|entry| {
            let to = entry.word("to");
            let words = entry.words("except").into_iter();
            let except = words.filter_map(|word| parse_pattern(&entry, word)).collect();
            entry.finish();
            Some(Rename { old, new: to?, line, except })
        });
        match entry {
            Some(entry) => take(section.report(), entry, with),
            None => {
                section
                    .report()
                    .add(value.span().into(), MapFact::EntryExpected { wanted: wanted.to_owned() });
            }
        }
    }
}
