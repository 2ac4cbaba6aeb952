//! What texts and names may be made of.

use super::Loss;

/// Limits of a text: how long, and of which characters.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Limits {
    /// In characters.
    pub(crate) min: Option<usize>,
    pub(crate) max: Option<usize>,
    pub(crate) characters: Option<Characters>,
}

/// The characters that may be in a text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Characters {
    /// As the profile spells them: `a-z0-9-`.
    pub(crate) spelled: String,
    ranges: Vec<(char, char)>,
    /// Those of ASCII, a bit each: nearly all that is asked for.
    ascii: u128,
    /// What takes the place of any other.
    instead: String,
}

impl Characters {
    /// From single characters and ranges such as `a-z`; `-` for itself is first or last.
    pub(crate) fn parse(spelled: &str, instead: &str) -> Option<Self> {
        let all: Vec<char> = spelled.chars().collect();
        let mut ranges = Vec::new();
        let mut at = 0;
        while at < all.len() {
            match all.get(at + 1..at + 3) {
                Some(&['-', to]) if all[at] <= to => {
                    ranges.push((all[at], to));
                    at += 3;
                }
                Some(&['-', _]) => return None,
                _ => {
                    ranges.push((all[at], all[at]));
                    at += 1;
                }
            }
        }
        let has = |bit: &u32| {
            char::from_u32(*bit).is_some_and(|c| ranges.iter().any(|&(from, to)| (from..=to).contains(&c)))
        };
        let ascii = (0..128).filter(has).fold(0, |bits, bit| bits | 1 << bit);
        let made = Self { spelled: spelled.to_owned(), ranges, ascii, instead: instead.to_owned() };
        (!made.ranges.is_empty() && instead.chars().all(|c| made.has(c))).then_some(made)
    }

    pub(crate) fn has(&self, c: char) -> bool {
        if c.is_ascii() {
            return self.ascii >> u32::from(c) & 1 == 1;
        }
        self.ranges.iter().any(|&(from, to)| (from..=to).contains(&c))
    }
}

impl Limits {
    /// Whether a text keeps to the characters; a longer one is read, and shortened where it is written.
    pub(crate) fn fit(&self, text: &str) -> bool {
        self.characters.as_ref().is_none_or(|known| text.chars().all(|c| known.has(c)))
            && self.too_short(text).is_none()
    }

    /// How many characters a text has at least, if it has fewer.
    pub(crate) fn too_short(&self, text: &str) -> Option<usize> {
        self.min.filter(|&min| text.chars().count() < min)
    }

    /// Appends the text as it may be, and says what it lost.
    pub(crate) fn write(&self, text: &str, out: &mut String) -> Option<Loss> {
        // No text has more characters than bytes.
        if self.max.is_none_or(|max| text.len() <= max) && self.fit(text) {
            out.push_str(text);
            return None;
        }
        let start = out.len();
        let mut replaced = false;
        for c in text.chars() {
            match &self.characters {
                Some(known) if !known.has(c) => {
                    replaced = true;
                    out.push_str(&known.instead);
                }
                _ => out.push(c),
            }
        }
        let cut = self.max.and_then(|max| out[start..].char_indices().nth(max).map(|(at, _)| start + at));
        if let Some(cut) = cut {
            out.truncate(cut);
        }
        let max = self.max.unwrap_or_default();
        match (replaced, cut) {
            (false, None) => None,
            (true, None) => Some(Loss::Replaced),
            (false, Some(_)) => Some(Loss::Shortened { max }),
            (true, Some(_)) => Some(Loss::ShortenedReplaced { max }),
        }
    }

    /// The text with a number at its end that tells it from its like, within the same limits.
    pub(crate) fn numbered(&self, text: &str, number: usize) -> String {
        let dash = self.characters.as_ref().is_none_or(|known| known.has('-'));
        let tail = if dash { format!("-{number}") } else { number.to_string() };
        let keep = self.max.map_or(usize::MAX, |max| max.saturating_sub(tail.len()));
        text.chars().take(keep).chain(tail.chars()).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("a-z0-9-", "-", "a-b", true)]
    #[case("a-z", "_", "", false)] // `_` is none of them itself
    #[case("z-a", "z", "", false)]
    #[case("", "", "", false)]
    fn parses(#[case] spelled: &str, #[case] instead: &str, #[case] text: &str, #[case] good: bool) {
        let made = Characters::parse(spelled, instead);
        assert_eq!(made.is_some(), good);
        assert!(made.is_none_or(|known| text.chars().all(|c| known.has(c))));
    }

    #[rstest]
    #[case(Some(5), "harbour", "harbo")]
    #[case(None, "a b_c", "a-b-c")]
    #[case(Some(3), "a b_c", "a-b")]
    #[case(Some(9), "é", "-")]
    fn writes(#[case] max: Option<usize>, #[case] text: &str, #[case] expected: &str) {
        let limits = Limits { min: None, max, characters: Characters::parse("a-z-", "-") };
        let mut out = String::new();
        assert_eq!(limits.write(text, &mut out).is_some(), text != expected);
        assert_eq!(out, expected);
    }
}
