//! Many backups side by side: which is the newest of each unit, which are the same, which are old.

use jiff::civil::Date;

/// One backup of many.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Item {
    /// The file, as a person named it.
    pub file: String,
    /// The platform line.
    pub platform: String,
    /// What the unit is called, if the backup says.
    pub unit: Option<String>,
    /// The day when it was taken, if the backup says.
    pub taken: Option<Date>,
    /// Whether it is of a kind that holds everything; `None` where the profile does not say.
    pub is_whole: Option<bool>,
    /// The hash of what it holds, unpacked: two with the same are the same backup.
    pub hash: String,
    /// Its own lists of hashes, if it has some, say that its files are what they were.
    pub intact: bool,
}

/// What there is to say of one backup among many.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Remark {
    /// It is the newest whole backup of its unit: the one to carry.
    NewestWhole,
    /// It holds what another file holds.
    SameAs(String),
    /// Older than a person wants it to be.
    Stale,
    /// From a day that is still to come: the clock of the unit, or this one, is wrong.
    Future,
    /// Of a kind that does not hold everything.
    Partial,
    /// It does not say when it was taken.
    Undated,
    /// Some of its files are not what its own list of hashes says.
    Damaged,
}

impl Remark {
    /// In words.
    pub fn about(&self) -> String {
        match self {
            Self::NewestWhole => "newest full backup of its unit".into(),
            Self::SameAs(file) => format!("same as {file}"),
            Self::Stale => "stale".into(),
            Self::Future => "dated in the future".into(),
            Self::Partial => "partial".into(),
            Self::Undated => "undated".into(),
            Self::Damaged => "damaged: checksums differ".into(),
        }
    }

    /// The word for it, for programs.
    pub fn word(&self) -> &'static str {
        match self {
            Self::NewestWhole => "newest-whole",
            Self::SameAs(_) => "same",
            Self::Stale => "stale",
            Self::Future => "future",
            Self::Partial => "partial",
            Self::Undated => "undated",
            Self::Damaged => "damaged",
        }
    }
}

/// The items newest first, each with what there is to say of it. `today` is the day to count from, and
/// what is older than `stale_after` days is stale.
pub fn inventory(mut items: Vec<Item>, today: Date, stale_after: i64) -> Vec<(Item, Vec<Remark>)> {
    items.sort_by(|a, b| b.taken.cmp(&a.taken).then_with(|| a.file.cmp(&b.file)));
    let mut listed: Vec<(Item, Vec<Remark>)> = Vec::new();
    for item in items {
        let mut remarks = Vec::new();
        let is_future = item.taken.is_some_and(|taken| taken > today);
        let twin = listed.iter().find(|(other, _)| other.hash == item.hash);
        if let Some((twin, _)) = twin {
            remarks.push(Remark::SameAs(twin.file.clone()));
        }
        match item.taken {
            None => remarks.push(Remark::Undated),
            Some(_) if is_future => remarks.push(Remark::Future),
            Some(taken) if age(taken, today) > stale_after => remarks.push(Remark::Stale),
            Some(_) => {}
        }
        if item.is_whole == Some(false) {
            remarks.push(Remark::Partial);
        }
        if !item.intact {
            remarks.push(Remark::Damaged);
        }
        // A date that cannot be is no reason to take a backup for the newest.
        let could_be = item.taken.is_some()
            && !is_future
            && twin.is_none()
            && item.is_whole != Some(false)
            && item.intact;
        let same_unit = |other: &Item| other.platform == item.platform && other.unit == item.unit;
        let is_first =
            !listed.iter().any(|(other, remarks)| same_unit(other) && remarks.contains(&Remark::NewestWhole));
        if could_be && is_first && item.unit.is_some() {
            remarks.insert(0, Remark::NewestWhole);
        }
        listed.push((item, remarks));
    }
    listed
}

/// Days from one day to another.
fn age(taken: Date, today: Date) -> i64 {
    today.since(taken).map_or(0, |span| i64::from(span.get_days()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn item(text: &str) -> Item {
        let [file, unit, taken, whole, hash]: [&str; 5] =
            text.split(' ').collect::<Vec<_>>().try_into().expect("five words");
        Item {
            file: file.into(),
            platform: "teasel".into(),
            unit: (unit != "-").then(|| unit.into()),
            taken: taken.parse().ok(),
            is_whole: match whole {
                "whole" => Some(true),
                "part" => Some(false),
                _ => None,
            },
            hash: hash.into(),
            intact: true,
        }
    }

    #[rstest]
    #[case(&["a u 2026-11-01 whole 1", "b u 2026-11-20 whole 2"], &["b newest-whole", "a "])]
    // What is not whole, doubled, undated or of tomorrow is not the one to carry.
    #[case(&["a u 2026-11-01 whole 1", "b u 2026-11-20 part 2"], &["b partial", "a newest-whole"])]
    #[case(&["a u 2026-11-20 whole 1", "b u 2026-11-20 whole 1"], &["a newest-whole", "b same"])]
    #[case(&["a u 2026-12-01 whole 1", "b u 2026-11-20 ? 2"], &["a future", "b newest-whole"])]
    #[case(&["a u - whole 1", "b v 2026-09-01 whole 2"], &["b newest-whole stale", "a undated"])]
    #[case(&["a - 2026-11-20 whole 1"], &["a "])]
    fn backups_are_listed(#[case] items: &[&str], #[case] expected: &[&str]) {
        let today = "2026-11-25".parse().expect("a day");
        let listed = inventory(items.iter().map(|text| item(text)).collect(), today, 30);
        let shown: Vec<String> = listed
            .iter()
            .map(|(item, remarks)| {
                let words: Vec<&str> = remarks.iter().map(Remark::word).collect();
                format!("{} {}", item.file, words.join(" "))
            })
            .collect();
        assert_eq!(shown, expected);
    }
}
