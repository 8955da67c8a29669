//! Outlook's data files, `.pst` and `.ost` ([MS-PST]; the form with pages of 4096 bytes is not in it, and was
//! learned from real files).
//!
//! The tree of nodes alone says how many letters are in how many folders ([`count`]). [`store`] reads all
//! that is in a file, and [`mailbox`] its folders.

mod contents;
mod encoding;
mod heap;
mod lost_pages;
pub mod mailbox;
mod page;
pub mod store;

use super::mapi::number;
use crate::FormatError;
use mailbox::FolderKind;
use std::collections::BTreeMap;
use std::io;
use store::Store;

const WHAT: &str = "Outlook data file";
const MAGIC: &[u8] = b"!BDN";
/// The part of a file that [`Header::from_bytes`] needs.
pub const HEADER_IN_BYTES: usize = 600;
/// Types of nodes, the low five bits of their numbers ([MS-PST] 2.2.2.1).
const TYPE_MASK: u32 = 0x1f;
const FOLDER: u32 = 0x02;
const MESSAGE: u32 = 0x04;

/// How the numbers in a file are laid out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Layout {
    /// The one of Outlook 97 to 2002: numbers of 32 bits, and texts in a code page.
    Ansi,
    /// Since Outlook 2003.
    Unicode,
    /// Since Outlook 2013, of mailboxes that are kept on a server.
    LargePages,
}

/// The beginning of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Header {
    /// How it is laid out.
    pub layout: Layout,
    /// True for the copy of a mailbox on a server (`.ost`).
    pub is_copy: bool,
    /// Where the tree of nodes begins.
    pub nodes_at_in_bytes: u64,
    /// Where the tree of blocks begins.
    pub blocks_at_in_bytes: u64,
}

/// True for the beginning of such a file.
pub fn is_one(beginning: &[u8]) -> bool {
    beginning.starts_with(MAGIC)
}

impl Header {
    /// Reads the first [`HEADER_IN_BYTES`].
    pub fn from_bytes(bytes: &[u8]) -> Result<Self, FormatError> {
        let short = || FormatError::damaged(WHAT, "it ends in its beginning");
        if !is_one(bytes) {
            return Err(FormatError::damaged(WHAT, "it does not begin as one"));
        }
        let version = number(bytes, 10, 2).ok_or_else(short)?;
        let layout = match version {
            14 | 15 => Layout::Ansi,
            23 => Layout::Unicode,
            36.. => Layout::LargePages,
            other => return Err(FormatError::Unsupported { what: WHAT, version: other.to_string() }),
        };
        let (nodes_at, blocks_at) = if layout == Layout::Ansi { (188, 196) } else { (224, 240) };
        let place = |at| number(bytes, at, layout.word());
        Ok(Self {
            layout,
            is_copy: bytes.get(8..10) == Some(b"SO"),
            nodes_at_in_bytes: place(nodes_at).ok_or_else(short)?,
            blocks_at_in_bytes: place(blocks_at).ok_or_else(short)?,
        })
    }
}

impl Layout {
    /// The length of a page.
    pub fn page_in_bytes(self) -> usize {
        match self {
            Self::Ansi | Self::Unicode => 512,
            Self::LargePages => 4096,
        }
    }

    /// Where a page says how many rows it has, and how long that number is.
    fn count_at(self) -> (usize, usize) {
        match self {
            Self::Ansi => (496, 1),
            Self::Unicode => (488, 1),
            Self::LargePages => (4056, 2),
        }
    }

    fn row_length_at(self) -> usize {
        match self {
            Self::Ansi => 498,
            Self::Unicode => 490,
            Self::LargePages => 4060,
        }
    }

    /// Where a page's type stands, twice.
    fn type_at(self) -> usize {
        match self {
            Self::Ansi => 500,
            Self::Unicode => 496,
            Self::LargePages => 4072,
        }
    }

    fn word(self) -> usize {
        if self == Self::Ansi { 4 } else { 8 }
    }
}

/// The letters of a data file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Letters {
    /// How it is laid out.
    pub layout: Layout,
    /// True for the copy of a mailbox on a server.
    pub is_copy: bool,
    /// How many folders hold letters.
    pub folders: u64,
    /// All letters in folders, and what else is in folders that are for nothing else.
    pub messages: u64,
    /// What is in folders for other things.
    pub beside: BesideLetters,
    /// Pages of the tree that could not be read: letters that they name are not counted.
    pub damaged_pages: u64,
}

/// The things of a data file that are no letters.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct BesideLetters {
    /// People, and lists of people.
    pub contacts: u64,
    /// Events in calendars.
    pub events: u64,
    /// Tasks.
    pub tasks: u64,
    /// Notes.
    pub notes: u64,
}

/// Counts the letters of a file. `read` fills a buffer from an offset, and returns how much it has filled.
/// What only lies in the file, because its tree is damaged, is not counted.
pub fn count(read: &dyn Fn(u64, &mut [u8]) -> io::Result<usize>) -> Result<Letters, FormatError> {
    let store = Store::open(read)?;
    let mut folders: BTreeMap<u32, u64> = BTreeMap::new();
    let mut any = false;
    store.each_node(&mut |node| {
        any = true;
        if node.id & TYPE_MASK == MESSAGE && node.parent & TYPE_MASK == FOLDER {
            *folders.entry(node.parent).or_default() += 1;
        }
    });
    if !any && store.damaged_pages() > 0 {
        return Err(FormatError::damaged(WHAT, "the tree of its nodes cannot be read"));
    }
    let Header { layout, is_copy, .. } = store.header();
    let (mut beside, mut letters) = (BesideLetters::default(), BTreeMap::new());
    for (folder, number) in folders {
        let kind = mailbox::kind_of(&store, folder);
        *match kind {
            FolderKind::Contacts => &mut beside.contacts,
            FolderKind::Events => &mut beside.events,
            FolderKind::Tasks => &mut beside.tasks,
            FolderKind::Notes => &mut beside.notes,
            FolderKind::Letters | FolderKind::Other => letters.entry(folder).or_default(),
        } += number;
    }
    Ok(Letters {
        layout,
        is_copy,
        folders: letters.len() as u64,
        messages: letters.values().sum(),
        beside,
        damaged_pages: store.damaged_pages(),
    })
}

fn fill(read: &dyn Fn(u64, &mut [u8]) -> io::Result<usize>, at: u64, buffer: &mut [u8]) -> io::Result<usize> {
    let mut filled = 0;
    while filled < buffer.len() {
        match read(at.saturating_add(filled as u64), &mut buffer[filled..])? {
            0 => break,
            more => filled += more.min(buffer.len() - filled),
        }
    }
    Ok(filled)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn put(bytes: &mut [u8], at: usize, length: usize, number: u64) {
        bytes[at..at + length].copy_from_slice(&number.to_le_bytes()[..length]);
    }

    /// A page at a place of the file.
    fn put_page(file: &mut Vec<u8>, layout: Layout, at: usize, level: u8, rows: &[(u64, u64)]) {
        let (length, word) = (layout.page_in_bytes(), layout.word());
        file.resize(file.len().max(at + length), 0);
        let page = &mut file[at..at + length];
        let row = if level == 0 { 4 * word } else { 3 * word };
        for (number, (first, second)) in rows.iter().enumerate() {
            put(page, number * row, 4, *first);
            let second_at = if level == 0 { 3 * word } else { 2 * word };
            put(page, number * row + second_at, 4, *second);
        }
        let (count_at, count_length) = layout.count_at();
        put(page, count_at, count_length, rows.len() as u64);
        put(page, layout.row_length_at(), 1, row as u64);
        put(page, layout.row_length_at() + 1, 1, level.into());
        put(page, layout.type_at(), 2, 0x8181);
    }

    /// Two folders with three letters, in a tree of two levels.
    fn data_file(layout: Layout, version: u64) -> Vec<u8> {
        let mut file = vec![0; 8192];
        file[..4].copy_from_slice(MAGIC);
        file[8..10].copy_from_slice(b"SM");
        put(&mut file, 10, 2, version);
        let (at, length) = if layout == Layout::Ansi { (188, 4) } else { (224, 8) };
        put(&mut file, at, length, 8192);
        let page = layout.page_in_bytes();
        put_page(&mut file, layout, 8192, 1, &[(0, 8192 + page as u64), (1, 8192 + 2 * page as u64)]);
        // The root folder, the inbox, two letters, and a hidden one.
        let rows = [(0x122, 0x122), (0x8022, 0x122), (0x2004, 0x8022), (0x2024, 0x8022), (0x2048, 0x8022)];
        put_page(&mut file, layout, 8192 + page, 0, &rows);
        // A letter within a letter, and one in another folder.
        put_page(&mut file, layout, 8192 + 2 * page, 0, &[(0x3004, 0x2004), (0x4004, 0x8042)]);
        file
    }

    fn count_in(file: &[u8]) -> Result<Letters, FormatError> {
        count(&|at, buffer| {
            let rest = usize::try_from(at).ok().and_then(|at| file.get(at..)).unwrap_or_default();
            let length = rest.len().min(buffer.len());
            buffer[..length].copy_from_slice(&rest[..length]);
            Ok(length)
        })
    }

    #[test]
    fn letters_are_counted_in_every_layout() {
        for (layout, version) in [(Layout::Ansi, 14), (Layout::Unicode, 23), (Layout::LargePages, 36)] {
            let letters = count_in(&data_file(layout, version)).unwrap();
            assert_eq!((letters.folders, letters.messages), (2, 3), "{layout:?}");
            assert_eq!((letters.layout, letters.is_copy, letters.damaged_pages), (layout, false, 0));
        }
    }

    #[test]
    fn what_is_damaged_is_counted_as_that_and_ends() {
        let layout = Layout::Unicode;
        let file = data_file(layout, 23);
        // A branch that leads to itself, and one page of two that is lost.
        let mut looping = file.clone();
        put_page(&mut looping, layout, 8192, 1, &[(0, 8192), (1, 8192 + 512), (2, 1 << 40)]);
        let letters = count_in(&looping).unwrap();
        assert_eq!((letters.messages, letters.damaged_pages), (2, 2));
        for end in [0, 4, 100, 300, 8192, 8600] {
            assert!(count_in(&file[..end]).is_err(), "cut at {end}");
        }
        assert!(matches!(count_in(&data_file(layout, 20)), Err(FormatError::Unsupported { .. })));
        let mut lying = file;
        lying[8192 + 488] = 255;
        assert!(count_in(&lying).is_err(), "more rows than fit");
    }
}
