//! What the map takes out: objects and settings that name a port which is left or still open.
//!
//! An object that names such a port goes as a whole. A filter rule without its port would be another
//! rule, and often a wider one.

use crate::automaton::Automaton;
use crate::carry::Step;
use crate::mapping::{PortTarget, each_naming_row};
use crate::reading::{ObjectId, Reading, Row};
use rustc_hash::FxHashMap;

/// What is taken out, by the number of the port in `ports`.
pub(super) struct Bars {
    pub(super) ports: Vec<String>,
    numbers: FxHashMap<String, u32>,
    objects: Vec<Option<u32>>,
    /// Settings outside all objects.
    rows: FxHashMap<u32, u32>,
}

impl Bars {
    pub(super) fn new(step: &Step<'_, '_>, automaton: &Automaton, reading: &Reading) -> Self {
        let mut bars = Self {
            ports: Vec::new(),
            numbers: FxHashMap::default(),
            objects: vec![None; reading.objects.len()],
            rows: FxHashMap::default(),
        };
        let Some(mapping) = step.mapping else { return bars };
        each_naming_row(step.tree, step.old(), automaton, reading, &mut |index, row, ports| {
            for name in ports.iter().filter(|name| !matches!(mapping.port(name), PortTarget::New(_))) {
                let port = bars.number(name);
                match row.object {
                    Some(object) => {
                        bars.objects[object.index()].get_or_insert(port);
                    }
                    None => {
                        bars.rows.insert(index, port);
                    }
                }
            }
        });
        // Objects stand after those that hold them.
        for index in 0..reading.objects.len() {
            if let Some(holder) = reading.objects[index].holder
                && bars.objects[index].is_none()
            {
                bars.objects[index] = bars.objects[holder.index()];
            }
        }
        bars
    }

    fn number(&mut self, name: &str) -> u32 {
        if let Some(&known) = self.numbers.get(name) {
            return known;
        }
        let number = self.ports.len() as u32;
        self.ports.push(name.to_owned());
        self.numbers.insert(name.to_owned(), number);
        number
    }

    /// The port that takes an object out.
    pub(super) fn of_object(&self, object: ObjectId) -> Option<u32> {
        self.objects[object.index()]
    }

    /// The port that takes this row out.
    pub(super) fn of(&self, index: u32, row: &Row) -> Option<u32> {
        match row.object {
            Some(object) => self.objects[object.index()],
            None if self.rows.is_empty() => None,
            None => self.rows.get(&index).copied(),
        }
    }
}
