//! Findings about files that cannot be unpacked, joined or decoded.

use super::packing::Packing;
use crate::finding::{Choice, Remedy, facts};
use std::fmt;

/// How data falls short.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Damage {
    /// Its end is missing.
    CutOff,
    /// It is not what it should be.
    Damaged,
}

impl Damage {
    pub(super) fn of(error: &std::io::Error) -> Self {
        if error.kind() == std::io::ErrorKind::UnexpectedEof { Self::CutOff } else { Self::Damaged }
    }
}

impl fmt::Display for Damage {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::CutOff => "cut off",
            Self::Damaged => "damaged",
        })
    }
}

facts! {
    /// Why a file cannot be unpacked.
    pub enum UnpackFact {
        PackedDamaged { packing: Packing, damage: Damage } => NotText, "the {packing} data is {damage}",
            remedy: fetch_again();
        PackedBeyondRatio { packing: Packing, ratio: u64 } => TooLarge,
            "the {packing} data unpacks to more than {ratio} times its size, as no configuration does",
            remedy: raise_limit();
        PackedBeyondLimit { packing: Packing, most: u64 } => TooLarge,
            "the {packing} data unpacks to more than {most} bytes", remedy: raise_limit();

        TarDamaged { damage: Damage } => NotText, "the tar archive is {damage}",
            remedy: fetch_again();
        BehindTar => ArchiveUnsafe, "there is data after the end of the tar archive, which would not be read",
            remedy: look_at_origin();
        ZipDirectory => NotText, "the zip archive is cut off or damaged: its directory cannot be read",
            remedy: fetch_again();
        ZipCounts => ArchiveUnsafe,
            "the zip archive lists a member twice, or its directory has a wrong count",
            remedy: look_at_origin();
        ZipEncrypted => Locked, "the zip archive is encrypted with a password",
            help: "unpack it with its password first, and name the folder or file in it";
        ZipMethod => NotText, "a member of the zip archive cannot be read: its compression method is not supported",
            remedy: fetch_again();
        ZipMember => NotText, "a member of the zip archive cannot be read: it is damaged",
            remedy: fetch_again();
        ZipHeader => ArchiveUnsafe, "the directory of the zip archive and the header of a member differ",
            remedy: look_at_origin();

        Members { most: usize } => TooLarge, "the archive has more than {most} members",
            help: "no configuration has so many; check where the archive comes from";
        ArchiveBeyondLimit { most: u64 } => TooLarge, "the archive unpacks to more than {most} bytes",
            remedy: raise_limit();
        MemberBeyondRatio { path: String, ratio: u64 } => TooLarge,
            "the member `{path}` unpacks to more than {ratio} times its size, as no configuration does",
            remedy: raise_limit();
        MemberDamaged { path: String, damage: Damage } => NotText, "the member `{path}` is {damage}",
            remedy: fetch_again();
        MemberLarger { path: String } => NotText, "the member `{path}` is larger than its header says",
            remedy: fetch_again();
        NameNotUtf8 => ArchiveUnsafe, "a member has a name that is not UTF-8",
            remedy: look_at_origin();
        PathLong { most: usize } => ArchiveUnsafe, "a member has a path of more than {most} bytes",
            remedy: look_at_origin();
        NameControls => ArchiveUnsafe, "a member has control characters in its name",
            remedy: look_at_origin();
        PathAbsolute { path: String } => ArchiveUnsafe, "a member has an absolute path: `{path}`",
            remedy: look_at_origin();
        PathElsewhere { path: String } => ArchiveUnsafe, "a member has a path that leaves its folder: `{path}`",
            remedy: look_at_origin();
        MemberTwice { path: String } => ArchiveUnsafe, "the member `{path}` exists twice",
            remedy: look_at_origin();
        MembersAlike { first: String, second: String } => ArchiveUnsafe,
            "the members `{first}` and `{second}` differ only in case or spelling",
            remedy: look_at_origin();
        BelowFile { path: String } => ArchiveUnsafe, "members are below `{path}`, which is a link or a file",
            remedy: look_at_origin();

        HeaderLong => Locked, "the header of the encrypted data is longer than 16 KiB",
            help: "with a passphrase it has some hundred bytes; encrypt it with a passphrase only";
        EncryptedForKeys => Locked, "the backup is encrypted for keys, not with a passphrase",
            help: "decrypt it with the key first, or encrypt it with a passphrase";
        EncryptedDamaged => Locked, "the encrypted data is damaged or cut off",
            remedy: fetch_again();
        WorkFactor => Locked, "the encrypted backup has an excessive work factor",
            help: "no unit writes such a file; decrypt it yourself if you trust it";
        EncryptedBeyondLimit { most: u64 } => TooLarge, "the decrypted data is larger than {most} bytes",
            remedy: raise_limit();
        PassphraseNeeded => PassphraseNeeded, "the backup is encrypted with age, and no passphrase was given",
            remedy: Remedy::from("give it with ").choice(Choice::Passphrase);
        PassphraseWrong => PassphraseWrong, "the passphrase is wrong",
            help: "try again; upper and lower case and trailing blanks matter";
        WithoutAge => Locked, "the backup is encrypted with age, which this build of the program cannot open",
            help: "decrypt it first, or take a build with the feature `age`";
    }
}

facts! {
    /// Why a file that should be text is none.
    pub(super) enum TextFact {
        CharsetUnknown { label: String } => NotText,
            "the file declares the unknown character set `{label}`", remedy: name_charset();
        OtherKind { what: &'static str, instead: &'static str } => NotText, "the file is not text: it is {what}",
            help: "{instead}";
        NulByte => NotText, "the file is not text: found a NUL byte",
            help: "fetch the file again, or name the text file with the configuration";
        Undecodable { charset: &'static str } => NotText, "the file is not text in {charset}",
            remedy: name_charset();
        UndecodableByte { charset: &'static str, byte: u8 } => NotText,
            "the file is not text in {charset}: found the byte `{byte:02X}`", remedy: name_charset();
    }
}

facts! {
    /// What is wrong with the parts of a file.
    pub(super) enum PartsFact {
        Twice { number: u32, first: String, second: String } => PartsWrong,
            "part {number} exists twice: `{first}` and `{second}`",
            help: "remove the one that does not belong to this backup";
        Same { first: String, second: String } => PartsWrong, "the parts `{first}` and `{second}` are identical",
            help: "one was copied under the other's name; fetch both again";
        Missing { part: String } => PartsWrong, "the part `{part}` is missing",
            help: "put all parts of one backup into one folder";
        ManyMissing { from: u32, to: u32 } => PartsWrong, "the parts {from} to {to} are missing",
            help: "put all parts of one backup into one folder";
    }
}

/// What lets more be unpacked.
fn raise_limit() -> Remedy {
    Remedy::from("if you trust it, allow more with ").choice(Choice::MaxUnpacked)
}

fn name_charset() -> Remedy {
    let example = Choice::Charset(Some("windows-1252"));
    Remedy::from("name its character set with ")
        .choice(Choice::Charset(None))
        .text(", such as ")
        .choice(example)
}

/// For data that did not arrive whole.
fn fetch_again() -> Remedy {
    "compare the file's size with the original and fetch it again".into()
}

/// For archives that somebody made to deceive.
fn look_at_origin() -> Remedy {
    "no unit writes such an archive; check where it comes from".into()
}
