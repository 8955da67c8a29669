//! Mail on a machine: which files hold letters, and how many there are.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::stand_ins::{Script, ScriptedVolume};
use porter_kinds::caution::Caution;
use porter_kinds::item::Item;
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
    let rows = crate::stand_ins::surveyed(&volume.recognised()).items;
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

#[test]
fn a_data_file_is_mail_only_if_it_can_be_seen_to_be_one_and_none_is_fetched_for_that() {
    let mut volume = ScriptedVolume::windows();
    let file = porter_demo::mail::data_file(3);
    for (at, script) in [
        ("Documents/whole.bak", Script::File(file.clone())),
        ("Documents/dying.pst", Script::BadSectorAfter(0, file.clone())),
        ("Documents/in the cloud.pst", Script::InTheCloud(file)),
        ("Documents/in use.pst", Script::InUse),
        ("Documents/leads elsewhere.pst", Script::Link(b"whole.bak".to_vec())),
        ("Documents/short.pst", Script::File(b"!BD".to_vec())),
        ("Documents/plan.kcd", Script::File(vec![7; 64 << 10])),
    ] {
        volume.add(&format!("Users/odile/{at}"), script);
    }
    let machine = volume.recognised();
    let survey = crate::stand_ins::surveyed(&machine);
    let row = |id: &str| survey.items.iter().find(|row| row.item.id == id).unwrap();
    let mail = row("odile/mail/data-files");
    assert_eq!((mail.to_capture.files, mail.item.parts.len()), (1, 1), "{:?}", mail.item.parts);
    assert_eq!(mail.item.counts, [("messages".to_owned(), 3), ("folders of messages".to_owned(), 1)]);
    // All others stay what they were.
    assert_eq!(row("odile/folder/documents").seen().files, 5);
}

#[test]
fn only_a_folder_that_is_nobodys_else_comes_into_a_profile() {
    const ELSEWHERE: [&str; 7] = [
        r"C:\Windows\System32",
        r"C:\Users\odile",
        r"C:\Users",
        r"C:\",
        r"\TIDEHOUSE\Mail",
        r"C:\Users\odile\Documents",
        r"C:\nowhere",
    ];
    for (written, comes) in
        ELSEWHERE.map(|path| (path, false)).into_iter().chain([(r"C:\Kite mail\Local", true)])
    {
        let mut volume = ScriptedVolume::windows();
        volume.add("Kite mail/Local/Kept", Script::File(letters(2, 0)));
        let prefs = format!(
            "user_pref(\"mail.accountmanager.accounts\", \"account1\");\nuser_pref(\"mail.account.account1.server\", \"server1\");\n\
             user_pref(\"mail.server.server1.directory\", \"{}\");\n",
            written.replace('\\', "\\\\")
        );
        volume.add(&format!("{PROFILE}/prefs.js"), Script::File(prefs.into_bytes()));
        let items = found(volume);
        let item = items.iter().find(|item| item.id == PROFILE_ITEM).unwrap();
        let outside = item.parts.iter().filter(|part| part.name == "outside-1").count();
        let is_named = item.cautions.iter().any(|caution| matches!(caution, Caution::MailElsewhere { .. }));
        assert_eq!((outside, is_named), (usize::from(comes), !comes), "{written}: {item:?}");
        assert_eq!(counts(&items, PROFILE_ITEM).get("messages"), comes.then_some(&2), "{written}");
    }
}
