//! The entries that a plan has steps for. A few are kept, so that the list is read once; many are not kept,
//! but read again when their turn comes.

use porter_trunk::Entry;

/// As much memory as entries may take. A million of them would take ten times that.
const MOST_IN_BYTES: usize = 40 << 20;

/// The number of entries on a shelf: one long row would be copied again and again while it grows, into memory
/// that is dear to touch first.
const ON_A_SHELF: usize = 1024;

/// See the module.
pub(super) enum Kept {
    /// With their rows in the trunk's list.
    All {
        shelves: Vec<Vec<(u32, Entry)>>,
        size_in_bytes: usize,
    },
    TooMany,
}

impl Kept {
    pub(super) fn nothing_yet() -> Self {
        Self::All { shelves: Vec::new(), size_in_bytes: 0 }
    }

    pub(super) fn keep(&mut self, number: u32, entry: Entry) {
        let Self::All { shelves, size_in_bytes } = self else { return };
        *size_in_bytes += size_in_memory(&entry);
        if *size_in_bytes > MOST_IN_BYTES {
            *self = Self::TooMany;
            return;
        }
        match shelves.last_mut() {
            Some(shelf) if shelf.len() < ON_A_SHELF => shelf.push((number, entry)),
            _ => {
                let mut shelf = Vec::with_capacity(ON_A_SHELF);
                shelf.push((number, entry));
                shelves.push(shelf);
            }
        }
    }

    /// The same for an entry that somebody else needs as well.
    pub(super) fn keep_copy(&mut self, number: u32, entry: &Entry) {
        if let Self::All { .. } = self {
            self.keep(number, entry.clone());
        }
    }

    /// None if they were too many.
    pub(super) fn all(&self) -> Option<impl Iterator<Item = &(u32, Entry)>> {
        match self {
            Self::All { shelves, .. } => Some(shelves.iter().flatten()),
            Self::TooMany => None,
        }
    }
}

/// About as much as it takes: texts and what they cost beside their letters.
fn size_in_memory(entry: &Entry) -> usize {
    const FOR_A_TEXT: usize = 16;
    let streams: usize = entry.streams.iter().map(|stream| stream.content.len() + 2 * FOR_A_TEXT).sum();
    size_of::<(u32, Entry)>()
        + entry.item.len()
        + entry.address.path.as_bytes().len()
        + 5 * FOR_A_TEXT
        + streams
}
