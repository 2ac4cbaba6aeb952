//! The result and the ledger, written side by side; the result is read back.

use super::Carried;
use super::output;
use super::unwritable::Trials;
use crate::account::{LedgerInput, LedgerWriter};
use crate::container::Member;
use crate::judge::read_back::{Expected, ReadBack};
use crate::ledger::Ledger;
use crate::tree::{NodeId, Tree};
use rustc_hash::FxHashSet;

/// What writing gave: what the ledger's writer gave, and where the result differs or what its taker gave.
struct Written<T, R> {
    ledger: T,
    reported: Option<ReadBack>,
    result: Option<R>,
    /// What cannot be written, and has to be left to a person for the rest to be.
    unwritable: Option<FxHashSet<NodeId>>,
}

impl Carried<'_, '_> {
    /// Makes the new configuration, unless it is blocked, and reads it back; where nothing blocks then either, `result`
    /// is handed its files, each with its path. Meanwhile, on a thread of its own, `ledger` writes the rows of
    /// the ledger. What both give is given back. What cannot be written so that it reads back is left to a person; then all
    /// is written once more.
    ///
    /// # Panics
    /// If `ledger` does.
    pub fn write<T: Send, R>(
        &mut self,
        mut ledger: impl FnMut(LedgerWriter<'_>) -> T + Send,
        mut result: impl FnMut(&[Member]) -> R,
    ) -> (T, Option<R>) {
        let mut written = self.write_once(&mut ledger, &mut result);
        if let Some(without) = written.unwritable.take() {
            let findings = self.leave(&without);
            self.add_findings(findings);
            written = self.write_once(&mut ledger, &mut result);
        }
        if let Some(reported) = written.reported {
            self.findings.splice(0..0, reported.differences);
            self.findings.sort_by_key(|finding| finding.severity);
        }
        (written.ledger, written.result)
    }

    /// The files of the result as it is, whatever blocks it: for who writes a profile or a crossing. None where it is made
    /// of a base.
    pub fn files(&self) -> Vec<Member> {
        let Some(tree) = self.trees.last().filter(|_| self.based.is_none()) else { return Vec::new() };
        output::write_and_read_back(&self.input.texts(), &self.expected(tree, &self.ledger)).0
    }

    fn expected<'e>(&'e self, tree: &'e Tree<'e>, ledger: &'e Ledger) -> Expected<'e> {
        let profile = &self.input.course[self.input.course.len() - 1].new;
        let kept = self.based.as_ref().map_or(&[][..], |based| &based.kept);
        Expected { tree, ledger, profile, model: self.input.model, kept }
    }

    fn write_once<T: Send, R>(
        &mut self,
        ledger: &mut (impl FnMut(LedgerWriter<'_>) -> T + Send),
        result: &mut impl FnMut(&[Member]) -> R,
    ) -> Written<T, R> {
        let blocked = self.is_blocked();
        let new = &self.input.course[self.input.course.len() - 1].new;
        let Self { input, steps, trees, new_automaton, ledger: whole, based, .. } = self;
        let tree: &Tree<'_> = trees.last().expect("a tree after each step");
        let whole: &Ledger = whole;
        let files = based.as_mut().map(|based| std::mem::take(&mut based.files));
        let texts = input.texts();
        let kept = based.as_ref().map_or(&[][..], |based| &based.kept);
        let rows = LedgerWriter::new(&LedgerInput {
            backup: input.backup,
            course: input.course,
            mapping: input.mapping,
            steps,
            trees,
            ledger: whole,
            new_automaton,
            base: input.base.zip(based.as_ref().map(|based| &based.reading)),
        });
        let expected = Expected { tree, ledger: whole, profile: new, model: input.model, kept };
        let is_based = files.is_some();
        let (ledger, made) = std::thread::scope(|scope| {
            let ledger = scope.spawn(move || ledger(rows));
            let made = (!blocked).then(|| {
                let (files, reported) = match files {
                    Some(files) => output::read_back_packed(files, input.charset(), &expected),
                    None => output::write_and_read_back(&texts, &expected),
                };
                let result = (!reported.blocks()).then(|| result(&files));
                (reported, result)
            });
            (ledger.join().expect("the ledger is written"), made)
        });
        let Some((reported, result)) = made else {
            return Written { ledger, reported: None, result: None, unwritable: None };
        };
        let is_tried = reported.blocks() && !is_based;
        let unwritable = is_tried.then(|| Trials::new(&texts, expected).culprits(&reported)).flatten();
        Written { ledger, reported: Some(reported), result, unwritable }
    }
}
