//! The folders of a data file, and which letters are in them.

use super::header::{Read, WHAT};
use super::store::{FOLDER, MESSAGE, NodeRow, Store, TYPE_MASK};
use crate::FormatError;
use crate::mail::mapi::properties::{Holder, NodeData, Properties};
use crate::mail::mapi::thing::Thing;
use crate::mail::role::Role;
use std::collections::BTreeMap;

/// Numbers of nodes ([MS-PST] 2.4.1), and of properties ([MS-OXPROPS]).
const STORE: u32 = 0x21;
const NAME: u16 = 0x3001;
const KIND: u16 = 0x3613;
const TOP_OF_MAIL: u16 = 0x35e0;
/// Folders of a role that the store names, and those that its root names.
const ROLES: [(u16, Role); 3] = [(0x35e2, Role::Outbox), (0x35e3, Role::Deleted), (0x35e4, Role::Sent)];
const DRAFTS: u16 = 0x36d7;
const FURTHER: u16 = 0x36d8;
const JUNK_OF_FURTHER: usize = 4;
/// The folder with all others in it.
const ROOT: u32 = 0x122;
const CODE_PAGE: u16 = 0x66c3;
/// The folder that a person sees as the top, where the store does not say which it is.
const TOPS: [&str; 3] = ["IPM_SUBTREE", "Top of Personal Folders", "Top of Outlook data file"];
/// The folder of all whose own folder is lost, and its number.
const NOWHERE: u32 = 0;
const RECOVERED: &str = "Recovered";
/// Folders in folders are not deeper.
const DEEPEST: usize = 64;

/// A folder with letters in it, or with folders of such.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Folder {
    /// The names from the top of the mailbox to it.
    pub path: Vec<String>,
    /// Its content.
    pub kind: FolderKind,
    /// False for what Outlook keeps for itself.
    pub is_of_person: bool,
    /// Its role.
    pub role: Role,
    /// Its letters and other things, in the order of their numbers.
    pub letters: Vec<NodeRow>,
}

/// The kinds of folders.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum FolderKind {
    /// Letters, and what is sent as one.
    #[default]
    Letters,
    /// People, and lists of people.
    Contacts,
    /// Events.
    Events,
    /// Tasks.
    Tasks,
    /// Notes.
    Notes,
    /// Notes of somebody's work.
    Journal,
    /// Anything else.
    Other,
}

impl FolderKind {
    /// As Outlook calls it.
    fn of_class(class: &str) -> Self {
        let class = class.to_ascii_lowercase();
        let kinds = [
            ("ipf.note", Self::Letters),
            ("ipf.contact", Self::Contacts),
            ("ipf.appointment", Self::Events),
            ("ipf.task", Self::Tasks),
            ("ipf.stickynote", Self::Notes),
            ("ipf.journal", Self::Journal),
        ];
        match kinds.iter().find(|(name, _)| class.starts_with(name)) {
            Some((_, kind)) => *kind,
            None if class.is_empty() => Self::Letters,
            None => Self::Other,
        }
    }
}

/// The kind of a folder: letters, if that cannot be read.
pub(super) fn kind_of(store: &Store<'_>, id: u32) -> FolderKind {
    let properties = store.node(id).and_then(|node| store.properties(node, 1252).ok());
    let class = properties.and_then(|properties| properties.text(store, KIND));
    class.map(|class| FolderKind::of_class(&class)).unwrap_or_default()
}

/// An opened mailbox.
pub struct Mailbox<'r> {
    store: Store<'r>,
    /// In the order of their paths.
    pub folders: Vec<Folder>,
    /// Pages of the tree of nodes that could not be read: some of what they told of may be missing.
    pub damaged_pages: u64,
    code_page: u32,
}

impl<'r> Mailbox<'r> {
    /// Reads the tree of nodes, and the names of the folders.
    pub fn open(read: Read<'r>) -> Result<Self, FormatError> {
        let store = Store::open(read)?;
        let rows = store.nodes();
        if rows.is_empty() {
            return Err(FormatError::damaged(WHAT, "the tree of its nodes cannot be read"));
        }
        let of_store = store.node(STORE).and_then(|node| store.properties(node, 0).ok());
        let of_store = of_store.unwrap_or_default();
        let top = of_store.binary(&store, TOP_OF_MAIL).and_then(|entry| folder_in(&entry));
        let roles = roles_of(&store, &of_store);
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
        let lost: Vec<u32> = letters.keys().filter(|id| !above.contains_key(id)).copied().collect();
        for id in lost {
            let own = letters.remove(&id).unwrap_or_default();
            letters.entry(NOWHERE).or_default().extend(own);
        }
        let mut folders = Vec::new();
        for (id, mut own) in letters {
            own.sort_unstable_by_key(|row| row.id);
            let (path, is_of_person) = path_of(&store, &above, id, top);
            let kind = kind_of(&store, id);
            let known = roles.iter().find(|(own, _)| *own == id).map(|(_, role)| *role);
            let of_name = || path.last().map(|name| Role::of_name(name)).unwrap_or_default();
            let role = known.unwrap_or_else(of_name);
            folders.push(Folder { path, kind, is_of_person, role, letters: own });
        }
        if !folders.iter().any(|folder| folder.is_of_person) {
            below_a_known_top(&mut folders);
        }
        folders.sort_by(|a, b| a.path.cmp(&b.path));
        let damaged_pages = store.damaged_pages();
        Ok(Self { store, folders, damaged_pages, code_page })
    }

    /// Opens a letter, or another thing, of a folder.
    pub fn thing(&self, row: &NodeRow) -> Result<Thing<'_>, FormatError> {
        Thing::load(&self.store, row.id, row.data, self.code_page)
    }
}

/// The folder that an entry names ([MS-PST] 2.4.3.2).
fn folder_in(entry: &[u8]) -> Option<u32> {
    entry.get(20..24)?.try_into().ok().map(u32::from_le_bytes)
}

/// The folders that the store says the role of.
fn roles_of(store: &Store<'_>, of_store: &Properties) -> Vec<(u32, Role)> {
    let root = store.node(ROOT).and_then(|node| store.properties(node, 0).ok()).unwrap_or_default();
    let named = ROLES.iter().filter_map(|(id, role)| Some((of_store.binary(store, *id)?, *role)));
    let of_root = root.binary(store, DRAFTS).map(|entry| (entry, Role::Drafts));
    let further = root.binaries(store, FURTHER);
    let junk = further.get(JUNK_OF_FURTHER).map(|entry| (entry.clone(), Role::Junk));
    named.chain(of_root).chain(junk).filter_map(|(entry, role)| Some((folder_in(&entry)?, role))).collect()
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
        if row.parent == at {
            // The root of all has no name of its own.
            if names.is_empty() {
                names.push(format!("folder {id:x}"));
            }
            names.reverse();
            return (names, false);
        }
        names.push(name_of(store, row.data).unwrap_or_else(|| format!("folder {at:x}")));
        at = row.parent;
    }
    // Nothing tells where it was.
    names.push(RECOVERED.to_owned());
    names.reverse();
    (names, true)
}

fn name_of(store: &Store<'_>, node: NodeData) -> Option<String> {
    store.properties(node, 1252).ok()?.text(store, NAME).filter(|name| !name.is_empty())
}
