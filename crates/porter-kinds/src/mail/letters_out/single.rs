//! Letters that are a file each.

use super::{FolderTaken, LetterForm, Taking, portable};
use crate::forms::NotTaken;
use porter_formats::mail::emlx;
use porter_formats::mail::mbox_writer::{Envelope, MboxWriter};
use porter_trunk::{Content, ContentHash, Entry, Trunk, TrunkItem};
use std::fs::{self, File};
use std::io::{self, BufWriter, Write};

impl Taking<'_> {
    /// Takes those of an item that are a file each. False if it has none.
    pub(super) fn single_letters(&mut self, item: &TrunkItem) -> Result<bool, NotTaken> {
        let letters = letters_of(self.trunk, item)?;
        for folder in letters.chunk_by(|a, b| a.address.path.parent() == b.address.path.parent()) {
            let path = folder.first().and_then(|entry| entry.address.path.parent()).unwrap_or_default();
            let path: Vec<String> =
                path.steps().map(|step| String::from_utf8_lossy(step).into_owned()).collect();
            let mut count = FolderTaken { found: folder.len() as u64, path, ..FolderTaken::default() };
            let (last, above) =
                count.path.split_last().map_or(("Letters", &[][..]), |(last, above)| (last.as_str(), above));
            let within = above.iter().fold(self.to.to_path_buf(), |at, name| at.join(portable(name)));
            let ending = if self.form == LetterForm::Mbox { ".mbox" } else { "" };
            let at = self.names.within(&within, &format!("{last}{ending}"));
            fs::create_dir_all(if self.form == LetterForm::Mbox { &within } else { &at })?;
            let mut mailbox = match self.form {
                LetterForm::Mbox => Some(MboxWriter::new(BufWriter::new(File::create_new(&at)?))),
                LetterForm::Letters => None,
            };
            for (number, entry) in (1..).zip(folder) {
                if !(self.go_on)() {
                    return Ok(true);
                }
                let Some((letter, envelope)) = letter_in(self.trunk, entry) else {
                    count.damaged += 1;
                    continue;
                };
                match &mut mailbox {
                    Some(mailbox) => mailbox.letter(envelope, |to| to.write_all(&letter))?,
                    None => File::create_new(at.join(format!("{number:05}.eml")))?.write_all(&letter)?,
                }
                count.written += 1;
                count.incomplete += u64::from(entry.is_incomplete());
            }
            if let Some(mailbox) = mailbox {
                mailbox.finish()?;
            }
            self.taken.folders.push(count);
        }
        Ok(!letters.is_empty())
    }
}

/// The letters of an item that are a file each, folder by folder.
fn letters_of(trunk: &dyn Trunk, item: &TrunkItem) -> Result<Vec<Entry>, NotTaken> {
    let is_letter = |entry: &Entry| {
        let name = entry.address.path.name().unwrap_or_default().to_ascii_lowercase();
        entry.item == item.id
            && matches!(entry.content, Content::File { .. })
            && (name.ends_with(b".emlx") || name.ends_with(b".eml"))
    };
    let mut found: Vec<Entry> = trunk.entries()?.flatten().filter(is_letter).collect();
    found.sort_by(|a, b| {
        let folder = |entry: &Entry| entry.address.path.parent().unwrap_or_default();
        (folder(a), number_in(a), &a.address.path).cmp(&(folder(b), number_in(b), &b.address.path))
    });
    Ok(found)
}

/// Letters are numbered: `9.emlx` comes before `10.emlx`.
fn number_in(entry: &Entry) -> u64 {
    let name = String::from_utf8_lossy(entry.address.path.name().unwrap_or_default()).into_owned();
    let digits: String = name.chars().take_while(char::is_ascii_digit).collect();
    digits.parse().unwrap_or(u64::MAX)
}

/// The letter in a file, and the facts in front of it. None if the file is damaged, or longer than letters
/// are.
fn letter_in(trunk: &dyn Trunk, entry: &Entry) -> Option<(Vec<u8>, Envelope)> {
    const MOST_IN_BYTES: u64 = 256 << 20;
    if entry.size_in_bytes() > MOST_IN_BYTES {
        return None;
    }
    let mut file = Vec::new();
    io::Read::read_to_end(&mut trunk.open_content(entry).ok()?, &mut file).ok()?;
    let Content::File { hash, .. } = entry.content else { return None };
    if ContentHash::of(&file) != hash {
        return None;
    }
    let is_apples = entry.address.path.name()?.to_ascii_lowercase().ends_with(b".emlx");
    let (letter, is_read) = if is_apples {
        let tail = &file[file.len().saturating_sub(emlx::TAIL_IN_BYTES)..];
        (emlx::letter(&file)?.to_vec(), emlx::flags(tail).is_read)
    } else {
        (file, true)
    };
    Some((letter, Envelope { at_utc: entry.modified_utc, is_read }))
}
