//! Which edition of the language a file is written in.

use crate::declaration::Section;
use crate::language::facts::LanguageFact;
use crate::text::source::Span;

/// The edition that is read.
const EDITION: i64 = 2;

/// Whether a file says that it is written in the edition that is read. If it does not, that is reported, and nothing else of the
/// file means anything.
pub(crate) fn is_second_edition(root: &Section<'_, '_>) -> bool {
    if !root.has("language") {
        root.report().add(Span::default(), LanguageFact::FirstEdition);
        return false;
    }
    match root.integer("language") {
        Some((EDITION, _)) => true,
        Some((edition, span)) => {
            root.report().add(span, LanguageFact::EditionUnknown { edition });
            false
        }
        None => false,
    }
}
