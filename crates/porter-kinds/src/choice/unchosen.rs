//! Parts of the chosen items that are not chosen: folders that were left out by hand, and files by name or by
//! size.

use crate::catalogue::patterns::{Candidate, Patterns, in_lower_case};
use crate::item::Item;
use crate::part::Part;
use porter_names::RelativePath;
use porter_source::{EntryKind, Metadata};
use std::collections::{BTreeMap, BTreeSet};

/// The parts left out of items that are carried.
#[derive(Debug, Clone, Default)]
pub struct Unchosen {
    /// By id of the item, folders by [`folder_key`].
    pub folders: BTreeMap<String, BTreeSet<String>>,
    /// Files with such names.
    pub files: Patterns,
    /// Files of more bytes than this.
    pub files_over_in_bytes: Option<u64>,
}

const FOLDER: &str = "a folder that was left out by choice";
const FILES: &str = "files with such names were left out by choice";
const OVER: &str = "files so large were left out by choice";

impl Unchosen {
    /// Why an entry at `path` below the place of a part is left out; none if it is carried.
    pub fn why(
        &self,
        item: &Item,
        part: &Part,
        path: &RelativePath,
        metadata: &Metadata,
    ) -> Option<&'static str> {
        match metadata.kind {
            EntryKind::Folder => {
                let folders = self.folders.get(&item.id)?;
                folders.contains(&folder_key(part, path)).then_some(FOLDER)
            }
            EntryKind::File => {
                if self.files_over_in_bytes.is_some_and(|most| metadata.size_in_bytes > most) {
                    return Some(OVER);
                }
                if self.files.is_empty() {
                    return None;
                }
                let name = RelativePath::root().join(path.name()?).ok()?;
                self.files.fit(&Candidate::new(&*in_lower_case(&name))).then_some(FILES)
            }
            EntryKind::Link | EntryKind::Other => None,
        }
    }
}

/// How a folder in an item is named on a packing list: by its place and path, harmless to show.
pub fn folder_key(part: &Part, path: &RelativePath) -> String {
    format!("{}/{path}", part.place.name())
}
