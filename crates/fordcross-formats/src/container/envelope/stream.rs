//! The payload of an age file: chunks that are encrypted one by one (section "Payload").

use chacha20poly1305::aead::{AeadInOut as _, KeyInit as _};
use chacha20poly1305::{ChaCha20Poly1305, Nonce};

/// So many bytes are before the chunks.
pub(super) const NONCE: usize = 16;
/// So many bytes are in each chunk but the last.
const CHUNK: usize = 64 << 10;
/// The code at the end of each.
const TAG: usize = 16;

/// How many bytes are encrypted in a payload of so many.
pub(super) fn length_of(payload: usize) -> u64 {
    (payload.saturating_sub(payload.div_ceil(CHUNK + TAG) * TAG)) as u64
}

/// The nonce of a chunk: its number, and whether it is the last.
fn nonce_of(number: u64, is_last: bool) -> Nonce {
    let mut nonce = [0; 12];
    nonce[3..11].copy_from_slice(&number.to_be_bytes());
    nonce[11] = u8::from(is_last);
    nonce.into()
}

/// Opens all chunks. `None` if one is not what it was when it was encrypted, or is missing.
pub(super) fn open(key: &[u8; 32], payload: &[u8]) -> Option<Vec<u8>> {
    let cipher = ChaCha20Poly1305::new(&(*key).into());
    let mut out = Vec::with_capacity(payload.len());
    let count = payload.chunks(CHUNK + TAG).len();
    for (number, chunk) in (1..).zip(payload.chunks(CHUNK + TAG)) {
        let is_last = number == count;
        // One without anything in it is the only one.
        if is_last && count > 1 && chunk.len() <= TAG {
            return None;
        }
        let from = out.len();
        out.extend_from_slice(chunk.get(..chunk.len().checked_sub(TAG)?)?);
        let tag = chunk[chunk.len() - TAG..].try_into().ok()?;
        let nonce = nonce_of(number as u64 - 1, is_last);
        cipher.decrypt_inout_detached(&nonce, &[], (&mut out[from..]).into(), &tag).ok()?;
    }
    (count > 0).then_some(out)
}

/// Appends a text in chunks.
pub(super) fn seal(key: &[u8; 32], text: &[u8], out: &mut Vec<u8>) {
    let cipher = ChaCha20Poly1305::new(&(*key).into());
    let count = text.len().div_ceil(CHUNK).max(1);
    for number in 0..count {
        let chunk = &text[number * CHUNK..text.len().min((number + 1) * CHUNK)];
        let from = out.len();
        out.extend_from_slice(chunk);
        let nonce = nonce_of(number as u64, number + 1 == count);
        let tag = cipher
            .encrypt_inout_detached(&nonce, &[], (&mut out[from..]).into())
            .expect("a chunk is far shorter than what can be encrypted");
        out.extend_from_slice(&tag);
    }
}
