//! How remedies are worded for the command line.

use fordcross_core::finding::{Choice, Remedy, RemedyPart};

/// A remedy as a sentence, with options for what can be said.
pub(crate) fn worded(remedy: &Remedy) -> String {
    let parts = remedy.parts().iter().map(|part| match part {
        RemedyPart::Text(text) => text.to_string(),
        RemedyPart::Choice(choice) => option_of(choice),
    });
    parts.collect()
}

fn option_of(choice: &Choice) -> String {
    match choice {
        Choice::Answer(fact) => format!("`--answer {fact}=VALUE`"),
        Choice::BaseRows => "`fordcross ledger DIR --fate base`".into(),
        Choice::Charset(name) => format!("`--charset {}`", name.unwrap_or("NAME")),
        Choice::Configuration => "`--configuration`".into(),
        Choice::MaxMemory => "`--max-memory`".into(),
        Choice::MaxUnpacked => "`--max-unpacked BYTES`".into(),
        Choice::Passphrase => {
            "`--passphrase-file FILE`, `--passphrase-fd N` or the environment variable FORDCROSS_PASSPHRASE, \
             or name the backup alone at a terminal to be asked"
                .into()
        }
        Choice::Profiles => "`--profiles DIR`".into(),
        Choice::PinSafe => "`--pin safe`".into(),
        Choice::From => "`--from PLATFORM[@RELEASE]`".into(),
    }
}
