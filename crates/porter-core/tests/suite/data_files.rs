//! Outlook's data files, as far as our own reader needs no other program to be tried: the demo's, whole and
//! damaged.

use porter_demo::dice::Dice;
use porter_demo::mail::data_file;
use porter_formats::FormatError;
use porter_formats::mail::mapi::letter::Letter;
use porter_formats::mail::pst::mailbox::{FolderKind, Mailbox};
use std::collections::BTreeSet;
use std::io;

fn with_mailbox<T>(file: &[u8], look: impl FnOnce(&Mailbox<'_>) -> T) -> Result<T, FormatError> {
    let read = |at: u64, buffer: &mut [u8]| -> io::Result<usize> {
        let rest = usize::try_from(at).ok().and_then(|at| file.get(at..)).unwrap_or_default();
        let length = rest.len().min(buffer.len());
        buffer[..length].copy_from_slice(&rest[..length]);
        Ok(length)
    };
    Mailbox::open(&read).map(|mailbox| look(&mailbox))
}

/// All letters as they are written, and how many could not be.
fn letters(mailbox: &Mailbox<'_>) -> (Vec<String>, usize) {
    let (mut written, mut damaged) = (Vec::new(), 0);
    for row in mailbox.folders.iter().flat_map(|folder| &folder.letters) {
        let mut bytes = Vec::new();
        match mailbox.thing(row).map(|thing| Letter::from(thing).write(&mut bytes)) {
            Ok(Ok(0)) => written.push(String::from_utf8_lossy(&bytes).into_owned()),
            _ => damaged += 1,
        }
    }
    (written, damaged)
}

#[test]
fn every_letter_comes_out_with_its_people_its_text_and_the_file_at_it() {
    let file = data_file(40);
    let (all, damaged) = with_mailbox(&file, |mailbox| {
        let folders: Vec<_> =
            mailbox.folders.iter().map(|folder| (folder.path.join("/"), folder.kind)).collect();
        assert_eq!(folders, [("Inbox".to_owned(), FolderKind::Letters)]);
        letters(mailbox)
    })
    .unwrap();
    assert_eq!((all.len(), damaged), (40, 0));
    let headers: Vec<&str> = all[6].split("\r\n\r\n").next().unwrap().lines().collect();
    assert_eq!(
        headers[1..5],
        [
            "To: \"Front desk\" <desk@saltmarsh.example>",
            "Subject: Order 7 of 40",
            "Date: Mon, 09 Feb 2026 09:00:00 +0000",
            "Message-ID: <order-7@windrose.example>",
        ]
    );
    assert!(headers[0].ends_with("<customer7@windrose.example>"), "{headers:?}");
    // Only the first has a file, whose name is beyond ASCII.
    assert_eq!(all.iter().filter(|letter| letter.contains("multipart/mixed")).count(), 1);
    for part in [
        "Content-Type: text/csv\r\n",
        "filename*=utf-8''Price%20list%20%C3%BCber%20Drachen.csv\r\n",
        "\r\n\r\nYm94IGtpdGU7NDANCnJva2tha3U7NjUNCg==\r\n",
    ] {
        assert!(all[0].contains(part), "{part}: {}", all[0]);
    }
    let again = with_mailbox(&file, letters).unwrap();
    assert_eq!(again.0, all, "the same input gives the same bytes");
}

#[test]
fn a_changed_bit_takes_no_letter_but_those_that_it_hits() {
    const LETTERS: u32 = 60;
    const COPIES: usize = 200;
    let file = data_file(LETTERS);
    let whole: BTreeSet<String> = with_mailbox(&file, letters).unwrap().0.into_iter().collect();
    assert_eq!(whole.len(), LETTERS as usize);
    let used = file.iter().rposition(|byte| *byte != 0).unwrap();
    let mut dice = Dice::named("changed bits of a data file");
    let (mut kept, mut unreadable) = (0, 0);
    for _ in 0..COPIES {
        let mut copy = file.clone();
        // The header and the data; what the file says of free room is read by nobody.
        let at = if dice.below(20) == 0 { dice.below(564) } else { 0x4600 + dice.below(used - 0x4600) };
        copy[at] ^= 1 << dice.below(8);
        match with_mailbox(&copy, letters) {
            Ok((found, _)) => kept += found.iter().filter(|letter| whole.contains(*letter)).count(),
            Err(_) => unreadable += 1,
        }
    }
    let all = (COPIES - unreadable) * LETTERS as usize;
    assert!(unreadable <= COPIES / 20, "{unreadable} copies cannot be opened");
    assert!(kept * 100 >= all * 95, "{kept} of {all}");
    assert!(kept < all, "the bits hit something");
}

#[test]
fn a_file_that_is_cut_off_or_leads_in_circles_gives_as_much_as_it_holds() {
    let file = data_file(30);
    for length in [0, 4, 600, 0x4600, file.len() / 8, file.len() / 4] {
        if let Ok((found, damaged)) = with_mailbox(&file[..length], letters) {
            assert!(found.len() + damaged <= 30, "{length}");
        }
    }
    // Neither tree is where the header says: both are found again by their pages.
    let whole = with_mailbox(&file, letters).unwrap();
    let nodes_at = file[224..232].to_vec();
    for (nodes, blocks) in
        [(None, Some(&nodes_at[..])), (Some(&[0; 8][..]), None), (Some(&[0xff; 8]), Some(&[0; 8]))]
    {
        let mut lost = file.clone();
        for (at, place) in [(224, nodes), (240, blocks)] {
            if let Some(place) = place {
                lost[at..at + 8].copy_from_slice(place);
            }
        }
        assert_eq!(with_mailbox(&lost, letters).unwrap(), whole);
    }
    // Nothing tells any more where the letters were.
    let mut homeless = file.clone();
    let folder = with_mailbox(&file, |mailbox| mailbox.folders[0].letters[0].parent).unwrap().to_le_bytes();
    let is_row = |at: &usize| file[*at..*at + 4] == folder && file[at + 24..at + 28] == [0x22, 0x80, 0, 0];
    let row = (0x4400..file.len() - 28).step_by(8).find(is_row).unwrap();
    homeless[row] ^= 0x40;
    let folders = |mailbox: &Mailbox<'_>| {
        mailbox.folders.iter().map(|folder| (folder.path.join("/"), folder.letters.len())).collect::<Vec<_>>()
    };
    assert_eq!(with_mailbox(&homeless, folders).unwrap(), [("Recovered".to_owned(), 30)]);
}
