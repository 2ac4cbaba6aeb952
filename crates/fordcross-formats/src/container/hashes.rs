//! Lists of hashes inside a backup of several files: each line a SHA-256 or SHA-512 (FIPS 180-4) in hexadecimal
//! and a path, as the programs of the POSIX world write them.

use super::Member;
use data_encoding::HEXLOWER;
use rustc_hash::FxHashMap;
use sha2::{Digest as _, Sha256, Sha512};

/// What checking one file against a list gave.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Outcome {
    /// It is what the list says.
    Same,
    /// It is something else.
    Differs,
    /// The list names it, and it is not there.
    Missing,
}

/// One file of a list of hashes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Checked {
    /// The list.
    pub list: String,
    /// The file.
    pub path: String,
    /// What checking it gave.
    pub outcome: Outcome,
}

/// An algorithm of a list.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Algorithm {
    /// 256 bits.
    Sha256,
    /// 512 bits.
    Sha512,
}

impl Algorithm {
    /// All algorithms, with their words in profiles.
    pub const ALL: [(&'static str, Self); 2] = [("sha-256", Self::Sha256), ("sha-512", Self::Sha512)];

    fn of(digits: usize) -> Option<Self> {
        match digits {
            64 => Some(Self::Sha256),
            128 => Some(Self::Sha512),
            _ => None,
        }
    }

    fn hash(self, bytes: &[u8]) -> String {
        match self {
            Self::Sha256 => HEXLOWER.encode(&Sha256::digest(bytes)),
            Self::Sha512 => HEXLOWER.encode(&Sha512::digest(bytes)),
        }
    }
}

/// The lines of a list: algorithm, hash and path. None for any other file.
pub fn lines_of(text: &str) -> Option<Vec<(Algorithm, &str, &str)>> {
    let lines: Option<Vec<_>> = text
        .lines()
        .filter(|line| !line.trim().is_empty())
        .map(|line| {
            let (hash, path) = line.split_once([' ', '\t'])?;
            let algorithm = Algorithm::of(hash.len())?;
            let path = path.trim_start_matches([' ', '\t', '*']).trim_end();
            let is_hex = hash.bytes().all(|b| b.is_ascii_hexdigit());
            (is_hex && !path.is_empty()).then_some((algorithm, hash, path))
        })
        .collect();
    lines.filter(|lines| !lines.is_empty())
}

/// Checks the files that lists among them name; a list may be in a folder, and name files from there.
pub fn check(members: &[Member]) -> Vec<Checked> {
    let mut checked = Vec::new();
    for list in members {
        // A list is as long as there are files.
        let Some(text) = std::str::from_utf8(&list.bytes).ok().filter(|text| text.len() < 16 << 20) else {
            continue;
        };
        let folder = list.path.rsplit_once('/').map(|(folder, _)| format!("{folder}/")).unwrap_or_default();
        for (algorithm, hash, path) in lines_of(text).into_iter().flatten() {
            let path = path.strip_prefix("./").unwrap_or(path);
            let is_it =
                |member: &&Member| member.path == path || member.path.strip_prefix(&folder) == Some(path);
            let found = members.iter().find(is_it);
            let outcome = match found {
                None => Outcome::Missing,
                Some(member) if algorithm.hash(&member.bytes).eq_ignore_ascii_case(hash) => Outcome::Same,
                Some(_) => Outcome::Differs,
            };
            checked.push(Checked { list: list.path.clone(), path: path.to_owned(), outcome });
        }
    }
    checked
}

/// Gives lists of hashes among files the hashes that these have now, and their paths to those that were renamed.
pub fn renew(files: &mut [Member], renamed: &FxHashMap<String, String>) {
    for index in 0..files.len() {
        let Some(text) = std::str::from_utf8(&files[index].bytes).ok().map(str::to_owned) else { continue };
        let Some(lines) = lines_of(&text) else { continue };
        let mut renewed = String::with_capacity(text.len());
        let mut at = 0;
        // Each is a part of the text.
        let offset = |part: &str| part.as_ptr().addr() - text.as_ptr().addr();
        for (algorithm, hash, path) in lines {
            let bare = path.strip_prefix("./").unwrap_or(path);
            let now = renamed.get(bare).map_or(bare, String::as_str);
            if let Some(file) = files.iter().find(|file| file.path == now) {
                renewed.push_str(&text[at..offset(hash)]);
                renewed.push_str(&algorithm.hash(&file.bytes));
                renewed.push_str(&text[offset(hash) + hash.len()..offset(bare)]);
                renewed.push_str(now);
                at = offset(bare) + bare.len();
            }
        }
        renewed.push_str(&text[at..]);
        files[index].bytes = renewed.into_bytes();
    }
}

/// A list of files, in their order.
pub fn write(members: &[Member], algorithm: Algorithm) -> Vec<u8> {
    let line = |member: &Member| format!("{}  {}\n", algorithm.hash(&member.bytes), member.path);
    members.iter().map(line).collect::<String>().into_bytes()
}
