//! What files are wrapped in: archives, compression, encryption, parts, lists of hashes. Bytes in, bytes out, all in memory.

mod archive;
mod envelope;
mod facts;
pub mod hashes;
mod links;
mod members;
mod packed;
mod packing;
mod parts;
mod remarks;
mod signature;

pub use archive::Archive;
pub use envelope::decrypt;
pub use envelope::{Passphrase, encrypt, is_encrypted};
pub use hashes::{Checked, Outcome};
pub use members::Listed;
pub use members::Member;
pub use packed::Unpackable;
pub use packed::{Limits, pack_gzip};
pub use packing::Packing;
pub use parts::{join_parts, part_of};
pub use remarks::{About, Remark};
pub use signature::{no_text, not_text};

use data_encoding::BASE64;

/// The bytes that a text in Base64 stands for, or `None` if it is not that.
pub fn from_base64(text: &str) -> Option<Vec<u8>> {
    BASE64.decode(text.as_bytes()).ok()
}
