//! What files are wrapped in: archives, compression, encryption, parts, lists of hashes. Bytes in, bytes out, all in memory.

mod archive;
mod envelope;
pub(crate) mod hashes;
mod links;
mod packed;
mod parts;
mod signature;

pub(crate) use archive::Listed;
pub use archive::{Archive, Member};
pub(crate) use envelope::decrypt;
pub use envelope::{Passphrase, encrypt, is_encrypted};
pub use hashes::{Checked, Outcome};
pub use links::{About, Remark};
pub(crate) use packed::Unpackable;
pub use packed::{Limits, Packing, pack_gzip};
pub use parts::{join_parts, part_of};
pub(crate) use signature::{no_text, not_text};

use data_encoding::BASE64;

/// The bytes that a text in Base64 stands for; none if it is not that.
pub(crate) fn from_base64(text: &str) -> Option<Vec<u8>> {
    BASE64.decode(text.as_bytes()).ok()
}
