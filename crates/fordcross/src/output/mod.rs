//! Printing. Only this module and its children write text for people.

pub(crate) mod findings;
pub(crate) mod rows;
pub(crate) mod stream;
pub(crate) mod table;

use anstyle::{AnsiColor, Style};
use std::collections::HashMap;
use std::io::{self, Write};
use stream::{is_unsafe, json_escaped};

pub(crate) const BOLD: Style = Style::new().bold();
pub(crate) const DIM: Style = Style::new().dimmed();
pub(crate) const RED: Style = AnsiColor::Red.on_default().bold();
pub(crate) const YELLOW: Style = AnsiColor::Yellow.on_default().bold();
pub(crate) const CYAN: Style = AnsiColor::Cyan.on_default().bold();

/// The two streams of the program.
pub(crate) struct Printer<'s> {
    pub(crate) out: &'s mut dyn Write,
    pub(crate) err: &'s mut dyn Write,
}

impl<'s> Printer<'s> {
    pub(crate) fn new(out: &'s mut dyn Write, err: &'s mut dyn Write) -> Self {
        Self { out, err }
    }

    pub(crate) fn line(&mut self, text: &str) -> io::Result<()> {
        writeln!(self.out, "{text}")
    }

    pub(crate) fn json(&mut self, value: &serde_json::Value) -> io::Result<()> {
        let text = format!("{value:#}");
        writeln!(self.out, "{}", json_escaped(&text))
    }

    pub(crate) fn error(&mut self, message: &str, help: Option<&str>) -> io::Result<()> {
        // What was already printed comes before what is said of it.
        self.out.flush()?;
        writeln!(self.err, "{RED}error{RED:#}: {}", clean(message))?;
        if let Some(help) = help {
            writeln!(self.err, "  {CYAN}help{CYAN:#}: {}", clean(help))?;
        }
        Ok(())
    }
}

/// The texts of a person's own files, for messages that show a line of them. Backups are never
/// among them: a line of a backup may hold a secret.
#[derive(Debug, Default)]
pub(crate) struct Sources(HashMap<String, String>);

impl Sources {
    pub(crate) fn add(&mut self, name: &str, text: &str) {
        self.0.insert(name.to_owned(), text.to_owned());
    }

    fn get(&self, name: &str) -> Option<&str> {
        self.0.get(name).map(String::as_str)
    }
}

/// Text from outside on one line, without what could command a terminal or show text in another order than it has.
pub(crate) fn clean(text: &str) -> String {
    if !text.contains(is_unsafe) {
        return text.to_owned();
    }
    text.chars()
        .flat_map(|c| {
            let plain = (!is_unsafe(c)).then_some(c);
            let shown = is_unsafe(c).then(|| c.escape_default());
            plain.into_iter().chain(shown.into_iter().flatten())
        })
        .collect()
}

/// `1 setting`, `2 settings`.
pub(crate) fn count(number: usize, thing: &str) -> String {
    if number == 1 { format!("1 {thing}") } else { format!("{number} {thing}s") }
}
