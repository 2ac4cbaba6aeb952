//! Archives: tar (POSIX.1-2017, pax) and zip (APPNOTE 6.3). Members are read in memory and never put on a
//! disk; what could hide another member is refused.

use super::facts::{Damage, UnpackFact};
use super::links::follow;
use super::members::{Gathered, LONGEST_PATH, Listed, Member};
use super::packed::{Limits, Unpackable};
use super::remarks::About;
use std::io::{self, Cursor, Read, Write};

/// How several files are one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Archive {
    /// A tape archive.
    Tar,
    /// A zip file.
    Zip,
}

const ZIP_MEMBER: &[u8] = b"PK\x03\x04";
/// The end of an archive without members.
const ZIP_EMPTY: &[u8] = b"PK\x05\x06";

impl Archive {
    /// The archive that a file is, by its first bytes.
    pub fn of(bytes: &[u8]) -> Option<Self> {
        if bytes.starts_with(ZIP_MEMBER) || bytes.starts_with(ZIP_EMPTY) {
            Some(Self::Zip)
        } else if bytes.get(257..262) == Some(b"ustar") {
            Some(Self::Tar)
        } else {
            None
        }
    }

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Tar => "tar",
            Self::Zip => "zip",
        }
    }

    /// All that is in it.
    pub fn members(self, bytes: &[u8], limits: &Limits) -> Result<Listed, Unpackable> {
        let mut taken = Gathered::new(limits);
        match self {
            Self::Tar => read_tar(bytes, &mut taken)?,
            Self::Zip => read_zip(bytes, &mut taken)?,
        }
        follow(&mut taken)?;
        Ok(taken.listed())
    }

    /// Packs members, in their order. The same members give the same bytes.
    ///
    /// # Errors
    /// None that are known of: everything is in memory, and paths are those of members.
    pub fn pack(self, members: &[Member]) -> io::Result<Vec<u8>> {
        match self {
            Self::Tar => {
                let mut builder = tar::Builder::new(Vec::new());
                for member in members {
                    let mut header = tar::Header::new_ustar();
                    header.set_size(member.bytes.len() as u64);
                    header.set_mode(0o600);
                    header.set_mtime(0);
                    builder.append_data(&mut header, &member.path, member.bytes.as_slice())?;
                }
                builder.into_inner()
            }
            Self::Zip => {
                let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
                let options = zip::write::SimpleFileOptions::default()
                    .compression_method(zip::CompressionMethod::Deflated)
                    .last_modified_time(zip::DateTime::default())
                    .unix_permissions(0o600);
                for member in members {
                    writer.start_file(&member.path, options).map_err(io::Error::other)?;
                    writer.write_all(&member.bytes)?;
                }
                writer.finish().map(Cursor::into_inner).map_err(io::Error::other)
            }
        }
    }
}

fn read_tar(bytes: &[u8], taken: &mut Gathered<'_>) -> Result<(), Unpackable> {
    let damaged = |error: &io::Error| Unpackable::from(UnpackFact::TarDamaged { damage: Damage::of(error) });
    let mut rest = bytes;
    let mut archive = tar::Archive::new(&mut rest);
    for entry in archive.entries().map_err(|error| damaged(&error))? {
        let entry = entry.map_err(|error| damaged(&error))?;
        let kind = entry.header().entry_type();
        // What holds for all members, as revision control writes it.
        if kind.is_pax_global_extensions() {
            continue;
        }
        let is_folder = kind.is_dir();
        let path = taken.path(&entry.path_bytes(), is_folder)?;
        let Some(path) = path else { continue };
        if kind.is_symlink() || kind.is_hard_link() {
            let to = entry.link_name_bytes().unwrap_or_default();
            taken.add_link(path, &to, kind.is_hard_link())?;
            continue;
        }
        if !(kind.is_file() || kind.is_contiguous() || kind.is_gnu_sparse()) {
            taken.has_room(0)?;
            taken.remark(path, About::NoFile);
            continue;
        }
        let size = entry.size();
        taken.read(path, size, entry)?;
    }
    if rest.iter().any(|byte| *byte != 0) {
        return Err(UnpackFact::BehindTar.into());
    }
    // Two blocks of zeros end it; what was cut off between members lacks them.
    let ended =
        bytes.len().is_multiple_of(512) && bytes[bytes.len().saturating_sub(1024)..].iter().all(|b| *b == 0);
    if ended { Ok(()) } else { Err(damaged(&io::ErrorKind::UnexpectedEof.into())) }
}

/// How many members the directory of a zip archive lists that begins there, and what is behind it (APPNOTE 4.3.12).
fn directory_of(bytes: &[u8], begin: usize) -> (usize, &[u8]) {
    const LISTED: &[u8] = b"PK\x01\x02";
    let mut rest = bytes.get(begin..).unwrap_or_default();
    let mut count = 0;
    while rest.starts_with(LISTED) {
        let length =
            |at: usize| rest.get(at..at + 2).map(|two| usize::from(u16::from_le_bytes([two[0], two[1]])));
        let lengths = [length(28), length(30), length(32)];
        let Some(more) = lengths.into_iter().sum::<Option<usize>>().and_then(|more| rest.get(46 + more..))
        else {
            break;
        };
        rest = more;
        count += 1;
    }
    (count, rest)
}

fn read_zip(bytes: &[u8], taken: &mut Gathered<'_>) -> Result<(), Unpackable> {
    let mut archive = zip::ZipArchive::new(Cursor::new(bytes)).map_err(|_| UnpackFact::ZipDirectory)?;
    if archive.len() > taken.limits.members {
        return Err(UnpackFact::Members { most: taken.limits.members }.into());
    }
    // A name that the directory has twice is there once in what the crate gives, and so is what only one of two directories
    // lists: the directory is gone through besides.
    let begin = usize::try_from(archive.offset() + archive.central_directory_start()).unwrap_or(usize::MAX);
    let (listed, behind) = directory_of(bytes, begin);
    // What is behind the directory has one end in it: another would lead another reader to another directory.
    let ends = memchr::memmem::find_iter(behind, ZIP_EMPTY).count();
    let is_hidden = archive.is_empty() && bytes.starts_with(ZIP_MEMBER);
    if listed != archive.len() || ends != 1 || is_hidden {
        return Err(UnpackFact::ZipCounts.into());
    }
    for index in 0..archive.len() {
        let is_locked = archive.by_index_raw(index).is_ok_and(|entry| entry.encrypted());
        if is_locked {
            return Err(UnpackFact::ZipEncrypted.into());
        }
        let entry = archive.by_index(index).map_err(|error| match error {
            zip::result::ZipError::UnsupportedArchive(_) => UnpackFact::ZipMethod,
            _ => UnpackFact::ZipMember,
        })?;
        let start = entry.header_start() as usize;
        let path = taken.path(entry.name_raw(), entry.is_dir())?;
        // The header in front of the member must say what the directory says.
        let local = bytes.get(start..).and_then(|header| {
            let length = usize::from(u16::from_le_bytes([*header.get(26)?, *header.get(27)?]));
            header.get(30..30 + length)
        });
        if local != Some(entry.name_raw()) {
            return Err(UnpackFact::ZipHeader.into());
        }
        let Some(path) = path else { continue };
        let file_type = entry.unix_mode().map_or(0, |mode| mode & 0o170_000);
        if file_type == 0o120_000 {
            let mut to = Vec::new();
            let read = entry.take(LONGEST_PATH as u64).read_to_end(&mut to);
            if read.is_err() {
                return Err(UnpackFact::MemberDamaged { path, damage: Damage::Damaged }.into());
            }
            taken.add_link(path, &to, false)?;
            continue;
        }
        if !matches!(file_type, 0 | 0o100_000) {
            taken.has_room(0)?;
            taken.remark(path, About::NoFile);
            continue;
        }
        let (size, packed) = (entry.size(), entry.compressed_size().max(1));
        if let Some(ratio) =
            taken.limits.ratio.filter(|ratio| size > super::packed::SMALL && size / packed > *ratio)
        {
            return Err(UnpackFact::MemberBeyondRatio { path, ratio }.into());
        }
        taken.read(path, size, entry)?;
    }
    Ok(())
}
