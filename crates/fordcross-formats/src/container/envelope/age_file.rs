//! Files encrypted with age (age-encryption.org/v1) for a passphrase.
//!
//! The cryptography is that of the `RustCrypto` crates; what is here is the layout of the file. The `age` crate itself, which does
//! far more, would be half of all that is compiled; it judges this code in the tests.

use super::header::{self, BadHeader, Header};
use super::{Passphrase, armor, stream};
use crate::container::facts::UnpackFact;
use crate::container::packed::Unpackable;
use chacha20poly1305::aead::{Aead as _, KeyInit as _};
use chacha20poly1305::{ChaCha20Poly1305, Nonce};
use hkdf::Hkdf;
use hmac::{Hmac, Mac as _};
use sha2::Sha256;
use std::borrow::Cow;
use std::io;
use zeroize::Zeroizing;

/// The most work, as a power of two, that a file may ask for before its passphrase is tried: 4 seconds and 1 GiB of
/// memory, as each is a kibibyte (RFC 7914, section 2, with the block size of age). Files of others could ask for years.
const MAX_WORK: u8 = 20;
/// The work that a result asks for: 256 MiB, for about a second.
const OWN_WORK: u8 = 18;
/// What scrypt's salt begins with (section "The scrypt recipient type").
const SALT_LABEL: &[u8] = b"age-encryption.org/v1/scrypt";

/// The key that the others are derived from.
type FileKey = Zeroizing<[u8; 16]>;

/// What was encrypted.
///
/// # Errors
/// That the data is damaged or cut off, is encrypted for keys, asks for too much work, that no passphrase was given or another
/// one, or that what is encrypted is larger than `most` bytes.
pub fn decrypt(bytes: &[u8], passphrase: Option<&Passphrase>, most: u64) -> Result<Vec<u8>, Unpackable> {
    let bytes = bytes.trim_ascii_start();
    let bytes = if armor::is_armored(bytes) {
        Cow::Owned(armor::decode(bytes).ok_or_else(damaged)?)
    } else {
        Cow::Borrowed(bytes)
    };
    let (header, rest) = header::read(&bytes).map_err(|bad| match bad {
        BadHeader::TooLong => UnpackFact::HeaderLong,
        BadHeader::OfKeys => UnpackFact::EncryptedForKeys,
        BadHeader::Damaged => UnpackFact::EncryptedDamaged,
    })?;
    let Some(passphrase) = passphrase else {
        return Err(UnpackFact::PassphraseNeeded.into());
    };
    if header.work > MAX_WORK {
        return Err(UnpackFact::WorkFactor.into());
    }
    let key = unwrapped(&header, passphrase)?;
    let is_own = mac_of(&key, header.text).verify_slice(&header.mac);
    is_own.map_err(|_| damaged())?;
    let (nonce, chunks) = rest.split_at_checked(stream::NONCE).ok_or_else(damaged)?;
    if stream::length_of(chunks.len()) > most {
        return Err(UnpackFact::EncryptedBeyondLimit { most }.into());
    }
    stream::open(&derived(&key, nonce, b"payload"), chunks).ok_or_else(damaged)
}

/// The key of a file, from the passphrase.
fn unwrapped(header: &Header<'_>, passphrase: &Passphrase) -> Result<FileKey, Unpackable> {
    let wrapping = wrapping_key(passphrase, &header.salt, header.work).ok_or_else(damaged)?;
    let cipher = ChaCha20Poly1305::new(&(*wrapping).into());
    let key = cipher
        .decrypt(&Nonce::default(), header.wrapped.as_slice())
        .map_err(|_| UnpackFact::PassphraseWrong)?;
    let key = Zeroizing::new(key);
    Ok(Zeroizing::new(key.as_slice().try_into().map_err(|_| damaged())?))
}

/// The key that wraps a file's key. `None` for work that the system cannot count.
fn wrapping_key(passphrase: &Passphrase, salt: &[u8], work: u8) -> Option<Zeroizing<[u8; 32]>> {
    let params = scrypt::Params::new(work, 8, 1).ok()?;
    let mut key = Zeroizing::new([0; 32]);
    scrypt::scrypt(passphrase.0.as_bytes(), &[SALT_LABEL, salt].concat(), &params, &mut *key).ok()?;
    Some(key)
}

/// A key derived from that of the file (RFC 5869).
fn derived(key: &FileKey, salt: &[u8], purpose: &[u8]) -> Zeroizing<[u8; 32]> {
    let mut out = Zeroizing::new([0; 32]);
    Hkdf::<Sha256>::new(Some(salt), &**key).expand(purpose, &mut *out).expect("32 bytes are few for SHA-256");
    out
}

/// The authentication of a header, up to the three hyphens (section "Header MAC").
fn mac_of(key: &FileKey, text: &[u8]) -> Hmac<Sha256> {
    let mut mac =
        Hmac::<Sha256>::new_from_slice(&*derived(key, b"", b"header")).expect("a key of any length does");
    mac.update(text);
    mac
}

fn damaged() -> Unpackable {
    UnpackFact::EncryptedDamaged.into()
}

/// Encrypts a result with a passphrase.
///
/// # Errors
/// That the system gave no random bytes.
pub fn encrypt(bytes: &[u8], passphrase: &Passphrase) -> io::Result<Vec<u8>> {
    encrypt_with(bytes, passphrase, OWN_WORK)
}

fn encrypt_with(bytes: &[u8], passphrase: &Passphrase, work: u8) -> io::Result<Vec<u8>> {
    let (mut key, mut salt, mut nonce) = (FileKey::default(), [0; 16], [0; stream::NONCE]);
    for random in [key.as_mut_slice(), &mut salt, &mut nonce] {
        getrandom::fill(random).map_err(io::Error::other)?;
    }
    let wrapping = wrapping_key(passphrase, &salt, work).ok_or_else(|| io::Error::other("too much work"))?;
    let cipher = ChaCha20Poly1305::new(&(*wrapping).into());
    let wrapped = cipher.encrypt(&Nonce::default(), key.as_slice()).map_err(io::Error::other)?;
    let mut out = header::write(&salt, work, &wrapped);
    let mac = mac_of(&key, &out).finalize().into_bytes();
    header::close(&mac, &mut out);
    out.extend_from_slice(&nonce);
    stream::seal(&derived(&key, &nonce, b"payload"), bytes, &mut out);
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::finding::{Code, Fact};
    use age::armor::{ArmoredWriter, Format as Armored};
    use age::secrecy::SecretString;
    use rstest::rstest;
    use std::io::{Read as _, Write as _};

    fn passphrase(text: &str) -> Passphrase {
        Passphrase::new(text.into())
    }

    fn secret() -> SecretString {
        SecretString::from("quay and pier".to_owned())
    }

    /// As the independent program encrypts, with little work.
    fn theirs(plain: &[u8], armored: bool) -> Vec<u8> {
        let mut recipient = age::scrypt::Recipient::new(secret());
        recipient.set_work_factor(4);
        let recipient: &dyn age::Recipient = &recipient;
        let encryptor = age::Encryptor::with_recipients(std::iter::once(recipient)).expect("encrypts");
        let armor = if armored { Armored::AsciiArmor } else { Armored::Binary };
        let armor = ArmoredWriter::wrap_output(Vec::new(), armor).expect("a writer");
        let mut writer = encryptor.wrap_output(armor).expect("a writer");
        writer.write_all(plain).expect("written");
        writer.finish().and_then(ArmoredWriter::finish).expect("written")
    }

    #[rstest]
    fn what_another_program_encrypts_is_opened(
        #[values(0, 1, 47, 65_535, 65_536, 65_537, 131_072, 200_000)] length: usize,
        #[values(false, true)] armored: bool,
    ) {
        let plain: Vec<u8> = (0..length).map(|at| (at % 251) as u8).collect();
        let file = theirs(&plain, armored);
        let opened = decrypt(&file, Some(&passphrase("quay and pier\n")), u64::MAX).expect("opened");
        assert!(opened == plain);
        let text = String::from_utf8_lossy(&file);
        let lines = file.iter().fold(Vec::new(), |mut out, &byte| {
            if byte == b'\n' {
                out.push(b'\r');
            }
            out.push(byte);
            out
        });
        if text.starts_with("-----") {
            let opened = decrypt(&lines, Some(&passphrase("quay and pier")), u64::MAX).expect("opened");
            assert!(opened == plain, "with other line ends");
        }
    }

    #[rstest]
    #[case(0)]
    #[case(65_536)]
    #[case(65_537)]
    fn what_is_encrypted_is_opened_by_another_program(#[case] length: usize) {
        let plain: Vec<u8> = (0..length).map(|at| (at % 251) as u8).collect();
        let file = encrypt_with(&plain, &passphrase("quay and pier"), 4).expect("encrypted");
        let decryptor = age::Decryptor::new(file.as_slice()).expect("a header");
        let identity = age::scrypt::Identity::new(secret());
        let mut opened = Vec::new();
        let mut reader = decryptor.decrypt(std::iter::once(&identity as _)).expect("opened");
        reader.read_to_end(&mut opened).expect("read");
        assert!(opened == plain);
    }

    /// Each byte counts: with another one in its place, or cut off behind it, nothing is opened.
    #[rstest]
    fn what_was_changed_is_refused(#[values(false, true)] armored: bool) {
        let file = theirs(b"a secret of the quay", armored);
        let open = |bytes: &[u8]| decrypt(bytes, Some(&passphrase("quay and pier")), u64::MAX);
        for at in 0..file.len() {
            let mut changed = file.clone();
            changed[at] = if changed[at] == b'A' { b'B' } else { b'A' };
            assert!(open(&changed).is_err(), "byte {at}");
            // White space may be missing behind armor.
            let rest = file[at..].trim_ascii();
            assert!(rest.is_empty() || open(&file[..at]).is_err(), "cut off at {at}");
        }
    }

    #[rstest]
    #[case(b"age-encryption.org/v1\n-> X25519 abc\n", Code::Locked, "encrypted for keys")]
    #[case(b"age-encryption.org/v1\n", Code::Locked, "damaged or cut off")]
    #[case(
        b"age-encryption.org/v1\n-> scrypt AAAAAAAAAAAAAAAAAAAAAA \nAAAA\n--- AAAA\n",
        Code::Locked,
        "damaged or cut off"
    )]
    #[case(b"-----BEGIN AGE ENCRYPTED FILE-----\n", Code::Locked, "damaged or cut off")]
    fn what_cannot_be_opened_says_why(#[case] bytes: &[u8], #[case] code: Code, #[case] message: &str) {
        let refused = decrypt(bytes, None, 1).expect_err("refused");
        assert_eq!(refused.fact.code(), code);
        assert!(refused.fact.to_string().contains(message), "{}", refused.fact);
    }

    #[test]
    fn passphrases_and_bounds_are_told_apart() {
        let file = theirs(b"four", false);
        let code = |passphrase: Option<&Passphrase>, most| {
            decrypt(&file, passphrase, most).map_err(|bad| bad.fact.code())
        };
        assert_eq!(code(None, 4), Err(Code::PassphraseNeeded));
        assert_eq!(code(Some(&passphrase("pier")), 4), Err(Code::PassphraseWrong));
        assert_eq!(code(Some(&passphrase("quay and pier")), 3), Err(Code::TooLarge));
        assert_eq!(code(Some(&passphrase("quay and pier")), 4), Ok(b"four".to_vec()));
    }
}
