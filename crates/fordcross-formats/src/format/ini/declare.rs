//! `[ini]` of a profile.

use super::Ini;
use super::facts::IniFact;
use crate::declaration::{Section, separator};

/// How a section says that a platform writes INI.
pub(super) fn declared(holder: &Section<'_, '_>) -> Ini {
    let mut ini = Ini::default();
    let Some(section) = holder.section("ini") else { return ini };
    if let Some(sign) = section.word("separator").and_then(|word| separator(&section, word)) {
        ini.separator = sign;
    }
    let comments: Vec<char> =
        section.words("comments").into_iter().filter_map(|word| separator(&section, word)).collect();
    if !comments.is_empty() {
        ini.comments = comments;
    }
    ini.quotes = section.boolean("quotes").unwrap_or(false);
    if let Some(heading) = section.word("heading") {
        // `{section} {name}`: what is between is what parts them.
        let parts = heading.text.strip_prefix("{section}").and_then(|rest| {
            let (between, setting) = rest.strip_suffix('}')?.split_once('{')?;
            (!between.is_empty() && !setting.is_empty()).then(|| (between.to_owned(), setting.to_owned()))
        });
        if parts.is_none() {
            section.report().add(heading.span, IniFact::Heading);
        }
        ini.heading = parts;
    }
    section.finish();
    ini
}
