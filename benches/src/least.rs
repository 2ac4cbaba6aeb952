//! The least that any carry does that keeps what `carry` promises: it reads the backup into a tree, hands a ledger
//! of that size to the system and hashes it, and meanwhile reads a result of that size token by token. No rule is
//! applied, no row is made, nothing is compared: ledger and result are the same few bytes again and again.

use fordcross_core::source::Source;
use fordcross_core::xml::read_xml;
use jiter::{Jiter, JiterResult, Peek};
use std::fs::{self, File};
use std::hint::black_box;
use std::io::{self, Write as _};
use std::path::Path;

const BLOCK: usize = 1 << 20;
const MEMBER: &str = "    {\n      \"action\": \"allow\",\n      \"interface\": \"lan1\",\n      \"source\": \"192.0.2.0/27\",\n      \"port\": 443\n    },\n";

/// Does so, with the files that it writes in an empty folder.
pub(crate) fn least(file: &Path, ledger: usize, result: usize, folder: &Path) -> io::Result<()> {
    let text = fs::read_to_string(file)?;
    let tree =
        read_xml(Source::new("backup", &text)).map_err(|finding| io::Error::other(finding.message()))?;
    std::thread::scope(|scope| {
        let rows = scope.spawn(|| write_ledger(ledger, &folder.join("ledger.jsonl")));
        let read = write_result(result, &folder.join("result.json"));
        rows.join().expect("writing does not panic").and(read)
    })?;
    black_box((blake3::hash(text.as_bytes()), tree.len()));
    // As `carry` does: the system takes memory back faster.
    std::mem::forget(tree);
    Ok(())
}

fn write_ledger(mut bytes: usize, path: &Path) -> io::Result<()> {
    let (mut file, mut hash) = (File::create(path)?, blake3::Hasher::new());
    let row = vec![b'x'; BLOCK];
    while bytes > 0 {
        // Whatever makes rows writes each byte once.
        let block = row[..bytes.min(BLOCK)].to_vec();
        hash.update(&block);
        file.write_all(&block)?;
        bytes -= block.len();
    }
    black_box(hash.finalize());
    Ok(())
}

fn write_result(bytes: usize, path: &Path) -> io::Result<()> {
    let mut text = String::with_capacity(bytes + MEMBER.len());
    text.push_str("[\n");
    while text.len() < bytes {
        text.push_str(MEMBER);
    }
    text.truncate(text.len() - 2);
    text.push(']');
    let mut reader = Jiter::new(text.as_bytes());
    let read = reader.peek().and_then(|first| tokens(&mut reader, first));
    black_box(read.map_err(|error| io::Error::other(error.to_string()))?);
    File::create(path)?.write_all(text.as_bytes())?;
    black_box(blake3::hash(text.as_bytes()));
    Ok(())
}

/// How many values there are.
fn tokens(reader: &mut Jiter<'_>, peek: Peek) -> JiterResult<u64> {
    let mut count = 1;
    match peek {
        Peek::Object => {
            let mut key = reader.known_object()?.is_some();
            while key {
                let value = reader.peek()?;
                count += tokens(reader, value)?;
                key = reader.next_key()?.is_some();
            }
        }
        Peek::Array => {
            let mut entry = reader.known_array()?;
            while let Some(value) = entry {
                count += tokens(reader, value)?;
                entry = reader.array_step()?;
            }
        }
        Peek::String => drop(black_box(reader.known_str()?.len())),
        _ => drop(black_box(reader.known_number_bytes(peek)?.len())),
    }
    Ok(count)
}
