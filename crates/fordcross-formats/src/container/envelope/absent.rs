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
