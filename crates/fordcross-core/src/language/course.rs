//! Courses: the crossings in order that lead from a backup's release to the receiving one.

use super::facts::LanguageFact;
use crate::finding::{Finding, Findings, OneOf};
use crate::language::crossing::{Crossing, Side};
use crate::language::library::{CrossingFile, Library};
use crate::language::profile::Profile;
use std::collections::VecDeque;

/// One crossing of a course, with the profiles of both sides as they are at its releases.
#[derive(Debug)]
pub struct Leg {
    /// The profile of the side that it starts on.
    pub old: Profile,
    /// The profile of the side that it leads to.
    pub new: Profile,
    /// The rules.
    pub crossing: Crossing,
}

impl Library {
    /// The shortest course; among several of one length the one whose crossings were added first.
    /// From a release to itself there is none to go: such a course is empty.
    ///
    /// # Errors
    /// That there is none: where the crossings from the start lead, and from where the end is reached.
    pub fn course(&self, from: &Side, to: &Side) -> Result<Vec<&CrossingFile>, Box<Finding>> {
        // For each side that was reached, the crossing that led to it.
        let mut reached: Vec<(&Side, Option<&CrossingFile>)> = vec![(from, None)];
        let mut open = VecDeque::from([from]);
        while let Some(side) = open.pop_front().filter(|_| !reached.iter().any(|(side, _)| *side == to)) {
            for crossing in self.crossings().iter().filter(|crossing| crossing.from == *side) {
                if !reached.iter().any(|(side, _)| **side == crossing.to) {
                    reached.push((&crossing.to, Some(crossing)));
                    open.push_back(&crossing.to);
                }
            }
        }
        let mut course = Vec::new();
        let mut at = to;
        while at != from {
            let Some(&(_, Some(crossing))) = reached.iter().find(|(side, _)| *side == at) else {
                return Err(Box::new(self.no_course(from, to, &reached)));
            };
            course.push(crossing);
            at = &crossing.from;
        }
        course.reverse();
        Ok(course)
    }

    fn no_course(&self, from: &Side, to: &Side, reached: &[(&Side, Option<&CrossingFile>)]) -> Finding {
        let out = OneOf::of(reached[1..].iter().map(|(side, _)| side.to_string()));
        let to_there = self.crossings().iter().filter(|crossing| crossing.to == *to);
        let into = OneOf::of(to_there.map(|crossing| crossing.from.to_string()));
        Finding::new(LanguageFact::NoCourse { from: from.to_string(), to: to.to_string(), out, into })
    }

    /// Parses the crossings of a course and the profiles that they need, each profile once. An empty
    /// course is one leg from the release to itself.
    ///
    /// # Errors
    /// Everything that is wrong with the files, with the file that it is about.
    pub fn legs(&self, from: &Side, course: &[&CrossingFile]) -> Result<Vec<Leg>, Findings> {
        if course.is_empty() {
            let profile = self.profile(&from.platform).map_err(|finding| vec![*finding])?.parse()?;
            let at = || profile.at(&from.release).map_err(|finding| vec![*finding]);
            return Ok(vec![Leg { old: at()?, new: at()?, crossing: Crossing::identity(from) }]);
        }
        let at = |side: &Side| -> Result<Profile, Findings> {
            let file = self.profile(&side.platform).map_err(|finding| vec![*finding])?;
            file.parse()?.at(&side.release).map_err(|finding| vec![*finding])
        };
        course
            .iter()
            .map(|file| {
                let (old, new) = (at(&file.from)?, at(&file.to)?);
                let crossing = file.parse(&old, &new, self)?;
                Ok(Leg { old, new, crossing })
            })
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::library::Checking;
    use rstest::rstest;

    /// A library of crossings written as `a@1>a@2`.
    fn library(crossings: &str) -> Library {
        let mut library = Library::default();
        for crossing in crossings.split_whitespace() {
            let (from, to) = crossing.split_once('>').expect("two sides");
            library.add_crossing(CrossingFile {
                file: crossing.to_owned().into(),
                text: "".into(),
                from: Side::parse(from).expect("a side"),
                to: Side::parse(to).expect("a side"),
                checking: Checking::Whole,
            });
        }
        library
    }

    fn course(crossings: &str, from: &str, to: &str) -> Result<String, String> {
        let side = |text| Side::parse(text).expect("a side");
        match library(crossings).course(&side(from), &side(to)) {
            Ok(course) => Ok(course.iter().map(|file| file.file.as_ref()).collect::<Vec<_>>().join(" ")),
            Err(finding) => Err(format!("{:?}", finding.remedy().map(|help| help.parts()[0].clone()))),
        }
    }

    #[rstest]
    #[case("a@1>a@2 a@2>b@1", "a@1", "b@1", "a@1>a@2 a@2>b@1")]
    #[case("a@1>a@2 a@2>a@3 a@1>a@3", "a@1", "a@3", "a@1>a@3")] // the shortest
    #[case("a@1>a@2 a@2>a@1", "a@1", "a@2", "a@1>a@2")] // round in a circle
    #[case("a@1>a@2", "a@1", "a@1", "")]
    fn finds_the_course(
        #[case] crossings: &str,
        #[case] from: &str,
        #[case] to: &str,
        #[case] expected: &str,
    ) {
        assert_eq!(course(crossings, from, to).as_deref(), Ok(expected));
    }

    #[rstest]
    #[case(
        "a@1>a@2 b@1>b@2",
        "a@1",
        "b@2",
        "crossings from `a@1` lead to `a@2`; `b@2` can be reached from `b@1`"
    )]
    #[case("a@2>a@1", "a@1", "a@2", "no crossing starts at `a@1`; no crossing leads to `a@2`")]
    fn says_why_there_is_none(
        #[case] crossings: &str,
        #[case] from: &str,
        #[case] to: &str,
        #[case] reported: &str,
    ) {
        let help = course(crossings, from, to).expect_err("there is none");
        assert!(help.contains(reported), "{help}");
    }

    #[test]
    fn a_later_crossing_between_the_same_releases_takes_the_place_of_an_earlier() {
        assert_eq!(library("a@1>a@2 a@1>a@2").crossings().len(), 1);
    }
}
