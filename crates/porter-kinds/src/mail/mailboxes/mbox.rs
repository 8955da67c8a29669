//! Letters one behind the other in a file.

use super::visitor::{MailFolder, MailLetter, Visitor, shown_names};
use crate::not_taken::NotTaken;
use crate::trunk_file::files_of;
use porter_formats::mail::head::Summary;
use porter_formats::mail::mbox;
use porter_formats::mail::mbox_reader::{MboxLetter, MboxReader};
use porter_formats::mail::role::Role;
use porter_trunk::{Content, ContentHasher, Entry, Trunk, TrunkItem};
use std::cell::RefCell;
use std::io::{self, BufRead, BufReader, Read, Write};
use std::rc::Rc;

/// The endings of files that programs keep beside mailboxes.
const NEVER: [&[u8]; 12] = [
    b".msf", b".sqlite", b".dat", b".json", b".js", b".html", b".db", b".ini", b".xml", b".eml", b".emlx",
    b".mozeml",
];

/// A letter on its way: it can be written once.
struct Passing<'l, R> {
    letter: &'l MboxLetter,
    rest: RefCell<&'l mut MboxReader<R>>,
}

impl<R: BufRead> MailLetter for Passing<'_, R> {
    fn summary(&self) -> Summary {
        self.letter.summary.clone()
    }

    fn write(&self, to: &mut dyn Write) -> io::Result<u64> {
        to.write_all(&self.letter.head)?;
        to.write_all(b"\r\n")?;
        self.rest.borrow_mut().body(to)?;
        Ok(0)
    }
}

/// A content that is proved while it is read.
struct Proved<R> {
    content: R,
    hasher: Rc<RefCell<ContentHasher>>,
}

impl<R: Read> Read for Proved<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.content.read(buffer)?;
        self.hasher.borrow_mut().update(&buffer[..read]);
        Ok(read)
    }
}

pub(super) fn visit(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    visitor: &mut dyn Visitor,
    go_on: &dyn Fn() -> bool,
) -> Result<bool, NotTaken> {
    let mut mailboxes: Vec<Entry> =
        files_of(trunk, item)?.filter(may_be_one).filter(|entry| begins_as_one(trunk, entry)).collect();
    mailboxes.sort_by(|a, b| a.address.path.cmp(&b.address.path));
    for entry in mailboxes.iter().take_while(|_| go_on()) {
        let path = shown_names(&entry.address.path);
        let role = path.last().map(|name| Role::of_name(name)).unwrap_or_default();
        let folder = MailFolder { path, role };
        let Content::File { hash, .. } = entry.content else { continue };
        let content = match trunk.open_content(entry) {
            Ok(content) => content,
            Err(damage) => {
                visitor.flaw(format!("{}: {damage}", entry.address.path));
                continue;
            }
        };
        let hasher = Rc::new(RefCell::new(ContentHasher::default()));
        let mut reader = MboxReader::new(BufReader::with_capacity(
            1 << 18,
            Proved { content, hasher: Rc::clone(&hasher) },
        ));
        let is_shown = visitor.begin(&folder)?;
        let read = loop {
            match reader.next_letter() {
                Ok(Some(_)) if go_on() && !is_shown => visitor.passed_by(1),
                Ok(Some(letter)) if go_on() => {
                    visitor.letter(&Passing { letter: &letter, rest: RefCell::new(&mut reader) })?;
                }
                Ok(_) => break Ok(()),
                Err(cause) => break Err(cause),
            }
        };
        visitor.end()?;
        drop(reader);
        let is_proved = Rc::into_inner(hasher).is_some_and(|hasher| hasher.into_inner().finish() == hash);
        match read {
            Err(cause) => visitor.flaw(format!("{}: {cause}", entry.address.path)),
            Ok(()) if go_on() && !is_proved => {
                visitor.flaw(format!(
                    "{}: the trunk is damaged: this is not what was captured",
                    entry.address.path
                ));
            }
            Ok(()) if entry.is_incomplete() => visitor.flaw(format!(
                "{}: the old drive could not read {} of its bytes: zeros stand there",
                entry.address.path,
                entry.missing_in_bytes()
            )),
            Ok(()) => {}
        }
    }
    Ok(!mailboxes.is_empty())
}

fn may_be_one(entry: &Entry) -> bool {
    let name = entry.address.path.name().unwrap_or_default().to_ascii_lowercase();
    let parent = entry.address.path.parent().unwrap_or_default();
    let is_in_maildir = parent.name().is_some_and(|name| super::single::OF_MAILDIR.contains(&name));
    entry.size_in_bytes() > 0 && !is_in_maildir && !NEVER.iter().any(|ending| name.ends_with(ending))
}

fn begins_as_one(trunk: &dyn Trunk, entry: &Entry) -> bool {
    let mut beginning = [0; 5];
    let read = trunk.open_content(entry).map(|mut content| content.read_exact(&mut beginning));
    matches!(read, Ok(Ok(()))) && mbox::is_one(&beginning)
}
