//! From the files of a backup to one text with all of them in it, so that every place is a place of that text.

use crate::container::Member;
use crate::finding::Finding;
use crate::format::database;
use crate::text::charset::{self, Charset, Undecoded};
use crate::text::source::{Content, Piece, Span};
use data_encoding::BASE64;

/// The text of all files, and where each is.
pub(super) struct Joined<'n> {
    /// The name of the backup, if the file is not the backup alone.
    name: Option<&'n str>,
    pub(super) text: String,
    pub(super) pieces: Vec<Piece>,
    /// The character set of the first file that is text.
    pub(super) charset: Option<Charset>,
}

/// Puts the files one behind the other. What is no text is there in Base64, a database as its rows.
///
/// # Errors
/// Of one file alone that it is no text, or of a database that it is damaged.
pub(super) fn join<'n>(
    name: &'n str,
    members: Vec<Member>,
    said: Option<Charset>,
    alone: bool,
    refuse: &dyn Fn(&str, Undecoded) -> Finding,
) -> Result<Joined<'n>, Box<Finding>> {
    let mut joined = Joined {
        name: Some(name).filter(|_| !alone),
        text: String::new(),
        pieces: Vec::new(),
        charset: None,
    };
    for Member { path, bytes } in members {
        if database::is_database(&bytes) {
            for (table, listing) in database::listing(&path, &bytes)? {
                joined.add(&format!("{path}#{table}"), Content::Database, &listing, Charset::UTF_8);
            }
            continue;
        }
        match charset::decode(bytes, said) {
            Ok((text, _)) if !alone && text.contains('\0') => {
                joined.add(&path, Content::Bytes, &BASE64.encode(text.as_bytes()), Charset::UTF_8);
            }
            Ok((text, charset)) if alone && text.contains('\0') => {
                let valid = text.find('\0').unwrap_or(0);
                let undecoded = Undecoded { bytes: text.into_bytes(), valid, charset, unknown: None };
                return Err(Box::new(refuse(&path, undecoded)));
            }
            Ok((text, charset)) => {
                joined.charset.get_or_insert(charset);
                if alone {
                    // Nothing is copied of what may be large.
                    let span = Span::new(0, text.len().min(u32::MAX as usize));
                    joined.pieces.push(Piece {
                        file: path.clone(),
                        path,
                        span,
                        content: Content::Text,
                        charset,
                    });
                    joined.text = text;
                } else {
                    joined.add(&path, Content::Text, &text, charset);
                }
            }
            Err(undecoded) if alone => return Err(Box::new(refuse(&path, undecoded))),
            Err(undecoded) => {
                joined.add(&path, Content::Bytes, &BASE64.encode(&undecoded.bytes), Charset::UTF_8);
            }
        }
    }
    Ok(joined)
}

impl Joined<'_> {
    fn add(&mut self, path: &str, content: Content, text: &str, charset: Charset) {
        // Each begins a line.
        if !self.text.is_empty() && !self.text.ends_with('\n') {
            self.text.push('\n');
        }
        let start = self.text.len();
        self.text.push_str(text);
        let end = self.text.len();
        // What is too large is refused when all is joined.
        if u32::try_from(end).is_ok() {
            let file = self.name.map_or_else(|| path.to_owned(), |name| format!("{name}/{path}"));
            let (path, span) = (path.to_owned(), Span::new(start, end));
            self.pieces.push(Piece { path, file, span, content, charset });
        }
    }
}
