//! Files that are one packed file: gzip (RFC 1952), Zstandard (RFC 8878).

use super::facts::{Damage, UnpackFact};
use super::packing::{Packing, skippable};
use ruzstd::decoding::StreamingDecoder;
use ruzstd::decoding::errors::FrameDecoderError;
use std::io::{self, Read as _, Write as _};

/// How much is unpacked.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Limits {
    /// The most bytes that a packed file may unpack to.
    pub most: u64,
    /// How many times its size it may unpack to, if that is more than 16 MiB. Configurations stay far below.
    pub ratio: Option<u64>,
    /// The most files that an archive may have.
    pub members: usize,
}

impl Default for Limits {
    fn default() -> Self {
        Self { most: 1 << 30, ratio: Some(200), members: 10_000 }
    }
}

/// Up to so many bytes the ratio does not matter.
pub(super) const SMALL: u64 = 16 << 20;

/// Why a file cannot be unpacked, and of which of several files it holds.
#[derive(Debug)]
pub struct Unpackable {
    /// What is wrong.
    pub fact: UnpackFact,
    /// The file of several that it is about.
    pub member: Option<String>,
}

impl From<UnpackFact> for Unpackable {
    fn from(fact: UnpackFact) -> Self {
        Self { fact, member: None }
    }
}

impl Packing {
    /// What was packed.
    ///
    /// # Errors
    /// That the data is damaged or cut off, or that what is packed is larger than the limits.
    pub fn unpack(self, bytes: &[u8], limits: &Limits) -> Result<Vec<u8>, Unpackable> {
        let by_ratio = |ratio: u64| SMALL.max((bytes.len() as u64).saturating_mul(ratio));
        let most = limits.most.min(limits.ratio.map_or(u64::MAX, by_ratio));
        let mut unpacked = Vec::new();
        // Several packed pieces one after the other are one file.
        let read = match self {
            Self::Gzip => flate2::bufread::MultiGzDecoder::new(bytes)
                .take(most.saturating_add(1))
                .read_to_end(&mut unpacked),
            Self::Zstandard => read_zstd(bytes, most.saturating_add(1), &mut unpacked),
        };
        if let Err(error) = read {
            return Err(UnpackFact::PackedDamaged { packing: self, damage: Damage::of(&error) }.into());
        }
        if unpacked.len() as u64 > most {
            return Err(match limits.ratio {
                Some(ratio) if most < limits.most => UnpackFact::PackedBeyondRatio { packing: self, ratio },
                _ => UnpackFact::PackedBeyondLimit { packing: self, most },
            }
            .into());
        }
        Ok(unpacked)
    }
}

/// Packs bytes with gzip, without name and time, so that the same bytes give the same.
///
/// # Errors
/// None that are known of: everything is in memory.
pub fn pack_gzip(bytes: &[u8]) -> io::Result<Vec<u8>> {
    let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
    encoder.write_all(bytes)?;
    encoder.finish()
}

/// Reads frame after frame, each with its own check sum.
fn read_zstd(bytes: &[u8], most: u64, unpacked: &mut Vec<u8>) -> io::Result<usize> {
    let mut rest = bytes;
    while !rest.is_empty() {
        if let Some(length) = skippable(rest) {
            rest = rest.get(length..).ok_or(io::ErrorKind::UnexpectedEof)?;
            continue;
        }
        let mut frame = StreamingDecoder::new(&mut rest).map_err(io_error)?;
        let left = most.saturating_sub(unpacked.len() as u64);
        (&mut frame).take(left).read_to_end(unpacked)?;
        if unpacked.len() as u64 >= most {
            break;
        }
        let decoder = frame.into_frame_decoder();
        // The check sum is optional (RFC 8878, section 3.1.1).
        let said = decoder.get_checksum_from_data();
        if said.is_some() && said != decoder.get_calculated_checksum() {
            return Err(io::Error::other("its check sum is another"));
        }
    }
    Ok(unpacked.len())
}

/// Tells what ends too early from what is damaged, where the crate makes the difference.
fn io_error(error: FrameDecoderError) -> io::Error {
    let mut cause: Option<&dyn std::error::Error> = Some(&error);
    while let Some(at) = cause {
        if at.downcast_ref::<io::Error>().is_some_and(|error| error.kind() == io::ErrorKind::UnexpectedEof) {
            return io::ErrorKind::UnexpectedEof.into();
        }
        cause = at.source();
    }
    io::Error::other(error)
}
