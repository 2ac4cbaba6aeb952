//! Where in a folder or an archive the configuration of several files begins. It may be in a folder of its own, as
//! when the folder was packed with its name, or in two: settings in one, data in another.

use super::facts::RootsFact;
use crate::finding::Finding;
pub use crate::format::bundle::is_beside;
use crate::language::library::{Library, ProfileFile};
use crate::language::profile::Profile;
use rustc_hash::FxHashMap;

/// The folders that a configuration begins in; one without a name for the whole.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Roots(Vec<String>);

impl Default for Roots {
    fn default() -> Self {
        Self(vec![String::new()])
    }
}

impl Roots {
    /// A path seen from its own of these folders. One that is beside them begins with `..`.
    pub fn path(&self, path: &str) -> String {
        if self.0.iter().any(String::is_empty) {
            return path.to_owned();
        }
        let inside = self.0.iter().find_map(|root| path.strip_prefix(root.as_str())?.strip_prefix('/'));
        inside.map_or_else(|| beside(&self.0[0], path), str::to_owned)
    }

    /// Findings about files that are beside the configuration.
    pub fn beside_finding<'p>(&self, name: &str, paths: impl Iterator<Item = &'p str>) -> Option<Finding> {
        let mut beside = paths.filter(|path| is_beside(&self.path(path)));
        let first = beside.next()?;
        let more = beside.count();
        let (file, root) = (first.to_owned(), self.0[0].clone());
        let fact = match more {
            0 => RootsFact::Beside { file, root },
            more => RootsFact::ManyBeside { file, more, root },
        };
        Some(Finding::new(fact).of_file(name))
    }
}

/// Finds where the configuration begins. What no platform of several files knows stays as it is.
///
/// # Errors
/// That there are several configurations, of which one must be named.
pub fn roots_of(name: &str, paths: &[String], library: &Library) -> Result<Roots, Box<Finding>> {
    let several = || {
        let files = library.profiles().iter().filter(|file| file.format.is_several());
        files.filter_map(ProfileFile::parsed)
    };
    if several().any(|profile| paths.iter().any(|path| marks(profile, path))) {
        return Ok(Roots::default());
    }
    let mut found: Vec<(&Profile, String)> = Vec::new();
    for profile in several() {
        let mut roots: Vec<&str> = paths.iter().filter_map(|path| root_in(profile, path)).collect();
        roots.sort_unstable();
        roots.dedup();
        // A copy that is kept within a configuration is none of its own.
        let outermost = |root: &&&str| {
            !roots.iter().any(|other| root.strip_prefix(other).is_some_and(|rest| rest.starts_with('/')))
        };
        found.extend(roots.iter().filter(outermost).map(|root| (profile, (*root).to_owned())));
    }
    let Some((profile, _)) = found.first() else { return Ok(Roots::default()) };
    let is_one = found.iter().all(|(other, _)| other.platform == profile.platform)
        && have_different_files(profile, found.iter().map(|(_, root)| root.as_str()), paths);
    if !is_one {
        let held: Vec<String> =
            found.iter().map(|(profile, root)| format!("`{root}` ({})", profile.platform)).collect();
        let fact = RootsFact::Several { number: held.len(), roots: held.join(", ") };
        return Err(Box::new(Finding::new(fact).of_file(name)));
    }
    Ok(Roots(found.into_iter().map(|(_, root)| root).collect()))
}

/// Whether a file of that path marks a backup of the platform.
fn marks(profile: &Profile, path: &str) -> bool {
    let place = profile.members.files.iter().find_map(|member| member.place_of(path));
    place.is_some_and(|place| profile.is_marked_by(&place))
}

/// The longest leading folder of a path whose rest marks a backup of the platform.
fn root_in<'p>(profile: &Profile, path: &'p str) -> Option<&'p str> {
    // From the right: a platform's own folders are few and short.
    path.rmatch_indices('/')
        .map(|(at, _)| at)
        .find(|at| marks(profile, &path[at + 1..]))
        .map(|at| &path[..at])
}

/// Whether no file of the platform is in two of the folders.
fn have_different_files<'r>(
    profile: &Profile,
    roots: impl Iterator<Item = &'r str>,
    paths: &[String],
) -> bool {
    let mut seen: FxHashMap<Vec<String>, &str> = FxHashMap::default();
    roots.into_iter().all(|root| {
        let inside = |path: &str| {
            let inside = path.strip_prefix(root)?.strip_prefix('/')?;
            profile.members.files.iter().find_map(|member| member.place_of(inside))
        };
        // A link that was followed is listed twice: as what it is, and as what was read in its place.
        let mut places = paths.iter().filter_map(|path| Some((inside(path)?, path)));
        places.all(|(place, path)| *seen.entry(place).or_insert(path) == path)
    })
}

/// A path, relative to a folder that does not hold it.
fn beside(root: &str, path: &str) -> String {
    let steps: Vec<&str> = root.split('/').collect();
    let own: Vec<&str> = path.split('/').collect();
    let shared = steps.iter().zip(&own).take_while(|(a, b)| a == b).count();
    let up = std::iter::repeat_n("..", steps.len() - shared);
    up.chain(own[shared..].iter().copied()).collect::<Vec<_>>().join("/")
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const PROFILE: &str = r"
language = 2
[profile]
platform = 'a'
title    = 'A'
releases = ['1']
[detect]
contains = 'main|auto'
[[file]]
path   = 'main.conf'
at     = 'main'
format = 'statements'
[[file]]
path    = 'auto.conf'
at      = 'auto'
same-as = 'main'
[[file]]
path   = 'conf.d/{n}'
at     = 'more/{n}'
format = 'opaque'
[setting]
'more/*' = 'text'
";

    #[rstest]
    #[case(&["main.conf", "x/main.conf"], &[""], &["main.conf", "x/main.conf"])]
    #[case(&["b/main.conf", "b/conf.d/x", "b/old/main.conf"], &["b"], &["main.conf", "conf.d/x", "old/main.conf"])]
    #[case(&["e/a/main.conf", "e/x", "v/l/auto.conf", "y"], &["e/a", "v/l"], &["main.conf", "../x", "auto.conf", "../../y"])]
    #[case(&["c/x", "y"], &[""], &["c/x", "y"])]
    fn a_configuration_begins_where_its_files_do(
        #[case] paths: &[&str],
        #[case] roots: &[&str],
        #[case] wanted: &[&str],
    ) {
        let found = roots_of("b", &owned(paths), &library()).expect("one configuration");
        let seen: Vec<String> = paths.iter().map(|path| found.path(path)).collect();
        assert_eq!((found.0, seen), (owned(roots), owned(wanted)));
    }

    #[test]
    fn of_two_configurations_one_is_named() {
        let paths = owned(&["1/main.conf", "2/main.conf"]);
        let refused = roots_of("b", &paths, &library()).expect_err("two");
        assert_eq!(refused.message(), "there are 2 configurations: `1` (a), `2` (a)");
    }

    fn owned(paths: &[&str]) -> Vec<String> {
        paths.iter().map(|path| (*path).to_owned()).collect()
    }

    fn library() -> Library {
        let mut library = Library::default();
        library.add_profile(ProfileFile::read("a.profile.toml".into(), PROFILE.into()).expect("a profile"));
        library
    }
}
