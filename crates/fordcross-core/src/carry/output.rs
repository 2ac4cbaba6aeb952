//! The files of a result: written, packed, and read back.

use crate::container::{Archive, Member, pack_gzip};
use crate::finding::Findings;
use crate::format::Dialect;
use crate::format::bundle::write_bundle;
use crate::judge::read_back;
use crate::language::profile::Container;
use crate::language::texts::Texts;
use crate::scan::inventory::automaton_of;
use crate::text::charset::Charset;

/// Writes a tree in the receiving platform's form, and reads that back.
pub(super) fn write_and_read_back(
    texts: &Texts<'_>,
    expected: &read_back::Expected<'_>,
) -> (Vec<Member>, read_back::ReadBack) {
    let read_back::Expected { tree, profile, .. } = expected;
    let mut lacking = Findings::new();
    let mut charsets = Vec::new();
    let mut finish = |path: &str, dialect: &Dialect, bytes| {
        charsets.push(texts.charset(path));
        texts.finish(path, &**dialect, tree, bytes, &mut lacking)
    };
    let files = if profile.container().is_some() {
        write_bundle(tree, &profile.members, &mut finish)
    } else {
        let bytes = profile.dialect.written(tree, tree.root());
        vec![Member { path: String::new(), bytes: finish("", &profile.dialect, bytes) }]
    };
    if !lacking.is_empty() {
        return (files, read_back::ReadBack { differences: lacking, nodes: Vec::new() });
    }
    read_back_packed(files, common(charsets.into_iter()), expected)
}

/// The set that all texts are in. Where they are in several, each tells its own by a mark or a declaration, or
/// it would not have been read.
pub(super) fn common(mut charsets: impl Iterator<Item = Charset>) -> Charset {
    let first = charsets.next().unwrap_or(Charset::UTF_8);
    if charsets.all(|other| other == first) { first } else { Charset::UTF_8 }
}

/// Puts files into what the platform wants them in, and reads that back. The texts are in `charset`, unless they say
/// otherwise themselves.
pub(super) fn read_back_packed(
    files: Vec<Member>,
    charset: Charset,
    expected: &read_back::Expected<'_>,
) -> (Vec<Member>, read_back::ReadBack) {
    let result = match expected.profile.container() {
        Some(container) => pack(files, container),
        None => files,
    };
    let mut automaton = automaton_of(expected.profile, None);
    let reported = read_back::read_back(&result, charset, expected, &mut automaton);
    (result, reported)
}

/// Puts files into what the receiving platform wants them in.
fn pack(files: Vec<Member>, container: Container) -> Vec<Member> {
    let packed = match container {
        Container::Folder => return files,
        Container::Tar => Archive::Tar.pack(&files),
        Container::TarGzip => Archive::Tar.pack(&files).and_then(|bytes| pack_gzip(&bytes)),
        Container::Zip => Archive::Zip.pack(&files),
    };
    // In memory nothing fails; a result that is none does not read back, and is told.
    vec![Member { path: String::new(), bytes: packed.unwrap_or_default() }]
}
