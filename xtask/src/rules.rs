//! What holds of the sources and no compiler says.

use crate::workspace::root;
use std::fs;
use std::path::{Path, PathBuf};
use syn::visit::{self, Visit};
use syn::{Field, GenericArgument, ItemStruct, Pat, PatType, PathArguments, Type};

fn sources(folder: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).expect("a folder").map(|entry| entry.expect("an entry").path());
    let (folders, files): (Vec<PathBuf>, Vec<PathBuf>) = entries.partition(|path| path.is_dir());
    let files = files.into_iter().filter(|path| path.extension().is_some_and(|ending| ending == "rs"));
    files.chain(folders.iter().flat_map(|folder| sources(folder))).collect()
}

/// How something is said is for the command line to know: the core has a remedy for it. Options of other programs are theirs.
#[test]
fn the_core_names_no_option() {
    let mut found = Vec::new();
    let crates = ["crates/fordcross-core/src", "crates/fordcross-formats/src"];
    for path in crates.iter().flat_map(|folder| sources(&root().join(folder))) {
        let text = fs::read_to_string(&path).expect("a text");
        let code = text.lines().zip(1..).filter(|(line, _)| !line.trim_start().starts_with("//"));
        let named = code.filter(|(line, _)| {
            // Two hyphens alone are XML's.
            let mut words = line.split('`').filter_map(|word| word.strip_prefix("--"));
            words.any(|word| word.starts_with(|c: char| c.is_ascii_lowercase()))
                || line.contains("FORDCROSS_")
        });
        found.extend(named.map(|(line, number)| format!("{}:{number}: {}", path.display(), line.trim())));
    }
    assert!(found.is_empty(), "{found:#?}");
}

/// A finding is made of a fact, and facts are declared in tables with their codes, words and remedies: nothing is worded where it is
/// found. What is a fact besides puts together what profiles say, or passes on what another fact says.
#[test]
fn findings_are_declared_in_tables() {
    const BESIDES: [&str; 3] = ["finding/fact.rs", "engine/facts.rs", "judge/facts.rs"];
    let mut facts = 0;
    for name in ["fordcross-core", "fordcross-formats", "fordcross"] {
        for path in sources(&root().join("crates").join(name).join("src")) {
            let text = fs::read_to_string(&path).expect("a text");
            let may = BESIDES.iter().any(|besides| path.ends_with(besides));
            assert!(may || !text.contains("Fact for"), "{} makes a fact of its own", path.display());
            let tables = text.split("\nfacts! {").skip(1).filter_map(|rest| rest.split_once("\n}\n"));
            facts += tables.map(|(table, _)| table.matches(" => ").count()).sum::<usize>();
        }
    }
    assert!(facts > 400, "{facts} facts in tables");
}

/// Words that people read no more: each has a plainer one.
const GONE: [&str; 44] = [
    "receiving unit",
    "receiving line",
    "receiving side",
    "receiving platform",
    "receiving system",
    "names no target",
    "rule speaks of",
    "whether a rule speaks",
    "nothing that is carried holds",
    "settings and no partner",
    "is taken by another value",
    "it is given again",
    "Around the import",
    "stands still",
    "it is the way back",
    "of the base, and stayed",
    "no other, by",
    "named by nothing",
    "which are no settings",
    "of use where that is known",
    "signs stand in place",
    "saved apart",
    "copied by themselves",
    "which cannot be",
    "newest whole",
    "not whole",
    "is no backup that can be read",
    "is there already",
    "is good until",
    "have the hash that",
    "no course leads",
    "nothing is wrong with",
    "which ways are closed",
    "Look things up in the ledger of",
    "Let a finding matter",
    "Count ages to this day",
    "value-unfit",
    "base-admits",
    "base-beyond",
    "data-passed-over",
    "place-contested",
    "old-name-left",
    "unspoken",
    "stands in both",
];

/// What people read: texts in the code, documents, what shipped profiles and crossings say.
#[test]
fn words_that_are_gone_stay_gone() {
    let mut found = Vec::new();
    let texts = ["fordcross-core", "fordcross-formats", "fordcross", "fordcross-standin"];
    let mut paths: Vec<PathBuf> =
        texts.iter().flat_map(|name| sources(&root().join("crates").join(name).join("src"))).collect();
    let shipped = fs::read_dir(root().join("crates/fordcross-profiles/platforms")).expect("a folder");
    let documents = fs::read_dir(root().join("docs")).expect("a folder");
    let platforms =
        shipped.flat_map(|folder| fs::read_dir(folder.expect("a folder").path()).expect("a folder"));
    let is_text = |path: &PathBuf| path.extension().is_some_and(|ending| ending == "md" || ending == "toml");
    paths.extend(platforms.chain(documents).map(|entry| entry.expect("an entry").path()).filter(is_text));
    paths.extend(["README.md", "DESIGN.md"].map(|name| root().join(name)));
    for path in paths {
        let text = fs::read_to_string(&path).expect("a text");
        let lines = text.lines().zip(1..).filter(|(line, _)| !line.trim_start().starts_with("//"));
        let with = lines.filter(|(line, _)| GONE.iter().any(|word| line.contains(word)));
        found.extend(with.map(|(line, number)| format!("{}:{number}: {}", path.display(), line.trim())));
    }
    assert!(found.is_empty(), "{found:#?}");
}

/// Whatever depends on the format of a file is in the folder of that format: a match on formats anywhere else would let a new one take
/// the way of another.
#[test]
fn no_format_is_named_outside_its_folder() {
    let mut found = Vec::new();
    for name in ["fordcross-core", "fordcross-formats", "fordcross"] {
        for path in sources(&root().join("crates").join(name).join("src")) {
            let text = fs::read_to_string(&path).expect("a text");
            let folder = path.strip_prefix(root().join("crates/fordcross-formats/src/format"));
            // The enum itself, and the output formats of commands, which are none of files.
            if folder.is_ok() || path.ends_with("fordcross/src/commands/ledger.rs") {
                continue;
            }
            let named = text
                .split("Format::")
                .skip(1)
                .filter(|rest| rest.starts_with(|c: char| c.is_uppercase()) && !rest.starts_with("ALL"));
            found.extend(named.map(|rest| format!("{}: {}", path.display(), &rest[..rest.len().min(20)])));
        }
    }
    assert!(found.is_empty(), "{found:#?}");
}

/// Each format's variant is named in its own folder alone, and in the list of all.
#[test]
fn a_format_is_named_in_its_own_folder() {
    let formats = root().join("crates/fordcross-formats/src/format");
    let mut seen = 0;
    for path in sources(&formats).iter().filter(|path| !path.ends_with("format/mod.rs")) {
        let folder = path.strip_prefix(&formats).expect("inside").iter().next().expect("a folder");
        let text = fs::read_to_string(path).expect("a text");
        for rest in text.split("Format::").skip(1).filter(|rest| rest.starts_with(|c: char| c.is_uppercase()))
        {
            let variant: String = rest.chars().take_while(|c| c.is_alphanumeric()).collect();
            if variant == "ALL" {
                continue;
            }
            assert_eq!(variant.to_lowercase(), folder.to_string_lossy(), "{}", path.display());
            seen += 1;
        }
    }
    assert!(seen >= 10, "each format says which it is: {seen}");
}

/// A file fits into one's head.
#[test]
fn files_are_short() {
    const MOST: usize = 500;
    let folders = ["crates", "xtask", "benches", "fuzz"];
    let files = folders.iter().flat_map(|folder| sources(&root().join(folder)));
    let long: Vec<String> = files
        .filter(|path| !path.components().any(|part| part.as_os_str() == "target"))
        .map(|path| (fs::read_to_string(&path).expect("a text").lines().count(), path))
        .filter(|(lines, _)| *lines > MOST)
        .map(|(lines, path)| format!("{}: {lines} lines", path.display()))
        .collect();
    assert!(long.is_empty(), "{long:#?}");
}

/// So does what belongs together.
#[test]
fn structs_have_few_fields() {
    struct Wide(Vec<String>);
    impl<'f> Visit<'f> for Wide {
        fn visit_item_struct(&mut self, item: &'f ItemStruct) {
            const MOST: usize = 20;
            if item.fields.len() > MOST {
                self.0.push(format!("{} has {} fields", item.ident, item.fields.len()));
            }
        }
    }
    let mut wide = Wide(Vec::new());
    for path in sources(&root().join("crates")) {
        let text = fs::read_to_string(&path).expect("a text");
        wide.visit_file(&syn::parse_file(&text).expect("Rust"));
    }
    assert!(wide.0.is_empty(), "{:#?}", wide.0);
}

/// What is numbered has types for its numbers: a bare one could be that of anything.
#[test]
fn nothing_is_numbered_by_a_bare_integer() {
    const NUMBERED: [&str; 14] = [
        "row", "rule", "rule_id", "clause", "entry", "section", "place", "slot", "step", "look_up", "object",
        "node", "port", "kind",
    ];
    struct Bare(Vec<String>);
    impl Bare {
        fn check(&mut self, name: &str, ty: &Type) {
            let written = quote(ty);
            let is_bare = ["u8", "u16", "u32", "usize"].iter().any(|bare| {
                written == *bare || written == format!("Option<{bare}>") || written == format!("Vec<{bare}>")
            });
            if is_bare && NUMBERED.contains(&name) {
                self.0.push(format!("{name}: {written}"));
            }
        }
    }
    impl<'f> Visit<'f> for Bare {
        fn visit_field(&mut self, field: &'f Field) {
            if let Some(name) = &field.ident {
                self.check(&name.to_string(), &field.ty);
            }
            visit::visit_field(self, field);
        }

        fn visit_pat_type(&mut self, typed: &'f PatType) {
            if let Pat::Ident(name) = &*typed.pat {
                self.check(&name.ident.to_string(), &typed.ty);
            }
            visit::visit_pat_type(self, typed);
        }
    }
    let mut bare = Bare(Vec::new());
    for path in sources(&root().join("crates/fordcross-core/src")) {
        let text = fs::read_to_string(&path).expect("a text");
        let before = bare.0.len();
        bare.visit_file(&syn::parse_file(&text).expect("Rust"));
        bare.0[before..].iter_mut().for_each(|found| found.insert_str(0, &format!("{}: ", path.display())));
    }
    assert!(bare.0.is_empty(), "{:#?}", bare.0);
}

/// A type as it is written, without spaces; only paths are looked at.
fn quote(ty: &Type) -> String {
    let Type::Path(path) = ty else { return String::new() };
    let Some(last) = path.path.segments.last() else { return String::new() };
    let arguments = match &last.arguments {
        PathArguments::AngleBracketed(inner) => {
            let inner = inner.args.iter().map(|argument| match argument {
                GenericArgument::Type(ty) => quote(ty),
                _ => String::new(),
            });
            format!("<{}>", inner.collect::<Vec<_>>().join(","))
        }
        _ => String::new(),
    };
    format!("{}{arguments}", last.ident)
}
