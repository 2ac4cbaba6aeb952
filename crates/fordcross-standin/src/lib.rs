//! Simulated receiving systems.
//!
//! A stand-in reads the files that Fordcross writes with a reader of its own and refuses whatever a
//! strict unit would refuse. It shares no code with the core, so that a mistake is not made twice.
//! Each is a plain state machine behind [`Receiver`]: same input, same answer.

mod command;
mod document;
pub mod osier;

pub use command::run;
pub use document::{Document, Value, parse};

/// Why a receiving system does not take a file: where in it, and what is wrong there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Refusal {
    /// The place, as keys and list positions: `filter.rules.3.port`.
    pub place: String,
    /// What is wrong.
    pub reason: String,
}

impl std::fmt::Display for Refusal {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}: {}", self.place, self.reason)
    }
}

/// A system that takes configurations and gives back what it took.
pub trait Receiver {
    /// Takes a configuration whole, or refuses it with all reasons and stays as it was.
    ///
    /// # Errors
    /// Every reason for which the configuration is refused.
    fn load(&mut self, text: &str) -> Result<Summary, Vec<Refusal>>;

    /// What the system says of itself; nothing while it holds no configuration.
    fn export(&self) -> Option<String>;
}

/// What a system took, counted.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Summary {
    /// Things with how many of them there are.
    pub counts: Vec<(&'static str, usize)>,
}
