//! The folders of a data file, and which letters are in them.

use super::letter::Letter;
use super::properties::Properties;
use super::store::{NodeData, NodeRow, Read, Store};
use super::{FOLDER, MESSAGE, TYPE_MASK, WHAT};
use crate::FormatError;
use std::collections::BTreeMap;

/// Numbers of nodes ([MS-PST] 2.4.1), and of properties ([MS-OXPROPS]).
const STORE: u32 = 0x21;
const NAME: u16 = 0x3001;
const KIND: u16 = 0x3613;
const TOP_OF_MAIL: u16 = 0x35e0;
const CODE_PAGE: u16 = 0x66c3;
/// The folder that a person sees as the top, where the store does not say which it is.
const TOPS: [&str; 3] = ["IPM_SUBTREE", "Top of Personal Folders", "Top of Outlook data file"];
/// Folders in folders are not deeper.
const DEEPEST: usize = 64;

/// A folder with letters in it, or with folders of such.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Folder {
    /// The names from the top of the mailbox to it.
    pub path: Vec<String>,
    /// The kind of things in it, as Outlook calls it: `IPF.Note`, `IPF.Contact`; empty for letters too.
    pub kind: String,
    /// False for what Outlook keeps for itself.
    pub is_of_person: bool,
    /// Its letters and other things, in the order of their numbers.
    pub letters: Vec<NodeRow>,
}

impl Folder {
    /// False for contacts, appointments, tasks and notes.
    pub fn holds_letters(&self) -> bool {
        self.kind.is_empty() || self.kind.to_ascii_lowercase().starts_with("ipf.note")
    }
}

/// An opened mailbox.
pub struct Mailbox<'r> {
    store: Store<'r>,
    /// In the order of their paths.
    pub folders: Vec<Folder>,
    /// Pages of the tree of nodes that could not be read: what they tell of is missing.
    pub damaged_pages: u64,
    code_page: u32,
}

impl<'r> Mailbox<'r> {
    /// Reads the tree of nodes, and the names of the folders.
    pub fn open(read: Read<'r>) -> Result<Self, FormatError> {
        let store = Store::open(read)?;
        let (rows, damaged_pages) = store.nodes();
        if rows.is_empty() {
            return Err(FormatError::damaged(WHAT, "the tree of its nodes cannot be read"));
        }
        let of_store = store.node(STORE)?.and_then(|node| Properties::load(&store, node, 0).ok());
        let of_store = of_store.unwrap_or_default();
        let top = of_store.binary(&store, TOP_OF_MAIL).and_then(|entry| {
            let last: [u8; 4] = entry.get(20..24)?.try_into().ok()?;
            Some(u32::from_le_bytes(last))
        });
        let code_page = of_store.number(CODE_PAGE).unwrap_or(1252);
        let mut letters: BTreeMap<u32, Vec<NodeRow>> = BTreeMap::new();
        let mut above: BTreeMap<u32, NodeRow> = BTreeMap::new();
        for row in rows {
            match row.id & TYPE_MASK {
                FOLDER => drop(above.insert(row.id, row)),
                MESSAGE if row.parent & TYPE_MASK == FOLDER => {
                    letters.entry(row.parent).or_default().push(row);
                }
                _ => {}
            }
        }
        let mut folders = Vec::new();
        for (id, mut own) in letters {
            own.sort_unstable_by_key(|row| row.id);
            let (path, is_of_person) = path_of(&store, &above, id, top);
            let properties =
                above.get(&id).and_then(|row| Properties::load(&store, row.data, code_page).ok());
            let kind = properties.and_then(|properties| properties.text(&store, KIND)).unwrap_or_default();
            folders.push(Folder { path, kind, is_of_person, letters: own });
        }
        if !folders.iter().any(|folder| folder.is_of_person) {
            below_a_known_top(&mut folders);
        }
        folders.sort_by(|a, b| a.path.cmp(&b.path));
        Ok(Self { store, folders, damaged_pages, code_page })
    }

    /// Opens a letter of a folder.
    pub fn letter(&self, row: &NodeRow) -> Result<Letter<'_, 'r>, FormatError> {
        Letter::load(&self.store, row.id, row.data, self.code_page)
    }
}

/// Where the store does not name the top of what a person sees, a folder of its name is it; where there is
/// none either, all is.
fn below_a_known_top(folders: &mut [Folder]) {
    let top_in = |path: &[String]| path.iter().position(|name| TOPS.contains(&name.as_str()));
    let has_top = folders.iter().any(|folder| top_in(&folder.path).is_some());
    for folder in folders {
        match top_in(&folder.path) {
            Some(at) => folder.path = folder.path.split_off(at + 1),
            None if has_top => continue,
            None => {}
        }
        folder.is_of_person = true;
    }
}

/// The names of the folders down to one, and whether it is in what a person sees.
fn path_of(
    store: &Store<'_>,
    above: &BTreeMap<u32, NodeRow>,
    id: u32,
    top: Option<u32>,
) -> (Vec<String>, bool) {
    let mut names = Vec::new();
    let mut at = id;
    while let Some(row) = above.get(&at).filter(|_| names.len() < DEEPEST) {
        if Some(at) == top {
            names.reverse();
            return (names, true);
        }
        names.push(name_of(store, row.data).unwrap_or_else(|| format!("folder {at:x}")));
        if row.parent == at {
            // The root of all has no name of its own.
            names.pop();
            break;
        }
        at = row.parent;
    }
    if names.is_empty() {
        names.push(format!("folder {id:x}"));
    }
    names.reverse();
    (names, false)
}

fn name_of(store: &Store<'_>, node: NodeData) -> Option<String> {
    Properties::load(store, node, 1252).ok()?.text(store, NAME).filter(|name| !name.is_empty())
}
