//! Paths in expressions: `mtu`, `../addresses`, `/subnets/*/network`, `interfaces|aggregates/*`, `subnet->network`.

/// One step of a path.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum AskedStep<'p> {
    /// To what holds it.
    Up,
    /// To whatever is there.
    Any,
    /// To what has this name, or one of these with `|` between them.
    Named(&'p str),
    /// To the object that the value names.
    Follow,
}

impl AskedStep<'_> {
    /// Whether the step leads to something of that name.
    pub(crate) fn fits(self, name: &str) -> bool {
        match self {
            Self::Any => true,
            Self::Named(names) => names.split('|').any(|known| known == name),
            Self::Up | Self::Follow => false,
        }
    }
}

/// The steps of a path, without the `/` that leads to the top.
pub(crate) fn asked_steps(path: &str) -> impl Iterator<Item = AskedStep<'_>> {
    let step = |name| match name {
        ".." => AskedStep::Up,
        "*" => AskedStep::Any,
        name => AskedStep::Named(name),
    };
    let parts = path.split("->").enumerate();
    parts.flat_map(move |(number, part)| {
        let follow = (number > 0).then_some(AskedStep::Follow);
        follow.into_iter().chain(part.split('/').filter(|name| !name.is_empty()).map(step))
    })
}

/// The paths that a path with `|` in it stands for.
pub(crate) fn alternatives(path: &str) -> Vec<String> {
    let mut all = vec![String::new()];
    for (number, step) in path.split('/').enumerate() {
        let mut next = Vec::new();
        for name in step.split('|') {
            next.extend(
                all.iter().map(|above| if number == 0 { name.to_owned() } else { format!("{above}/{name}") }),
            );
        }
        all = next;
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use AskedStep::{Any, Follow, Named, Up};
    use rstest::rstest;

    #[rstest]
    #[case("mtu", &[Named("mtu")])]
    #[case("../a|b/*", &[Up, Named("a|b"), Any])]
    #[case("subnet->network/x", &[Named("subnet"), Follow, Named("network"), Named("x")])]
    fn steps(#[case] path: &str, #[case] expected: &[AskedStep<'_>]) {
        assert_eq!(asked_steps(path).collect::<Vec<_>>(), expected);
    }

    #[test]
    fn alternatives_are_told_apart() {
        assert_eq!(alternatives("/a|b/*/c|d").join(" "), "/a/*/c /b/*/c /a/*/d /b/*/d");
        assert_eq!(alternatives("a"), ["a"]);
    }
}
