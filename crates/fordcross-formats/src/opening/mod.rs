//! From the bytes of a file to its text: envelope, compression, archive and character set. Everything in memory.

mod pieces;

pub use crate::container::{
    About, Archive, Checked, Limits, Member, Outcome, Packing, Passphrase, Remark, encrypt, is_encrypted,
    join_parts, pack_gzip, part_of,
};
pub use crate::text::charset::Charset;

use crate::container::{Listed, Unpackable, decrypt, hashes, no_text};
use crate::finding::{Finding, facts};
use crate::text::source::Piece;

facts! {
    /// Why a text is not read.
    enum OpeningFact {
        Beyond4Gib => TooLarge, "the text is larger than 4 GiB, which is the most that can be read",
            help: "take a backup of fewer sections";
    }
}

/// What a person says of how a file is to be opened.
#[derive(Clone, Debug, Default)]
pub struct Opening {
    /// The character set that its text is in.
    pub charset: Option<Charset>,
    /// How much may be unpacked.
    pub limits: Limits,
    /// What it is encrypted with.
    pub passphrase: Option<Passphrase>,
}

/// What a file was wrapped in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Wrapping {
    /// Encrypted with a passphrase.
    Encrypted,
    /// Packed.
    Packed(Packing),
    /// Several files in one.
    Archive(Archive),
}

impl Wrapping {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Encrypted => "age",
            Self::Packed(packing) => packing.word(),
            Self::Archive(archive) => archive.word(),
        }
    }
}

/// A backup whose text can be read.
#[derive(Debug)]
pub struct Opened {
    /// The text of all its files, without byte order marks.
    pub text: String,
    /// The files, in the order of the text: at least one.
    pub pieces: Vec<Piece>,
    /// The folders that are known, those without files among them.
    pub folders: Vec<String>,
    /// What an archive holds that is no plain file.
    pub remarks: Vec<Remark>,
    /// The character set that the first text was in.
    pub charset: Charset,
    /// What it was wrapped in, from the outside in.
    pub wrapped: Vec<Wrapping>,
    /// How many bytes all files have.
    pub size: usize,
    /// What checking lists of hashes gave.
    pub checked: Vec<Checked>,
}

/// Unwraps and decodes a file.
///
/// # Errors
/// That it is damaged, too large, or no text: what it looks like, and where it stops being text.
pub fn open(name: &str, bytes: Vec<u8>, opening: &Opening) -> Result<Opened, Box<Finding>> {
    let limits = &opening.limits;
    let reported = |problem: Unpackable| {
        let file = problem.member.map_or_else(|| name.to_owned(), |member| format!("{name}/{member}"));
        Box::new(Finding::new(problem.fact).of_file(&file))
    };
    let mut wrapped = Vec::new();
    let mut bytes = bytes;
    // The name without the endings of what it is wrapped in is that of the file inside.
    let mut inner = name;
    if is_encrypted(&bytes) {
        bytes = decrypt(&bytes, opening.passphrase.as_ref(), limits.most).map_err(reported)?;
        wrapped.push(Wrapping::Encrypted);
        inner = inner.strip_suffix(".age").unwrap_or(inner);
    }
    if let Some(packing) = Packing::of(&bytes) {
        bytes = packing.unpack(&bytes, limits).map_err(reported)?;
        wrapped.push(Wrapping::Packed(packing));
        inner = inner.strip_suffix(packing.ending()).unwrap_or(inner);
    }
    if let Some(archive) = Archive::of(&bytes) {
        let Listed { members, folders, remarks } = archive.members(&bytes, limits).map_err(reported)?;
        wrapped.push(Wrapping::Archive(archive));
        return Ok(Opened { folders, remarks, ..assemble(name, members, wrapped, opening, false)? });
    }
    let only = Member { path: inner.to_owned(), bytes };
    assemble(name, vec![only], wrapped, opening, true)
}

/// Decodes the files of a folder.
///
/// # Errors
/// That they are too large together, or that a database among them is damaged.
pub fn open_folder(name: &str, members: Vec<Member>, opening: &Opening) -> Result<Opened, Box<Finding>> {
    assemble(name, members, Vec::new(), opening, false)
}

fn assemble(
    name: &str,
    members: Vec<Member>,
    wrapped: Vec<Wrapping>,
    opening: &Opening,
    alone: bool,
) -> Result<Opened, Box<Finding>> {
    let size = members.iter().map(|member| member.bytes.len()).sum();
    let checked = if alone { Vec::new() } else { hashes::check(&members) };
    let said = opening.charset;
    let joined = pieces::join(name, members, said, alone, &|_, undecoded| no_text(name, undecoded))?;
    // In UTF-8 a text can be three times as long, and places are counted in 32 bits.
    if u32::try_from(joined.text.len()).is_err() {
        return Err(Box::new(Finding::new(OpeningFact::Beyond4Gib).of_file(name)));
    }
    Ok(Opened {
        text: joined.text,
        pieces: joined.pieces,
        folders: Vec::new(),
        remarks: Vec::new(),
        charset: joined.charset.unwrap_or(Charset::UTF_8),
        wrapped,
        size,
        checked,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use std::io::Write as _;

    fn gzip(text: &[u8]) -> Vec<u8> {
        let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
        packed.write_all(text).expect("in memory");
        packed.finish().expect("in memory")
    }

    fn zstd(text: &[u8]) -> Vec<u8> {
        ruzstd::encoding::compress_to_vec(text, ruzstd::encoding::CompressionLevel::Fastest)
    }

    /// A frame that holds nothing of the file.
    const SKIPPED: &[u8] = b"\x53\x2A\x4D\x18\x03\0\0\0abc";

    /// The same frame as a packer makes it that leaves the check sum out.
    fn without_check_sum(mut frame: Vec<u8>) -> Vec<u8> {
        assert_eq!(frame[4] & 4, 4, "it has one");
        frame[4] &= !4;
        frame.truncate(frame.len() - 4);
        frame
    }

    fn utf16(text: &str, mark: bool, big: bool) -> Vec<u8> {
        let units = mark.then_some(0xFEFF).into_iter().chain(text.encode_utf16());
        units.flat_map(|unit: u16| if big { unit.to_be_bytes() } else { unit.to_le_bytes() }).collect()
    }

    fn said_to_be(charset: Option<Charset>) -> Opening {
        Opening { charset, ..Opening::default() }
    }

    const XML: &str = "<?xml version='1.0'?><unit>Pförtner</unit>";

    #[rstest]
    #[case(XML.into(), None, "UTF-8")]
    #[case([b"\xEF\xBB\xBF", XML.as_bytes()].concat(), None, "UTF-8")]
    #[case(utf16(XML, true, false), None, "UTF-16LE")]
    #[case(utf16(XML, true, true), None, "UTF-16BE")]
    #[case(utf16(XML, false, false), None, "UTF-16LE")]
    #[case(utf16(XML, false, true), None, "UTF-16BE")]
    #[case(gzip(&utf16(XML, true, true)), None, "UTF-16BE")]
    #[case(gzip(XML.as_bytes()), None, "UTF-8")]
    #[case([gzip(&XML.as_bytes()[..20]), gzip(&XML.as_bytes()[20..])].concat(), None, "UTF-8")]
    #[case(zstd(XML.as_bytes()), None, "UTF-8")]
    #[case([zstd(&XML.as_bytes()[..20]), zstd(&XML.as_bytes()[20..])].concat(), None, "UTF-8")]
    #[case([SKIPPED, &zstd(XML.as_bytes()), SKIPPED].concat(), None, "UTF-8")]
    #[case(without_check_sum(zstd(XML.as_bytes())), None, "UTF-8")]
    #[case(XML.replace('ö', "\u{1}").into_bytes().into_iter().map(|b| if b == 1 { 0xF6 } else { b }).collect(), Some("latin1"), "windows-1252")]
    fn text_is_read_whatever_it_is_in(
        #[case] bytes: Vec<u8>,
        #[case] said: Option<&str>,
        #[case] charset: &str,
    ) {
        let said = said.map(|label| Charset::named(label).expect("known"));
        let opened = open("a", bytes, &said_to_be(said)).expect("text");
        assert_eq!((opened.text.as_str(), opened.charset.name()), (XML, charset));
    }

    #[test]
    fn a_declared_charset_is_gone_by() {
        let text = b"<?xml version='1.0' encoding='ISO-8859-1'?><unit>P\xF6</unit>".to_vec();
        let opened = open("a", text, &Opening::default()).expect("text");
        assert!(opened.text.ends_with("<unit>Pö</unit>"));
    }

    #[rstest]
    #[case(b"ab\ncd\xFFef".to_vec(), "not text in UTF-8: found the byte `FF`", 2, 3)]
    #[case(b"ab\xC3".to_vec(), "found the byte `C3`", 1, 3)]
    #[case(b"PK\x03\x04\xFF".to_vec(), "the zip archive is cut off or damaged", 1, 1)]
    #[case(gzip(&gzip(b"a")), "packed data inside packed data", 1, 1)]
    #[case(b"Salted__\xFF\x01".to_vec(), "encrypted by OpenSSL", 1, 1)]
    #[case(b"\x85\x02\x0C\x03\xFF".to_vec(), "encrypted by OpenPGP", 1, 1)]
    #[case(b"\xFD7zXZ\0\0\x04\xE6".to_vec(), "packed with xz", 1, 1)]
    #[case(b"BZh91AY&SY\xFF".to_vec(), "packed with bzip2", 1, 1)]
    #[case(b"<?xml version='1.0' encoding='utf-99'?><a/>".to_vec(), "the unknown character set `utf-99`", 1, 1)]
    #[case(utf16("<a>", true, false)[..7].to_vec(), "not text in UTF-16LE", 1, 1)]
    #[case(gzip(XML.as_bytes())[..20].to_vec(), "cut off", 1, 1)]
    #[case([gzip(XML.as_bytes()), b"more behind it than there may be".to_vec()].concat(), "damaged", 1, 1)]
    #[case(gzip(&vec![b' '; 40 << 20]), "unpacks to more than 200 times its size", 1, 1)]
    fn what_is_no_text_is_reported(
        #[case] bytes: Vec<u8>,
        #[case] reported: &str,
        #[case] line: u32,
        #[case] column: u32,
    ) {
        let finding = open("a", bytes, &Opening::default()).expect_err("refused");
        let at = finding.location.as_ref().expect("a place").at;
        assert!(finding.message().contains(reported), "{}", finding.message());
        assert_eq!((at.line, at.column), (line, column));
    }

    #[test]
    fn the_limit_of_size_can_be_set() {
        let packed = gzip(&[b'a'; 5_000]);
        let at_most = |most| Opening {
            limits: Limits { most, ratio: None, ..Limits::default() },
            ..Opening::default()
        };
        assert!(open("a", packed.clone(), &at_most(5_000)).is_ok());
        let finding = open("a", packed, &at_most(4_999)).expect_err("refused");
        assert!(finding.message().contains("more than 4999 bytes"), "{}", finding.message());
    }

    /// Cut off anywhere, it is refused and never half read.
    #[rstest]
    #[case(gzip(XML.as_bytes()))]
    #[case(zstd(XML.as_bytes()))]
    fn a_file_that_is_cut_off_anywhere_is_refused(#[case] packed: Vec<u8>) {
        for end in 4..packed.len() {
            assert!(open("a", packed[..end].to_vec(), &Opening::default()).is_err(), "{end}");
        }
    }
}
