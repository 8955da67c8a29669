//! Letters of a file each: a folder with `cur`, `new` and `tmp` in it
//! (<https://cr.yp.to/proto/maildir.html>). The name of a letter in `cur` ends with its flags; Mozilla's
//! programs write them into the letter.

use super::head;
use super::letter_flags::LetterFlags;
use super::mbox::status_in;

/// The folders of letters: those that a program has seen, and those that it has not.
pub const FOLDERS: [&str; 2] = ["cur", "new"];
/// So much of a letter is enough to know whether it was read.
pub const HEAD_IN_BYTES: usize = 64 << 10;

/// The marks of a letter of this name that begins so, in a folder of that name.
pub fn flags(folder: &str, name: &[u8], beginning: &[u8]) -> LetterFlags {
    // Windows holds no colon in a name: programs write another sign there.
    let marks = name.windows(3).rposition(|text| text[1..] == *b"2," && !text[0].is_ascii_alphanumeric());
    if let Some(at) = marks {
        return LetterFlags::from_maildir(&name[at + 3..]);
    }
    let head = &beginning[..head::end_of(beginning)];
    let status = head.rsplit(|byte| *byte == b'\n').find_map(status_in);
    match status {
        Some(bits) => LetterFlags::from_mozilla(bits),
        None if folder == FOLDERS[1] => LetterFlags::default(),
        None => LetterFlags::READ,
    }
}

/// True if nobody has read it.
pub fn is_unread(folder: &str, name: &[u8], beginning: &[u8]) -> bool {
    !flags(folder, name, beginning).is_read
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_letter_is_unread_by_its_name_or_by_its_status() {
        for (folder, name, beginning, unread) in [
            ("cur", "1330934400.M1P2.loft:2,RS", "", false),
            ("cur", "1330934400.M1P2.loft;2,F", "Subject: kites\n\n", true),
            ("new", "1330934400.M1P2.loft", "Subject: kites\n\n", true),
            ("cur", "1330934400.eml", "X-Mozilla-Status: 0001\r\nSubject: kites\r\n\r\n", false),
            (
                "cur",
                "1330934400.eml",
                "From - Mon Mar  5 08:00:00 2012\nX-Mozilla-Status: 0004\n\nFrom ",
                true,
            ),
            ("cur", "1330934400.eml", "Subject: kites\n\nX-Mozilla-Status: 0000\n", false),
        ] {
            assert_eq!(
                is_unread(folder, name.as_bytes(), beginning.as_bytes()),
                unread,
                "{name}: {beginning}"
            );
        }
    }
}
