//! What the fuzz targets share: bytes go all the way that a backup goes, short of a crossing.

use fordcross_core::backup::{Backup, read};
use fordcross_core::library::{Library, ProfileFile};
use fordcross_core::redact::{Hide, redact};
use fordcross_core::source::Source;
use fordcross_core::survey::survey;
use fordcross_core::unwrap::{Limits, Opening, open};
use std::sync::OnceLock;

const HEAD: &str = "[recognise]\nmarker = 'a'\nrelease = 'release'\n[[release]]\nname = '1'\n[[object]]\nat = 'a'\nkey = 'k'\n\
    [setting]\n'release' = 'text'\n'a/k' = 'name'\n'a/secret' = 'secret'\n'a/b' = { type = 'integer', default = '1' }\n";

fn library_of(forms: &[(&str, &str)]) -> Library {
    let mut library = Library::default();
    for (index, (form, more)) in forms.iter().enumerate() {
        let text = format!("[profile]\nline = 'l{index}'\ntitle = 'L'\nform = '{form}'\n{more}\n{HEAD}");
        let file = format!("l{index}.profile.toml");
        library.add_profile(ProfileFile::read(file, text).unwrap_or_else(|findings| panic!("{findings:?}")));
    }
    library
}

/// Profiles of one form, with all manners that it can have.
pub fn library(form: &str) -> &'static Library {
    static LIBRARY: OnceLock<Library> = OnceLock::new();
    const STATEMENTS: &str = "[[statement]]\nshape = 'a {k} [x {b}] {c}...'\nas = 'a'\nopens = true\n[[statement]]\n\
        shape = '{key} = {value...}'\nas = '{key}'\nwithin = '*'\n[[statement]]\nshape = 'set {p} {key} {value}'\nas = '{p}/{key}'\n\
        [[statement]]\nshape = 'r {t} {d,...} [{o.key}={o.value}]...'\nas = 'r'\n[[statement]]\nshape = 'body <<E'\nas = 'body'\nbody-until = 'E'\n";
    let statements = |manners: &str| format!("[statements]\n{manners}\n{STATEMENTS}");
    LIBRARY.get_or_init(|| match form {
        "statements" => {
            let all = [
                "nesting = 'braces'\nend = ';'\nend-needed = true\nquotes = ['\"']\nescape = 'backslash'\nmarks = ['=']\ntrailing-comments = true",
                "nesting = 'until-next'\ncontinues = '\\'\nmarks = ['=']",
                "nesting = 'indent'\nquotes = [\"'\"]\nescape = 'doubled'\nmarks = ['=']",
                "close = 'end'\nquotes = [\"'\", '\"']\nescape = 'both'\nkeeps-quotes = true",
            ];
            let all: Vec<String> = all.iter().map(|manners| statements(manners)).collect();
            library_of(&all.iter().map(|manners| ("statements", manners.as_str())).collect::<Vec<_>>())
        }
        "ini" => library_of(&[
            ("ini", "[ini]\nquotes = true\nheading = '{section} {k}'"),
            ("ini", "[ini]\nseparator = ':'\ncomments = ['!']"),
        ]),
        "table" => library_of(&[("table", "[table]\nrow = 'a'"), ("table", "[table]\nrow = 'a'\nseparator = '\t'")]),
        "several" => library_of(&[(
            "several",
            "[[member]]\npath = 'a.xml'\nat = 'a'\nform = 'xml'\nroot = 'a'\n[[member]]\npath = 'a.json'\nat = 'b'\nform = 'json'\n\
             [[member]]\npath = '{n}.yaml'\nat = 'y/{n}'\nform = 'yaml'\n[[member]]\npath = 'a.db#{t}'\nat = 'a/{t}'\nform = 'database'\n\
             [[member]]\npath = 'c.csv'\nat = 'c'\nform = 'table'\n[[member]]\npath = 'h'\nat = 'h'\nform = 'hashes'\nhash = 'sha-256'",
        )]),
        form => library_of(&[(form, "")]),
    })
}

/// Opens a file and does all with it that needs no crossing.
pub fn take(name: &str, bytes: &[u8], library: &Library) {
    let limits = Limits { most: 1 << 22, ratio: Some(200), members: 100 };
    let opening = Opening { limits, ..Opening::default() };
    let Ok(opened) = open(name, bytes.to_vec(), &opening) else { return };
    let source = Source { name, text: &opened.text, pieces: &opened.pieces };
    let Ok((tree, file)) = read(source, library) else { return };
    let profile = file.parse().expect("it was read before");
    let Ok(backup) = Backup::new(tree, &profile, Some("1")) else { return };
    let _ = survey(&backup, &profile, jiff::civil::date(2026, 11, 25));
    let copy = redact(&backup, &profile, &[Hide::Names, Hide::Addresses]);
    // Of one text it has as many lines; databases are made anew.
    if let [file] = copy.files.as_slice() {
        let lines = file.bytes.iter().filter(|byte| **byte == b'\n').count();
        assert!(file.path.ends_with(".db") || lines == opened.text.matches('\n').count());
    }
}
