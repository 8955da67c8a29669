//! Letters in stores of Outlook Express.

use super::visitor::{MailFolder, MailLetter, Visitor, with_file_aside, written_lines};
use crate::not_taken::NotTaken;
use crate::trunk_file::files_of;
use porter_formats::mail::dbx;
use porter_formats::mail::head::{self, Summary};
use porter_formats::mail::letter_flags::LetterFlags;
use porter_formats::mail::role::Role;
use porter_trunk::{Entry, Trunk, TrunkItem};
use std::io::{self, Write};
use std::path::Path;

const ENDING: &str = ".dbx";

struct Stored {
    text: Vec<u8>,
    is_read: bool,
}

impl MailLetter for Stored {
    fn summary(&self) -> Summary {
        let own = head::summary(&self.text[..head::end_of(&self.text)]);
        Summary { flags: LetterFlags { is_read: self.is_read, ..LetterFlags::default() }, ..own }
    }

    fn write(&self, to: &mut dyn Write) -> io::Result<u64> {
        written_lines(&self.text, to).map(|()| 0)
    }
}

pub(super) fn visit(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    aside: &Path,
    visitor: &mut dyn Visitor,
    go_on: &dyn Fn() -> bool,
) -> Result<bool, NotTaken> {
    let is_store = |entry: &Entry| {
        let name = entry.address.path.name().unwrap_or_default().to_ascii_lowercase();
        name.ends_with(ENDING.as_bytes())
    };
    let mut stores: Vec<Entry> = files_of(trunk, item)?.filter(is_store).collect();
    stores.sort_by(|a, b| a.address.path.cmp(&b.address.path));
    let mut any = false;
    for entry in stores.iter().take_while(|_| go_on()) {
        let name = String::from_utf8_lossy(entry.address.path.name().unwrap_or_default()).into_owned();
        with_file_aside(trunk, entry, aside, &mut |file| {
            let read = |at: u64, buffer: &mut [u8]| file.read_at(at, buffer);
            let mut letters = Vec::new();
            let listed = match dbx::each_letter(&read, &mut |at| letters.push(at)) {
                // It lists folders, or waits for a server.
                Ok(None) => return Ok(()),
                Ok(Some(listed)) => listed,
                Err(flaw) => {
                    any = true;
                    visitor.flaw(format!("{name}: {flaw}"));
                    return Ok(());
                }
            };
            any = true;
            if listed.damaged_nodes > 0 {
                visitor.flaw(format!(
                    "{name}: {} pieces of the list of its letters cannot be read",
                    listed.damaged_nodes
                ));
            }
            let folder = name[..name.len() - ENDING.len()].to_owned();
            let role = Role::of_name(&folder);
            if visitor.begin(&MailFolder { path: vec![folder], role })? {
                for at in letters.iter().take_while(|_| go_on()) {
                    match dbx::letter(&read, *at) {
                        Ok((text, is_read)) => visitor.letter(&Stored { text, is_read })?,
                        Err(_) => visitor.damaged(),
                    }
                }
            } else {
                visitor.passed_by(letters.len() as u64);
            }
            visitor.end()
        })?;
    }
    Ok(any)
}
