//! Letters that are a file each.

use super::visitor::{MailFolder, MailLetter, Visitor, names_down_to, shown_names, written_lines};
use crate::mail::letters::BESIDE_NUMBERS;
use crate::not_taken::NotTaken;
use crate::trunk_file::files_of;
use porter_formats::mail::head::{self, Summary};
use porter_formats::mail::letter_flags::LetterFlags;
use porter_formats::mail::mapi::letter::Letter;
use porter_formats::mail::mapi::thing::Thing;
use porter_formats::mail::mbox_reader::without_marks;
use porter_formats::mail::msg::MsgFile;
use porter_formats::mail::role::Role;
use porter_formats::mail::tnef::{self, TnefFile};
use porter_formats::mail::{emlx, maildir};
use porter_names::RelativePath;
use porter_trunk::{Content, ContentHash, Entry, Trunk, TrunkItem};
use std::collections::HashSet;
use std::io::{self, Read, Write};

/// The folders of a Maildir with letters in them.
pub(super) const OF_MAILDIR: [&[u8]; 2] = [maildir::FOLDERS[0].as_bytes(), maildir::FOLDERS[1].as_bytes()];

/// A letter that was read.
struct Whole {
    letter: Vec<u8>,
    summary: Summary,
    /// The old drive could not read all of it.
    is_incomplete: bool,
}

impl MailLetter for Whole {
    fn summary(&self) -> Summary {
        self.summary.clone()
    }

    fn write(&self, to: &mut dyn Write) -> io::Result<u64> {
        written_lines(&self.letter, to)?;
        Ok(u64::from(self.is_incomplete))
    }
}

pub(super) fn visit(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    visitor: &mut dyn Visitor,
    go_on: &dyn Fn() -> bool,
) -> Result<bool, NotTaken> {
    let letters = letters_of(trunk, item)?;
    for folder in letters.chunk_by(|a, b| folder_at(a) == folder_at(b)) {
        let path = folder.first().map(folder_at).unwrap_or_default();
        let is_maildir = folder.first().is_some_and(is_in_maildir);
        let path = if is_maildir { shown_names(&path) } else { apple_names(names_down_to(&path)) };
        let role = path.last().map(|name| Role::of_name(name)).unwrap_or_default();
        if visitor.begin(&MailFolder { path, role })? {
            for entry in folder.iter().take_while(|_| go_on()) {
                match letter_in(trunk, entry) {
                    Some(letter) => visitor.letter(&letter)?,
                    None => visitor.damaged(),
                }
            }
        } else {
            visitor.passed_by(folder.len() as u64);
        }
        visitor.end()?;
    }
    Ok(!letters.is_empty())
}

/// The names that Apple Mail shows: its mailboxes are folders with an ending, in the folder of an account,
/// and letters are in folders of numbers further down. Those of other programs stay as they are.
fn apple_names(names: Vec<String>) -> Vec<String> {
    const ENDINGS: [&str; 2] = [".mbox", ".imapmbox"];
    let mailbox = |name: &String| {
        let ending = ENDINGS.into_iter().find(|ending| name.ends_with(ending))?;
        Some(name[..name.len() - ending.len()].to_owned())
    };
    let Some(first) = names.iter().position(|name| mailbox(name).is_some()) else { return names };
    let is_version =
        |name: &String| name.strip_prefix('V').is_some_and(|number| number.parse::<u8>().is_ok());
    let account = names[..first].last().filter(|name| !is_version(name));
    account.cloned().into_iter().chain(names[first..].iter().filter_map(mailbox)).collect()
}

/// The folder that a letter is shown in.
fn folder_at(entry: &Entry) -> RelativePath {
    let parent = entry.address.path.parent().unwrap_or_default();
    if is_in_maildir(entry) { parent.parent().unwrap_or_default() } else { parent }
}

fn is_in_maildir(entry: &Entry) -> bool {
    let parent = entry.address.path.parent().unwrap_or_default();
    parent.name().is_some_and(|name| OF_MAILDIR.contains(&name))
}

/// The letters of an item that are a file each, folder by folder.
fn letters_of(trunk: &dyn Trunk, item: &TrunkItem) -> Result<Vec<Entry>, NotTaken> {
    let is_beside_numbers =
        |entry: &Entry| entry.address.path.name().is_some_and(|name| BESIDE_NUMBERS.contains(&name));
    let of_numbers: HashSet<RelativePath> =
        files_of(trunk, item)?.filter(is_beside_numbers).map(|entry| folder_at(&entry)).collect();
    let is_letter = |entry: &Entry| {
        let name = entry.address.path.name().unwrap_or_default().to_ascii_lowercase();
        let is_number = name.iter().all(u8::is_ascii_digit);
        name.ends_with(b".emlx")
            || name.ends_with(b".eml")
            || is_of_outlook(&name)
            || is_in_maildir(entry)
            || (is_number && of_numbers.contains(&folder_at(entry)))
    };
    let mut found: Vec<Entry> = files_of(trunk, item)?.filter(is_letter).collect();
    found.sort_by(|a, b| {
        (folder_at(a), number_in(a), &a.address.path).cmp(&(folder_at(b), number_in(b), &b.address.path))
    });
    Ok(found)
}

/// Letters are numbered: `9.emlx` comes before `10.emlx`.
fn number_in(entry: &Entry) -> u64 {
    let name = String::from_utf8_lossy(entry.address.path.name().unwrap_or_default()).into_owned();
    let digits: String = name.chars().take_while(char::is_ascii_digit).collect();
    digits.parse().unwrap_or(u64::MAX)
}

/// Passes each letter, or other thing, on that is a file of Outlook's own form, by the names down to its
/// folder; none for one that cannot be read. False if the item has none.
pub(in crate::mail) fn each_msg_file(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    look: &mut dyn FnMut(Vec<String>, Option<&Thing<'_>>),
) -> Result<bool, NotTaken> {
    let mut files: Vec<Entry> =
        files_of(trunk, item)?.filter(|entry| entry.address.path.name().is_some_and(is_of_outlook)).collect();
    files.sort_by(|a, b| a.address.path.cmp(&b.address.path));
    for entry in &files {
        let file = content_of(trunk, entry);
        let read = file
            .as_deref()
            .and_then(|file| with_thing(file, |thing| look(names_down_to(&folder_at(entry)), Some(&thing))));
        if read.is_none() {
            look(names_down_to(&entry.address.path), None);
        }
    }
    Ok(!files.is_empty())
}

/// The content of a file. None if it is damaged, or longer than letters are.
pub(in crate::mail) fn content_of(trunk: &dyn Trunk, entry: &Entry) -> Option<Vec<u8>> {
    const MOST_IN_BYTES: u64 = 256 << 20;
    if entry.size_in_bytes() > MOST_IN_BYTES {
        return None;
    }
    let mut file = Vec::new();
    trunk.open_content(entry).ok()?.read_to_end(&mut file).ok()?;
    let Content::File { hash, .. } = entry.content else { return None };
    (ContentHash::of(&file) == hash).then_some(file)
}

/// The letter in a file. None if the file is damaged, or longer than letters are.
fn letter_in(trunk: &dyn Trunk, entry: &Entry) -> Option<Whole> {
    let file = content_of(trunk, entry)?;
    let name = entry.address.path.name()?;
    if is_of_outlook(name) {
        return letter_of_outlook(&file, entry);
    }
    let (letter, flags) = if name.to_ascii_lowercase().ends_with(b".emlx") {
        let tail = &file[file.len().saturating_sub(emlx::TAIL_IN_BYTES)..];
        (emlx::letter(&file)?.to_vec(), emlx::flags(tail).of_letter)
    } else if is_in_maildir(entry) {
        let folder = entry.address.path.parent()?;
        let flags = maildir::flags(&String::from_utf8_lossy(folder.name()?), name, &file);
        (without_marks(&file), flags)
    } else {
        (file, LetterFlags::READ)
    };
    let own = head::summary(&letter[..head::end_of(&letter)]);
    // When it came, as its program has it; the head tells when it was sent.
    let at_utc = entry.modified_utc.or(own.at_utc);
    Some(Whole { letter, summary: Summary { at_utc, flags, ..own }, is_incomplete: entry.is_incomplete() })
}

/// True for a file of Outlook's own form: one that it saves, or that it packs into letters.
fn is_of_outlook(name: &[u8]) -> bool {
    let name = name.to_ascii_lowercase();
    name.ends_with(b".msg") || name.ends_with(b".tnef") || name == b"winmail.dat"
}

/// Shows the thing in a file of Outlook's own form. None if it cannot be read.
fn with_thing<T>(file: &[u8], look: impl FnOnce(Thing<'_>) -> T) -> Option<T> {
    if tnef::may_be_one(file) {
        let file = TnefFile::open(file).ok()?;
        return file.thing().ok().map(look);
    }
    let file = MsgFile::open(file).ok()?;
    file.thing().ok().map(look)
}

/// The letter in a file of Outlook's own form.
fn letter_of_outlook(file: &[u8], entry: &Entry) -> Option<Whole> {
    let mut written = Vec::new();
    let (summary, missing) = with_thing(file, |thing| {
        let letter = Letter::from(thing);
        let missing = letter.write(&mut written).ok()?;
        Some((letter.summary(), missing))
    })??;
    let is_incomplete = missing > 0 || entry.is_incomplete();
    Some(Whole { letter: written, summary, is_incomplete })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn mailboxes_of_apple_mail_are_named_as_it_shows_them() {
        let shown = |path: &str| apple_names(path.split('/').map(str::to_owned).collect()).join("/");
        assert_eq!(
            shown("Library/Mail/V3/POP-t@kites.example/INBOX.mbox/Messages"),
            "POP-t@kites.example/INBOX"
        );
        let nested = "V10/5A1E/Kites.mbox/Jobs.mbox/77F0/Data/4/2/Messages";
        assert_eq!(shown(nested), "5A1E/Kites/Jobs");
        assert_eq!(shown("Mail/V2/Archive.imapmbox"), "Archive");
        assert_eq!(shown("Windows Mail/Local Folders/Inbox"), "Windows Mail/Local Folders/Inbox");
    }
}
