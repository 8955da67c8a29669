//! The letters of a data file, counted by the tree of its nodes alone.

use super::header::{Header, Layout, Read, WHAT};
use super::mailbox::{self, FolderKind};
use super::store::{FOLDER, MESSAGE, Store, TYPE_MASK};
use crate::FormatError;
use std::collections::BTreeMap;

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
    /// Things in folders that are not for letters.
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
/// Letters that only lie in the file, because its tree is damaged, are not counted.
pub fn count(read: Read<'_>) -> Result<Letters, FormatError> {
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
            FolderKind::Letters | FolderKind::Journal | FolderKind::Other => {
                letters.entry(folder).or_default()
            }
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mail::pst::header::MAGIC;

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
