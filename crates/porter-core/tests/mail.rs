//! Mail on a machine: which files hold letters, and how many there are.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

mod stand_ins;

use porter_kinds::caution::Caution;
use porter_kinds::item::Item;
use stand_ins::{Script, ScriptedVolume};
use std::collections::BTreeMap;

const PROFILE: &str = "Users/odile/AppData/Roaming/Thunderbird/Profiles/k1t3.default";
/// No list names it: it is found by its mail.
const PROFILE_ITEM: &str = "odile/mail/thunderbird/k1t3-default";

fn letters(read: usize, unread: usize) -> Vec<u8> {
    let letter =
        |status: &str| format!("From - Mon Mar  5 08:00:00 2012\nX-Mozilla-Status: {status}\n\nspar\n\n");
    [letter("0001").repeat(read), letter("0000").repeat(unread)].concat().into_bytes()
}

fn found(volume: ScriptedVolume) -> Vec<Item> {
    let rows = stand_ins::surveyed(&volume.recognised()).items;
    rows.into_iter().map(|row| row.item).collect()
}

fn counts<'i>(items: &'i [Item], id: &str) -> BTreeMap<&'i str, u64> {
    let item = items.iter().find(|item| item.id == id).unwrap();
    item.counts.iter().map(|(name, number)| (name.as_str(), *number)).collect()
}

#[test]
fn letters_that_are_only_here_are_told_from_copies_and_from_files_that_hold_none() {
    let mut volume = ScriptedVolume::windows();
    volume.add("Users/odile/NTUSER.DAT", Script::File(b"x".to_vec()));
    for (at, content) in [
        ("Mail/Local Folders/Inbox", letters(4, 2)),
        ("Mail/Local Folders/Archive.sbd/2025", letters(3, 0)),
        ("Mail/pop.example/Drafts", Vec::new()),
        ("Mail/pop.example/popstate.dat", b"From the server\n".to_vec()),
        ("Mail/pop.example/Inbox.msf", b"// <!-- mork -->".to_vec()),
        ("ImapMail/imap.example/INBOX", letters(5, 1)),
        ("ImapMail/imap.example/INBOX.sbd/Customers", letters(1, 0)),
        // Mailboxes lie in these two folders alone.
        ("extensions/notes", letters(9, 9)),
    ] {
        volume.add(&format!("{PROFILE}/{at}"), Script::File(content));
    }
    let items = found(volume);
    let expected = [
        ("folders of messages", 4),
        ("messages", 9),
        ("unread messages", 3),
        ("messages kept on a server", 7),
    ];
    assert_eq!(counts(&items, PROFILE_ITEM), expected.into());
}

#[test]
fn a_mailbox_on_a_failing_drive_is_counted_as_far_as_it_can_be_read_and_named() {
    let mut volume = ScriptedVolume::windows();
    volume.add("Users/odile/NTUSER.DAT", Script::File(b"x".to_vec()));
    let mailbox = letters(10, 0);
    let half = mailbox.len() / 2;
    volume.add(&format!("{PROFILE}/Mail/Local Folders/Inbox"), Script::BadSectorAfter(half, mailbox));
    volume.add(&format!("{PROFILE}/Mail/Local Folders/Sent"), Script::File(letters(2, 0)));
    let items = found(volume);
    let item = items.iter().find(|item| item.id == PROFILE_ITEM).unwrap();
    let named = |caution: &Caution| matches!(caution, Caution::ProfileDamaged { file, .. } if file.ends_with("Inbox"));
    assert!(item.cautions.iter().any(named), "{:?}", item.cautions);
    let messages = counts(&items, PROFILE_ITEM)["messages"];
    assert!((2..12).contains(&messages), "{messages}");
}
