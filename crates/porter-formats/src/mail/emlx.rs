//! Letters of Apple Mail, a file each: a line with the length of the letter, the letter, and a property list
//! with its flags. The lowest bit of these says that somebody has read it; the second, that it was deleted.

use super::letter_flags::LetterFlags;

/// The part of a file's end in which its flags stand.
pub const TAIL_IN_BYTES: usize = 4 << 10;
const KEY: &[u8] = b"<key>flags</key>";
const READ: u64 = 1;
const DELETED: u64 = 1 << 1;
const ANSWERED: u64 = 1 << 2;
const STARRED: u64 = 1 << 4;
const FORWARDED: u64 = 1 << 8;

/// The meaning of the flags.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Flags {
    /// Marks: read, answered and the like.
    pub of_letter: LetterFlags,
    /// It waits to be taken away.
    pub is_deleted: bool,
}

/// The letter itself. None if the file is shorter than its first line says.
pub fn letter(file: &[u8]) -> Option<&[u8]> {
    let end = memchr::memchr(b'\n', file)?;
    let length: usize = std::str::from_utf8(&file[..end]).ok()?.trim().parse().ok()?;
    file.get(end + 1..)?.get(..length)
}

/// The flags at the end of a file. A letter without any counts as read.
pub fn flags(tail: &[u8]) -> Flags {
    let number = memchr::memmem::rfind(tail, KEY).and_then(|at| {
        let rest = &tail[at + KEY.len()..];
        let begin = memchr::memmem::find(rest, b"<integer>")? + b"<integer>".len();
        let end = begin + memchr::memchr(b'<', &rest[begin..])?;
        std::str::from_utf8(&rest[begin..end]).ok()?.trim().parse::<u64>().ok()
    });
    let number = number.unwrap_or(READ);
    let of_letter = LetterFlags {
        is_read: number & READ != 0,
        is_answered: number & ANSWERED != 0,
        is_starred: number & STARRED != 0,
        is_forwarded: number & FORWARDED != 0,
    };
    Flags { of_letter, is_deleted: number & DELETED != 0 }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_letter_is_as_long_as_its_first_line_says() {
        assert_eq!(letter(b"7      \nSubject<plist/>"), Some(&b"Subject"[..]));
        for torn in [&b"9\nSubject"[..], b"many\nSubject", b"7", b"", b"-1\nSubject"] {
            assert_eq!(letter(torn), None);
        }
    }

    #[test]
    fn flags_are_those_at_the_end() {
        for (tail, is_read, is_deleted) in [
            (
                "<key>flags</key><integer>4</integer> <plist><key>flags</key>\n\t<integer>8623489089</integer>",
                true,
                false,
            ),
            ("<key>flags</key><integer>8590195714</integer></dict>", false, true),
            ("<plist><dict/></plist>", true, false),
            ("<key>flags</key><integer>torn", true, false),
            ("", true, false),
        ] {
            let found = flags(tail.as_bytes());
            assert_eq!((found.of_letter.is_read, found.is_deleted), (is_read, is_deleted), "{tail}");
        }
    }
}
