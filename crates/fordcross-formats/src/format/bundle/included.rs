//! Files whose statements are in place of the statement that names them: which of a backup's files they are.

use super::Members;
use super::facts::IncludeFact;
use crate::finding::Finding;
use crate::format::{Codec, Includes};
use crate::text::shape::Shape;
use crate::text::source::{Content, Piece, Source, Span};
use crate::tree::pattern::{Pattern, Step};
use crate::tree::{Kind, NodeId, Tree};
use wildmatch::WildMatch;

/// The files that a statement includes, and how they were found.
#[derive(Debug)]
pub(super) struct Included<'a> {
    pub files: Vec<&'a Piece>,
    /// They are known by the end of an absolute path only: what is there on the old system may be others.
    pub by_end: bool,
}

/// Why a statement that includes files includes none.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum NoFile {
    /// The backup lacks it.
    Missing,
    /// No file fits a pattern, and whether the backup has the folder is not known.
    NothingFits,
    /// It need not be there.
    MayBeMissing,
    /// The folder is there and holds nothing that is taken.
    FolderEmpty,
}

impl NoFile {
    /// What is said of it in the ledger.
    pub fn why(self) -> &'static str {
        match self {
            Self::Missing => "the included file is not in the backup",
            Self::NothingFits => "no file in the backup matches the included pattern",
            Self::MayBeMissing => "the included file may be missing, and is: nothing is included",
            Self::FolderEmpty => "the included folder has no such file: nothing is included",
        }
    }

    /// The finding about it, if there is one.
    pub fn fact(self) -> Option<IncludeFact> {
        match self {
            Self::Missing => Some(IncludeFact::Missing),
            Self::NothingFits => Some(IncludeFact::NothingFits),
            Self::MayBeMissing | Self::FolderEmpty => None,
        }
    }
}

/// The files that a statement at `at` includes: by a path from its own folder, or from the root of the old system.
pub(super) fn included<'a>(
    source: Source<'a>,
    said: &str,
    at: Span,
    includes: &Includes,
    folders: &[String],
) -> Included<'a> {
    let own = source.piece_at(at.start).map_or("", |piece| piece.path.as_str());
    let text = |piece: &&Piece| piece.content != Content::Database && piece.path != own;
    let found = |is_it: &dyn Fn(&[&str]) -> bool| {
        let pieces = || source.pieces.iter().filter(text);
        let mut files: Vec<&Piece> = pieces().filter(|piece| is_it(&steps(&piece.path))).collect();
        if files.is_empty() && !has_wildcard(said) {
            let in_folder = |piece: &&Piece| {
                let path = steps(&piece.path);
                path.split_last()
                    .is_some_and(|(name, folder)| !folder.is_empty() && is_it(folder) && includes.takes(name))
            };
            files = pieces().filter(in_folder).collect();
        }
        files.sort_by(|a, b| a.path.cmp(&b.path));
        files
    };
    match wanted(said, own, folders) {
        Wanted::Path(wanted) => Included { files: found(&|path| fits(&wanted, path)), by_end: false },
        // It is one of the old system; in the backup its end is what is known.
        Wanted::Absolute(wanted) => {
            let files = found(&|path| {
                let path: Vec<&str> = path.iter().copied().filter(|step| *step != "..").collect();
                let Some(from) = wanted.len().checked_sub(path.len()) else { return false };
                let end = &wanted[from..];
                // A name of which only wildcards are left could be any file's.
                (end.len() > 1 || end.len() == wanted.len() || !has_wildcard(end.first().unwrap_or(&"")))
                    && fits(end, &path)
            });
            Included { by_end: !files.is_empty(), files }
        }
    }
}

/// Whether the backup is known to have the folder whose files a statement includes.
fn has_folder(source: Source<'_>, said: &str, at: Span, folders: &[String]) -> bool {
    let own = source.piece_at(at.start).map_or("", |piece| piece.path.as_str());
    let Wanted::Path(mut wanted) = wanted(said, own, folders) else { return false };
    if has_wildcard(said) {
        wanted.pop();
    }
    let holders =
        source.pieces.iter().filter_map(|piece| piece.path.rsplit_once('/').map(|(holder, _)| holder));
    let known = source.folders.iter().map(String::as_str).chain(holders);
    !wanted.is_empty() && known.into_iter().any(|known| fits(&wanted, &steps(known)))
}

enum Wanted<'p> {
    /// From the folder of the backup on.
    Path(Vec<&'p str>),
    /// From the root of the old system on.
    Absolute(Vec<&'p str>),
}

/// What a statement of the file `own` names. `folders` are those that hold such a configuration on its systems.
fn wanted<'p>(said: &'p str, own: &'p str, folders: &[String]) -> Wanted<'p> {
    if said.starts_with('/') {
        let path = resolved(steps(said));
        let within = folders
            .iter()
            .map(|folder| steps(folder))
            .find(|folder| path.len() > folder.len() && fits(folder, &path[..folder.len()]));
        return match within {
            Some(folder) => Wanted::Path(path[folder.len()..].to_vec()),
            None => Wanted::Absolute(path),
        };
    }
    let folder = own.rsplit_once('/').map_or("", |(folder, _)| folder);
    Wanted::Path(resolved(steps(folder).into_iter().chain(steps(said)).collect()))
}

fn steps(path: &str) -> Vec<&str> {
    path.split('/').filter(|step| !step.is_empty()).collect()
}

/// A path without `.`, and without `..` but at its beginning.
fn resolved(path: Vec<&str>) -> Vec<&str> {
    let mut resolved: Vec<&str> = Vec::new();
    for step in path {
        match step {
            "." => {}
            ".." if resolved.last().is_some_and(|last| *last != "..") => drop(resolved.pop()),
            step => resolved.push(step),
        }
    }
    resolved
}

fn fits(wanted: &[&str], path: &[&str]) -> bool {
    wanted.len() == path.len()
        && wanted
            .iter()
            .zip(path)
            .all(|(wanted, step)| wanted == step || WildMatch::new(wanted).matches(step))
}

fn has_wildcard(pattern: &str) -> bool {
    pattern.contains(['*', '?'])
}

/// The statements that include no file, with why; each is a setting. Where the files are there, no statement is left:
/// theirs are in its place.
pub fn without_files(tree: &Tree<'_>, members: &Members) -> Vec<(NodeId, NoFile)> {
    let mut found = Vec::new();
    for member in &members.files {
        let dialect = &*member.dialect;
        let at: Vec<&str> = member.at.iter().filter_map(Shape::as_literal).collect();
        for (path, includes) in dialect.including() {
            let steps = at.iter().copied().chain(path.iter().map(String::as_str));
            let pattern = Pattern { steps: steps.map(|step| Step::Names(vec![step.to_owned()])).collect() };
            let nodes = pattern.nodes_in(tree).into_iter().filter(|&node| tree.kind(node).is_value());
            found.extend(nodes.map(|node| (node, no_file(tree, node, dialect, includes, &members.folders))));
        }
    }
    found.sort_unstable_by_key(|(node, _)| *node);
    found.dedup_by_key(|(node, _)| *node);
    found
}

fn no_file(
    tree: &Tree<'_>,
    node: NodeId,
    dialect: &dyn Codec,
    includes: &Includes,
    folders: &[String],
) -> NoFile {
    let said = dialect.without_quotes(tree.value(node));
    if includes.may_be_missing {
        NoFile::MayBeMissing
    } else if has_folder(tree.source(), said, tree.span(node), folders) {
        NoFile::FolderEmpty
    } else if has_wildcard(said) {
        NoFile::NothingFits
    } else {
        NoFile::Missing
    }
}

/// Findings about files that stand in for those that an absolute path names.
pub fn taken_by_end(tree: &Tree<'_>, members: &Members) -> Vec<Finding> {
    let mut findings = Vec::new();
    for node in tree.ids().filter(|&node| tree.kind(node) == Kind::Instruction) {
        let said = tree.value(node);
        let is_it = |path: &[String]| path.last().is_some_and(|last| last == tree.name(node));
        let Some((_, includes)) = members
            .of_node(tree, node)
            .and_then(|member| member.dialect.including().into_iter().find(|(path, _)| is_it(path)))
        else {
            continue;
        };
        let found = included(tree.source(), said, tree.span(node), includes, &members.folders);
        if let Some(first) = found.files.first().filter(|_| found.by_end) {
            let fact = IncludeFact::ByEndOfPath { said: said.to_owned(), file: first.path.clone() };
            findings.push(Finding::new(fact).at(tree.source(), tree.span(node)));
        }
    }
    findings
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn piece(path: &str, at: usize) -> Piece {
        Piece {
            path: path.into(),
            file: path.into(),
            span: Span::new(at, at + 1),
            content: Content::Text,
            charset: crate::text::charset::Charset::UTF_8,
        }
    }

    const FILES: [&str; 7] = [
        "main.conf",
        "b.conf",
        "conf.d/1.conf",
        "conf.d/2.conf",
        "conf.d/.3.conf",
        "d/e/x.conf",
        "../extra/y.conf",
    ];

    #[rstest]
    #[case("b.conf", 0, &["b.conf"], false)]
    #[case("./b.conf", 0, &["b.conf"], false)]
    #[case("d/../b.conf", 0, &["b.conf"], false)]
    #[case("../conf.d", 5, &[], false)]
    #[case("../../conf.d", 5, &["conf.d/1.conf", "conf.d/2.conf"], false)]
    #[case("../conf.d", 2, &["conf.d/2.conf"], false)]
    #[case("../../b.conf", 5, &["b.conf"], false)]
    #[case("../extra", 0, &["../extra/y.conf"], false)]
    #[case("conf.d//", 0, &["conf.d/1.conf", "conf.d/2.conf"], false)]
    #[case("conf.d/?.conf", 0, &["conf.d/1.conf", "conf.d/2.conf"], false)]
    #[case("/etc/line/b.conf", 0, &["b.conf"], false)]
    #[case("/etc/line/../line/conf.d/1.conf", 0, &["conf.d/1.conf"], false)]
    #[case("/etc/line/x.conf", 0, &[], false)]
    #[case("/opt/other/x.conf", 0, &[], false)]
    #[case("/opt/d/e/x.conf", 0, &["d/e/x.conf"], true)]
    #[case("/opt/other/b.conf", 0, &["b.conf"], true)]
    #[case("/opt/*", 0, &[], false)]
    #[case("/extra/y.conf", 0, &["../extra/y.conf"], true)]
    fn an_include_finds_what_its_program_finds(
        #[case] said: &str,
        #[case] from: usize,
        #[case] wanted: &[&str],
        #[case] by_end: bool,
    ) {
        let pieces: Vec<Piece> = FILES.iter().zip(0..).map(|(path, at)| piece(path, at)).collect();
        let source =
            Source { name: "a", text: "0123456", pieces: &pieces, folders: &[], ..Source::new("", "") };
        let includes =
            Includes { takes: vec!["*.conf".into()], skips: vec![".*".into()], ..Includes::default() };
        let found = included(source, said, Span::new(from, from + 1), &includes, &["/etc/line".into()]);
        let paths: Vec<&str> = found.files.iter().map(|piece| piece.path.as_str()).collect();
        assert_eq!((paths.as_slice(), found.by_end), (wanted, by_end));
    }
}
