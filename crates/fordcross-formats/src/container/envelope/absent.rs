//! What a build without encryption does.

use super::Passphrase;
use crate::container::facts::UnpackFact;
use crate::container::packed::Unpackable;

/// What was encrypted.
///
/// # Errors
/// Always.
pub fn decrypt(_: &[u8], _: Option<&Passphrase>, _: u64) -> Result<Vec<u8>, Unpackable> {
    Err(UnpackFact::WithoutAge.into())
}

/// Encrypts a result with a passphrase.
///
/// # Errors
/// Always.
pub fn encrypt(_: &[u8], _: &Passphrase) -> std::io::Result<Vec<u8>> {
    Err(std::io::Error::new(std::io::ErrorKind::Unsupported, "this build of the program cannot encrypt"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::finding::{Code, Fact as _};

    #[test]
    fn nothing_is_decrypted_or_encrypted() {
        let passphrase = Passphrase::new("quay".to_owned());
        let refused = decrypt(b"age-encryption.org/v1\n", Some(&passphrase), 1)
            .expect_err("unknown entity; `amp`, `lt`, `gt`, `apos` and `quot` are built in");
        assert_eq!(refused.fact.code(), Code::Locked);
        assert!(encrypt(b"", &passphrase).is_err());
    }
}
