//! Formats of files: which there are, and a folder for each with all that is its own.
//!
//! The rest of the program names no format. It asks a [`Format`] for what all files of it have in common, and the
//! [`Dialect`] of a platform for whatever depends on how that platform writes its files. A format that is not there yet is
//! a folder with its [`Traits`] and its [`Codec`], and a variant of [`Format`].

pub mod bundle;
mod checksums;
mod codec;
pub mod database;
pub mod edit;
mod facts;
mod ini;
pub mod json;
mod layout;
mod opaque;
mod spell;
mod statements;
mod table;
pub mod xml;
mod yaml;

pub use codec::{Codec, Dialect, EmptyBranch, Includes, KnownBy, Scope, Traits};
pub use statements::PairTypes;

use crate::declaration::Section;
use facts::FormatFact;

/// The format of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Format {
    /// XML 1.0.
    Xml,
    /// JSON, RFC 8259.
    Json,
    /// YAML 1.2.
    Yaml,
    /// Sections with keys and values, or keys and values alone.
    Ini,
    /// Statements, whose grammar the profile declares.
    Statements,
    /// A table with a header, RFC 4180.
    Table,
    /// The rows of a table of an `SQLite` database.
    Database,
    /// Bytes that are one value.
    Opaque,
    /// A list of check sums of the other files, which says nothing of its own.
    Checksums,
    /// Several files, each in a format of its own.
    Bundle,
}

impl Format {
    /// All formats, in the order in which a backup is tried in them.
    pub const ALL: [Self; 10] = [
        Self::Xml,
        Self::Json,
        Self::Yaml,
        Self::Ini,
        Self::Statements,
        Self::Table,
        Self::Database,
        Self::Opaque,
        Self::Checksums,
        Self::Bundle,
    ];

    /// What all files of the format have in common.
    pub fn traits(self) -> &'static Traits {
        match self {
            Self::Xml => &xml::TRAITS,
            Self::Json => &json::TRAITS,
            Self::Yaml => &yaml::TRAITS,
            Self::Ini => &ini::TRAITS,
            Self::Statements => &statements::TRAITS,
            Self::Table => &table::TRAITS,
            Self::Database => &database::TRAITS,
            Self::Opaque => &opaque::TRAITS,
            Self::Checksums => &checksums::TRAITS,
            Self::Bundle => &bundle::TRAITS,
        }
    }

    /// The word for it in profiles.
    pub fn word(self) -> &'static str {
        self.traits().word
    }

    /// What a backup of several files has in place of a format.
    pub fn several() -> Self {
        Self::Bundle
    }

    /// What files of the format end with.
    pub fn ending(self) -> &'static str {
        self.traits().ending
    }

    /// The format of that name.
    pub fn named(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|format| format.word() == word)
    }

    /// Whether a backup in it is several files.
    pub fn is_several(self) -> bool {
        self.traits().known_by == KnownBy::Files
    }

    /// Whether a file of it can be read without knowing the platform.
    pub fn needs_no_dialect(self) -> bool {
        matches!(self.traits().known_by, KnownBy::Root | KnownBy::TopKey)
    }

    /// The formats that a whole backup, or one of its files, can have, with their words.
    pub fn of(scope: Scope) -> Vec<(&'static str, Self)> {
        let fits = |format: &Self| format.traits().scopes.contains(&scope);
        Self::ALL.into_iter().filter(fits).map(|format| (format.word(), format)).collect()
    }

    /// The dialect that a section declares, which is that of a whole backup or of one of its files. What the section says
    /// of other formats is reported; `root` is the whole profile.
    pub fn declared(self, section: &Section<'_, '_>, scope: Scope, root: &Section<'_, '_>) -> Dialect {
        for other in Self::ALL.into_iter().filter(|other| other.traits().scopes.contains(&scope)) {
            let foreign =
                |key: &&&str| !self.traits().tables.contains(*key) && !is_reported_before(other, key);
            for &key in other.traits().tables.iter().filter(foreign) {
                for own in section.tables(key) {
                    let fact = FormatFact::OtherFormat { table: key, of: other.word(), this: self.word() };
                    section.report().add(own.span(), fact);
                }
            }
        }
        (self.traits().declared)(section, scope, root)
    }

    /// The dialect of a format that has but one, or of one of which nothing is known.
    pub fn plain(self) -> Dialect {
        (self.traits().plain)()
    }

    /// Whether the first character of a text says that it is of one format and of no other.
    pub fn is_told_by_first_character(text: &str) -> bool {
        text.trim_start().starts_with(['<', '{'])
    }

    /// The format that a text begins like, if its beginning decides.
    pub fn sniff(text: &str) -> Option<Self> {
        let text = text.trim_start_matches(['\u{FEFF}', ' ', '\t', '\r', '\n']);
        Self::ALL.into_iter().find(|format| (format.traits().begins)(text))
    }
}

/// Whether a format that comes before it has that table, too.
fn is_reported_before(format: Format, key: &str) -> bool {
    let mut before = Format::ALL.into_iter().take_while(|&other| other != format);
    before.any(|other| other.traits().tables.contains(&key))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::text::source::{MOST_NODES, Source};
    use rstest::rstest;

    /// More than a tree can hold stops no reader, and is reported.
    #[rstest]
    #[case(Format::Xml, "<a>", "<b c='1'/>", "</a>")]
    #[case(Format::Xml, "<a>", "<b>1<c/>2</b>", "</a>")]
    #[case(Format::Json, "[0", ",{\"a\":[1,{\"b\":2}]}", "]")]
    #[case(Format::Json, "[0", ",0", "]")]
    #[case(Format::Yaml, "", "- a: [1, {b: 2}]\n", "")]
    #[case(Format::Ini, "", "[a]\nb = 1\n", "")]
    #[case(Format::Table, "a,b\n", "1,2\n", "")]
    #[case(Format::Statements, "", "word and words\n", "")]
    fn too_many_nodes(#[case] format: Format, #[case] head: &str, #[case] piece: &str, #[case] tail: &str) {
        let text = |times| format!("{head}{}{tail}", piece.repeat(times));
        let read = |text: &str| format.plain().read(Source::new("a", text)).map(|tree| tree.is_overfull());
        if format == Format::Yaml && cfg!(not(feature = "yaml")) {
            let finding = read(&text(1)).expect_err("a build without it reads none");
            assert!(finding.remedy() == Some("take a build with the feature `yaml`".into()), "{finding:?}");
            return;
        }
        assert!(!read(&text(100)).expect("read"));
        assert!(read(&text(MOST_NODES)).expect("read"));
    }
}
