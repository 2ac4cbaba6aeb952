//! Lists of words as a person reads them, and which of them could have been meant.

use std::fmt;

/// `a`, `b` or `c`, each in backticks; at most eight are named.
pub fn one_of<S: AsRef<str>>(words: impl IntoIterator<Item = S>) -> String {
    listed(words, "or")
}

/// `a`, `b` and `c`, in the same way.
pub fn all_of<S: AsRef<str>>(words: impl IntoIterator<Item = S>) -> String {
    listed(words, "and")
}

fn listed<S: AsRef<str>>(words: impl IntoIterator<Item = S>, and: &str) -> String {
    let words: Vec<String> = words.into_iter().map(|word| format!("`{}`", word.as_ref())).collect();
    let shown = words.len().min(8);
    let rest = words.len() - shown;
    match (&words[..shown], rest) {
        ([], _) => "nothing".to_owned(),
        ([only], 0) => only.clone(),
        ([start @ .., last], 0) => format!("{} {and} {last}", start.join(", ")),
        (shown, rest) => format!("{} {and} {rest} more", shown.join(", ")),
    }
}

/// `1 port`, `2 ports`.
pub fn count(number: usize, thing: &str) -> String {
    if number == 1 { format!("1 {thing}") } else { format!("{number} {thing}s") }
}

/// The known word that is nearest to `word`, if one is near enough to be what was meant.
pub(super) fn nearest<'w>(word: &str, known: impl IntoIterator<Item = &'w str>) -> Option<&'w str> {
    known
        .into_iter()
        .map(|candidate| (distance(word, candidate), candidate))
        .filter(|&(distance, candidate)| distance <= 1 + candidate.chars().count().min(12) / 4)
        .min_by_key(|&(distance, _)| distance)
        .map(|(_, candidate)| candidate)
}

/// What could have been meant by a word that is not known. Its `Display` is a remedy's sentence.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Suggestion {
    /// A known word that is near enough.
    Near(String),
    /// None is near: any of these could be there.
    OneOf(Vec<String>),
    /// None is near: these are what the profile declares.
    Declared(Vec<String>),
}

impl Suggestion {
    /// What could have been meant by `word`, of the words that may be there.
    pub fn among<'w>(word: &str, known: impl IntoIterator<Item = &'w str> + Clone) -> Self {
        match nearest(word, known.clone()) {
            Some(near) => Self::Near(near.to_owned()),
            None => Self::OneOf(known.into_iter().map(str::to_owned).collect()),
        }
    }

    /// What could have been meant by a name that a profile does not declare, where it declares these.
    pub fn declared(name: &str, declared: &[String]) -> Self {
        match nearest(name, declared.iter().map(String::as_str)) {
            Some(near) => Self::Near(near.to_owned()),
            None => Self::Declared(declared.to_vec()),
        }
    }
}

impl fmt::Display for Suggestion {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Near(near) => write!(f, "did you mean `{near}`?"),
            Self::OneOf(known) => write!(f, "expected {}", one_of(known)),
            Self::Declared(declared) if declared.is_empty() => {
                f.write_str("the profile declares nothing below this")
            }
            Self::Declared(declared) => write!(f, "the profile has {}", all_of(declared)),
        }
    }
}

/// A number of things, as `1 port` or `2 ports`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Count(pub usize, pub &'static str);

impl fmt::Display for Count {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&count(self.0, self.1))
    }
}

/// Words in backticks, all of which are meant: `a`, `b` and `c`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AllOf(pub Vec<String>);

impl AllOf {
    /// These words.
    pub fn of<S: Into<String>>(words: impl IntoIterator<Item = S>) -> Self {
        Self(words.into_iter().map(Into::into).collect())
    }
}

impl fmt::Display for AllOf {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&all_of(&self.0))
    }
}

/// Words in backticks, any of which will do: `a`, `b` or `c`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OneOf(pub Vec<String>);

impl OneOf {
    /// These words.
    pub fn of<S: Into<String>>(words: impl IntoIterator<Item = S>) -> Self {
        Self(words.into_iter().map(Into::into).collect())
    }
}

impl fmt::Display for OneOf {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&one_of(&self.0))
    }
}

/// Edit distance in which two neighbours that changed places count once.
fn distance(a: &str, b: &str) -> usize {
    let (a, b): (Vec<char>, Vec<char>) = (a.chars().take(64).collect(), b.chars().take(64).collect());
    let mut rows = vec![vec![0; b.len() + 1]; a.len() + 1];
    for i in 0..=a.len() {
        for j in 0..=b.len() {
            rows[i][j] = if i == 0 || j == 0 {
                i + j
            } else {
                let swap = i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1];
                let step = rows[i - 1][j].min(rows[i][j - 1]) + 1;
                let same = rows[i - 1][j - 1] + usize::from(a[i - 1] != b[j - 1]);
                let swapped = if swap { rows[i - 2][j - 2] + 1 } else { usize::MAX };
                step.min(same).min(swapped)
            };
        }
    }
    rows[a.len()][b.len()]
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("mtv", Some("mtu"))]
    #[case("tyep", Some("type"))]
    #[case("banana", None)]
    fn nearest_word(#[case] word: &str, #[case] expected: Option<&str>) {
        assert_eq!(nearest(word, ["mtu", "type", "sections"]), expected);
    }

    #[test]
    fn long_lists_of_words_are_cut() {
        assert_eq!(one_of(["a"]), "`a`");
        assert_eq!(one_of(["a", "b", "c"]), "`a`, `b` or `c`");
        assert_eq!(all_of(["a", "b", "c"]), "`a`, `b` and `c`");
        assert!(one_of((0..20).map(|n| n.to_string())).ends_with("or 12 more"));
    }
}
