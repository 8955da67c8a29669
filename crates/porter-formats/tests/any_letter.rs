//! Letters of any shape go through a mailbox and come back as they were, and are told apart from each other.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_formats::mail::head;
use porter_formats::mail::letter_flags::LetterFlags;
use porter_formats::mail::maildir;
use porter_formats::mail::mbox::{Counter, Letters};
use porter_formats::mail::mbox_reader::{MboxLetter, MboxReader};
use porter_formats::mail::mbox_writer::{Envelope, MboxWriter};
use porter_formats::mail::parts::readable;
use std::io::Write;

/// Numbers that look thrown.
struct Dice(u64);

impl Dice {
    fn below(&mut self, limit: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % limit
    }

    fn pick<'t>(&mut self, of: &[&'t str]) -> &'t str {
        of[self.below(of.len())]
    }

    fn flags(&mut self) -> LetterFlags {
        LetterFlags::from_mozilla([0x0000, 0x0001, 0x0003, 0x0004, 0x1005][self.below(5)])
    }

    /// A letter whose lines are what mailboxes find hard.
    fn letter(&mut self) -> String {
        const LINES: [&str; 14] = [
            "",
            "From ",
            "From - Mon Mar  5 08:00:00 2012",
            "From odile@saltmarsh.example Mon Mar  5 08:00:00 2012",
            ">From - Mon Mar  5 08:00:00 2012",
            ">>From the marsh",
            "From here on the wind was good",
            "X-Mozilla-Status: 0009",
            "Status: RO",
            "> quoted",
            "--=_bound",
            "caf\u{e9}",
            ".",
            "\tblank",
        ];
        let mut letter = format!("Subject: Letter {}\r\n", self.below(1000));
        if self.below(3) == 0 {
            letter.push_str("X-Long: ");
            letter.push_str(&"spar ".repeat(self.below(4000)));
            letter.push_str("\r\n folded\r\n");
        }
        letter.push_str("\r\n");
        for _ in 0..self.below(12) {
            letter.push_str(self.pick(&LINES));
            if self.below(20) == 0 {
                letter.push_str(&"x".repeat(70_000));
            }
            letter.push_str("\r\n");
        }
        letter
    }
}

#[test]
fn every_letter_comes_back_from_a_mailbox_with_its_marks() {
    let mut dice = Dice(7);
    for _ in 0..300 {
        let letters: Vec<(LetterFlags, String)> =
            (0..dice.below(6)).map(|_| (dice.flags(), dice.letter())).collect();
        let mut writer = MboxWriter::new(Vec::new());
        for (flags, letter) in &letters {
            let piece = 1 + dice.below(100);
            let put = |to: &mut dyn Write| {
                letter.as_bytes().chunks(piece).try_for_each(|bytes| to.write_all(bytes))
            };
            writer.letter(Envelope { at_utc: None, flags: *flags }, put).unwrap();
        }
        let file = writer.finish().unwrap();
        let mut reader = MboxReader::new(&file[..]);
        let mut found = Vec::new();
        while let Some(MboxLetter { head, summary }) = reader.next_letter().unwrap() {
            let mut letter = [&head[..], b"\r\n"].concat();
            // Every third body is not asked for.
            if found.len() % 3 == 2 {
                found.push((summary.flags, None));
                continue;
            }
            reader.body(&mut letter).unwrap();
            found.push((summary.flags, Some(String::from_utf8(letter).unwrap())));
        }
        assert_eq!(found.len(), letters.len());
        for ((flags, letter), (found_flags, found)) in letters.iter().zip(&found) {
            assert_eq!(flags, found_flags);
            assert!(found.as_ref().is_none_or(|found| found == letter), "{letter:?}\n{found:?}");
        }
        // The counter of the survey sees the same letters, whatever the pieces.
        let mut counter = Counter::default();
        file.chunks(1 + dice.below(5000)).for_each(|bytes| counter.feed(bytes));
        let unread = letters.iter().filter(|(flags, _)| !flags.is_read).count() as u64;
        assert_eq!(counter.letters(), Letters { messages: letters.len() as u64, unread });
    }
}

#[test]
fn marks_come_back_from_names_and_bits() {
    for bits in 0..16_u32 {
        let flags = LetterFlags {
            is_read: bits & 1 != 0,
            is_answered: bits & 2 != 0,
            is_starred: bits & 4 != 0,
            is_forwarded: bits & 8 != 0,
        };
        assert_eq!(LetterFlags::from_mozilla(flags.to_mozilla()), flags);
        for separator in [':', ';', '!'] {
            let name = format!("1330934400.M1.porter{separator}2,{}", flags.to_maildir());
            assert_eq!(maildir::flags("cur", name.as_bytes(), b""), flags, "{name}");
        }
    }
}

#[test]
fn no_bytes_of_a_letter_end_a_reader_or_fill_the_memory() {
    let mut dice = Dice(11);
    let good = "Content-Type: multipart/mixed; boundary=\"b\"\r\nSubject: =?utf-8?Q?=C3=BC?= =?x?B?//?=\r\n\r\n--b\r\n\
        Content-Type: text/plain; charset=utf-16\r\nContent-Transfer-Encoding: base64\r\n\r\nQQBi\r\n--b\r\n\
        Content-Type: text/html\r\n\r\n<head><style>p</style></head><p>a&#x41;&nope;<br\r\n--b--\r\n";
    for _ in 0..5000 {
        let mut bytes = good.as_bytes().to_vec();
        for _ in 0..=dice.below(6) {
            let at = dice.below(bytes.len());
            match dice.below(3) {
                0 => bytes[at] = [0, b'\n', b'=', b'-', b'"', 0xff][dice.below(6)],
                1 => bytes.truncate(at.max(1)),
                _ => {
                    let stretch = bytes[at..].to_vec();
                    bytes.extend(stretch);
                }
            }
        }
        let shown = readable(&bytes);
        assert!(shown.text.len() <= 4 * bytes.len() && shown.files.len() <= bytes.len());
        drop(head::summary(&bytes[..head::end_of(&bytes)]));
    }
    // Parts in parts without end.
    let deep: String =
        (0..5000).map(|at| format!("Content-Type: multipart/mixed; boundary=b{at}\n\n--b{at}\n")).collect();
    assert!(readable(deep.as_bytes()).text.is_empty());
}
