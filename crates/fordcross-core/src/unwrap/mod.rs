//! From the bytes of a file to its text: compression and character set. Everything in memory.

mod charset;
mod packed;

pub use charset::Charset;
pub use packed::{Limits, Packing};

use crate::finding::{Code, Finding, Place};
use crate::source::{LineIndex, Source, Span};
use charset::Undecoded;

/// A file whose text can be read.
#[derive(Debug)]
pub struct Opened {
    /// The text, without a byte order mark.
    pub text: String,
    /// The character set that it was in.
    pub charset: Charset,
    /// How the file was packed, if it was.
    pub packing: Option<Packing>,
}

/// Unpacks and decodes a file. `said` is the character set that a person says it is in.
///
/// # Errors
/// That it is damaged, too large, or no text: what it looks like, and where it stops being text.
pub fn open(
    name: &str,
    bytes: Vec<u8>,
    said: Option<Charset>,
    limits: &Limits,
) -> Result<Opened, Box<Finding>> {
    let packing = Packing::of(&bytes);
    let bytes = match packing {
        Some(packing) => packing.unpack(&bytes, limits).map_err(|problem| {
            let mut finding = Finding::new(problem.code, problem.message).help(problem.help);
            finding.place = Some(place_of_file(name));
            Box::new(finding)
        })?,
        None => bytes,
    };
    match charset::decode(bytes, said) {
        // In UTF-8 a text can be three times as long, and places are counted in 32 bits.
        Ok((text, _)) if u32::try_from(text.len()).is_err() => {
            let mut finding =
                Finding::new(Code::TooLarge, "the text is larger than 4 GiB, the most that can be read")
                    .help("take a backup of fewer sections");
            finding.place = Some(place_of_file(name));
            Err(Box::new(finding))
        }
        Ok((text, charset)) => Ok(Opened { text, charset, packing }),
        Err(undecoded) => Err(Box::new(no_text(name, undecoded))),
    }
}

fn place_of_file(name: &str) -> Place {
    Place::new(Source { name, text: "" }, Span::default())
}

/// What bytes that are no text look like, and where they stop being text.
fn no_text(name: &str, undecoded: Undecoded) -> Finding {
    let Undecoded { bytes, valid, charset, unknown } = undecoded;
    if let Some(label) = unknown {
        let message = format!("the file says that it is in the character set `{label}`, which is not known");
        let mut finding = Finding::new(Code::NotText, message).help(SAY_CHARSET);
        finding.place = Some(place_of_file(name));
        return finding;
    }
    if let Some(look) = looks_like(&bytes) {
        let mut finding = Finding::new(Code::NotText, format!("this is no text: it is {look}"))
            .help("name the text file with the configuration itself");
        finding.place = Some(place_of_file(name));
        return finding;
    }
    // One byte and no more: it may stand in a secret.
    let found =
        bytes.get(valid).filter(|_| charset.is_utf8()).map(|byte| format!(": found the byte `{byte:02X}`"));
    let message = format!("the file is not text in {}{}", charset.name(), found.unwrap_or_default());
    let mut finding = Finding::new(Code::NotText, message).help(SAY_CHARSET);
    let text = String::from_utf8_lossy(&bytes[..valid.min(bytes.len())]);
    let at = LineIndex::new(&text).position(text.len() as u32);
    finding.place = Some(Place { file: name.to_owned(), span: Span::default(), at });
    finding
}

const SAY_CHARSET: &str = "say in which it is with `--charset NAME`, such as `--charset windows-1252`";

/// What bytes that are no text look like, by the first of them.
fn looks_like(bytes: &[u8]) -> Option<&'static str> {
    match bytes {
        bytes if Packing::of(bytes).is_some() => Some("packed data inside packed data"),
        [b'P', b'K', 3, 4, ..] => Some("a zip archive"),
        bytes if bytes.starts_with(b"SQLite format 3") => Some("an SQLite database"),
        bytes if bytes.starts_with(b"age-encryption.org/") => Some("a file encrypted with age"),
        bytes if bytes.get(257..262) == Some(b"ustar") => Some("a tar archive"),
        _ => None,
    }
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

    fn utf16(text: &str, mark: bool, big: bool) -> Vec<u8> {
        let units = mark.then_some(0xFEFF).into_iter().chain(text.encode_utf16());
        units.flat_map(|unit: u16| if big { unit.to_be_bytes() } else { unit.to_le_bytes() }).collect()
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
    #[case(XML.replace('ö', "\u{1}").into_bytes().into_iter().map(|b| if b == 1 { 0xF6 } else { b }).collect(), Some("latin1"), "windows-1252")]
    fn text_is_read_whatever_it_is_in(
        #[case] bytes: Vec<u8>,
        #[case] said: Option<&str>,
        #[case] charset: &str,
    ) {
        let said = said.map(|label| Charset::named(label).expect("known"));
        let opened = open("a", bytes, said, &Limits::default()).expect("text");
        assert_eq!((opened.text.as_str(), opened.charset.name()), (XML, charset));
    }

    #[test]
    fn a_declared_charset_is_gone_by() {
        let text = b"<?xml version='1.0' encoding='ISO-8859-1'?><unit>P\xF6</unit>".to_vec();
        let opened = open("a", text, None, &Limits::default()).expect("text");
        assert!(opened.text.ends_with("<unit>Pö</unit>"));
    }

    #[rstest]
    #[case(b"ab\ncd\xFFef".to_vec(), "not text in UTF-8: found the byte `FF`", 2, 3)]
    #[case(b"ab\xC3".to_vec(), "found the byte `C3`", 1, 3)]
    #[case(b"PK\x03\x04\xFF".to_vec(), "it is a zip archive", 1, 1)]
    #[case(gzip(&gzip(b"a")), "packed data inside packed data", 1, 1)]
    #[case(b"<?xml version='1.0' encoding='utf-99'?><a/>".to_vec(), "the character set `utf-99`, which is not known", 1, 1)]
    #[case(utf16("<a>", true, false)[..7].to_vec(), "not text in UTF-16LE", 1, 1)]
    #[case(gzip(XML.as_bytes())[..20].to_vec(), "cut off", 1, 1)]
    #[case([gzip(XML.as_bytes()), b"more behind it than there may be".to_vec()].concat(), "damaged", 1, 1)]
    #[case(gzip(&vec![b' '; 40 << 20]), "unpacks to more than 200 times its size", 1, 1)]
    fn what_is_no_text_is_told(
        #[case] bytes: Vec<u8>,
        #[case] told: &str,
        #[case] line: u32,
        #[case] column: u32,
    ) {
        let finding = open("a", bytes, None, &Limits::default()).expect_err("refused");
        let at = finding.place.as_ref().expect("a place").at;
        assert!(finding.message.contains(told), "{}", finding.message);
        assert_eq!((at.line, at.column), (line, column));
    }

    #[test]
    fn the_limit_of_size_can_be_set() {
        let packed = gzip(&[b'a'; 5_000]);
        assert!(open("a", packed.clone(), None, &Limits { most: 5_000, ratio: None }).is_ok());
        let finding = open("a", packed, None, &Limits { most: 4_999, ratio: None }).expect_err("refused");
        assert!(finding.message.contains("more than 4999 bytes"), "{}", finding.message);
    }

    /// Cut off anywhere, it is refused and never half read.
    #[rstest]
    #[case(gzip(XML.as_bytes()))]
    #[case(zstd(XML.as_bytes()))]
    fn a_file_that_is_cut_off_anywhere_is_refused(#[case] packed: Vec<u8>) {
        for end in 4..packed.len() {
            assert!(open("a", packed[..end].to_vec(), None, &Limits::default()).is_err(), "{end}");
        }
    }
}
