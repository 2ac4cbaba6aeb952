//! Files encrypted with age (age-encryption.org/v1).

use super::{Passphrase, refused};
use crate::container::packed::{Unpackable, say_how_much};
use crate::finding::{Choice, Code, Remedy};
use age::armor::ArmoredReader;
use age::secrecy::SecretString;
use age::{DecryptError, Decryptor, Encryptor, Recipient, scrypt};
use std::io::{Read as _, Write as _};
use std::iter;

/// The most work, as a power of two, that a file may ask for before its passphrase is tried: 4 seconds and 1 GiB of
/// memory, as each is a kibibyte (RFC 7914, section 2, with the block size of age). Files of others could ask for years.
const MOST_WORK: u8 = 20;

/// The most bytes of a header: to read one takes the square of its length. One for a passphrase is short.
const MOST_HEADER: u64 = 16 << 10;
/// What the last line of a header begins with (age-encryption.org/v1, Header).
const HEADER_END: &[u8] = b"\n---";

/// The work that a result asks for: 256 MiB, for about a second.
const OWN_WORK: u8 = 18;

/// What was encrypted.
pub fn decrypt(bytes: &[u8], passphrase: Option<&Passphrase>, most: u64) -> Result<Vec<u8>, Unpackable> {
    let mut head = Vec::new();
    // What is damaged is told when it is decrypted.
    let _ = ArmoredReader::new(bytes.trim_ascii_start()).take(MOST_HEADER).read_to_end(&mut head);
    if head.len() as u64 == MOST_HEADER && memchr::memmem::find(&head, HEADER_END).is_none() {
        return Err(refused(
            "the encrypted data begins with a header that is longer than 16 KiB",
            "one for a passphrase has some hundred bytes; encrypt it for a passphrase alone",
        ));
    }
    let bytes = bytes.trim_ascii_start();
    let decryptor = Decryptor::new_buffered(ArmoredReader::new(bytes)).map_err(|error| told(&error))?;
    if !decryptor.is_scrypt() {
        return Err(refused(
            "the backup is encrypted for keys, not with a passphrase",
            "decrypt it with the key first, or encrypt it with a passphrase",
        ));
    }
    let Some(passphrase) = passphrase else {
        let needed = refused(
            "the backup is encrypted with age, and no passphrase was given",
            Remedy::from("give it with ").choice(Choice::Passphrase),
        );
        return Err(Unpackable { code: Code::PassphraseNeeded, ..needed });
    };
    let mut identity = scrypt::Identity::new(secret(passphrase));
    identity.set_max_work_factor(MOST_WORK);
    let reader = decryptor.decrypt(iter::once(&identity as _)).map_err(|error| told(&error))?;
    let mut out = Vec::new();
    reader.take(most.saturating_add(1)).read_to_end(&mut out).map_err(|_| damaged())?;
    if out.len() as u64 > most {
        return Err(Unpackable {
            code: Code::TooLarge,
            message: format!("what is encrypted is larger than {most} bytes"),
            help: say_how_much(),
            member: None,
        });
    }
    Ok(out)
}

fn damaged() -> Unpackable {
    refused(
        "the encrypted data is damaged or cut off",
        "compare the file's size with the original and fetch it again",
    )
}

fn told(error: &DecryptError) -> Unpackable {
    match error {
        DecryptError::DecryptionFailed | DecryptError::KeyDecryptionFailed | DecryptError::NoMatchingKeys => {
            let wrong = refused(
                "the passphrase is not the one that the backup was encrypted with",
                "try again; upper and lower case count, and so do blanks at the end",
            );
            Unpackable { code: Code::PassphraseWrong, ..wrong }
        }
        DecryptError::ExcessiveWork { .. } => refused(
            "the encrypted backup asks for more work than anybody would have put into it",
            "it is not from a unit; decrypt it yourself if you trust it",
        ),
        _ => damaged(),
    }
}

/// Encrypts a result with a passphrase.
///
/// # Errors
/// That the system gave no random bytes.
pub fn encrypt(bytes: &[u8], passphrase: &Passphrase) -> std::io::Result<Vec<u8>> {
    let mut recipient = scrypt::Recipient::new(secret(passphrase));
    recipient.set_work_factor(OWN_WORK);
    let recipient: &dyn Recipient = &recipient;
    let encryptor = Encryptor::with_recipients(iter::once(recipient)).map_err(std::io::Error::other)?;
    let mut out = Vec::new();
    let mut writer = encryptor.wrap_output(&mut out)?;
    writer.write_all(bytes)?;
    writer.finish()?;
    Ok(out)
}

fn secret(passphrase: &Passphrase) -> SecretString {
    SecretString::from(passphrase.0.as_str().to_owned())
}
