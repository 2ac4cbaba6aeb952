#![no_main]

use fordcross_core::library::{CrossingFile, Library, ProfileFile};
use fordcross_fuzz::{Way, carried};
use libfuzzer_sys::fuzz_target;

const OLD: &str = "language = 2\n[profile]\nplatform = 'old'\ntitle = 'O'\nformat = 'xml'\nreleases = ['1']\n[detect]\ncontains = 'a'\n\
    release = 'release'\n[object]\n'a/b[{k}]' = {}\n[setting]\n'release' = 'text'\n'a/b/k' = 'name'\n'a/b/n' = 'integer'\n'a/b/ip' = 'address'\n";
const NEW: &str = "language = 2\n[profile]\nplatform = 'new'\ntitle = 'N'\nformat = 'json'\nreleases = ['2']\n[detect]\ncontains = 'new'\n\
    release = 'new/release'\n[setting]\n'new/release' = 'text'\n'to[]' = 'text'\n";
const BACKUP: &[u8] =
    b"<a><release>1</release><a><b k='x'><n>7</n><ip>192.0.2.7</ip></b><b k='y'><n>8</n></b></a></a>";

// An expression of a stranger, asked as a condition and for a value.
fuzz_target!(|text: &str| {
    let text = text.trim_end();
    if text.contains("'''") || text.ends_with('\'') {
        return;
    }
    let crossing = format!(
        "language = 2\n[crossing]\nfrom = 'old@1'\nto = 'new@2'\n[[place]]\nfrom = 'a/b'\nto = '.'\nmove = [\n  ['''n = {{n}}''', '''to[] = {{= {text}}}''', '''{text}'''],\n\
         ['''n = {{n}}''', '''to[] = {{= {text}}}'''],\n  ['k', 'to[]'],\n]\n\
         [[place]]\ndrop = [['a/b/**', 'x']]\n"
    );
    let mut library = Library::default();
    for (name, text) in [("old.profile.toml", OLD), ("new.profile.toml", NEW)] {
        library.add_profile(ProfileFile::read(name.into(), text.into()).expect("a profile"));
    }
    let Ok(file) = CrossingFile::read("a.crossing.toml".into(), crossing) else { return };
    library.add_crossing(file);
    let way = Way { file: "a.xml", base: "a.json", release: None, to: ("new", "2", None) };
    carried(&library, way, BACKUP, None, None);
});
