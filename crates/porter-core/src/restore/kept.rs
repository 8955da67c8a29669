//! The entries that a plan has steps for: kept while they are few, so that the list is read once. Of many nothing is kept; they are read
//! again when their turn comes.

use porter_trunk::Entry;

/// As much memory as entries may take. A million of them would take ten times that.
const MOST_IN_BYTES: usize = 40 << 20;

/// See the module.
pub(super) enum Kept {
    /// With their rows in the trunk's list.
    All {
        entries: Vec<(u32, Entry)>,
        size_in_bytes: usize,
    },
    TooMany,
}

impl Kept {
    pub(super) fn nothing_yet() -> Self {
        Self::All { entries: Vec::new(), size_in_bytes: 0 }
    }

    pub(super) fn keep(&mut self, number: u32, entry: Entry) {
        let Self::All { entries, size_in_bytes } = self else { return };
        *size_in_bytes += size_in_memory(&entry);
        if *size_in_bytes > MOST_IN_BYTES {
            *self = Self::TooMany;
        } else {
            entries.push((number, entry));
        }
    }

    /// The same for an entry that somebody else needs as well.
    pub(super) fn keep_copy(&mut self, number: u32, entry: &Entry) {
        if let Self::All { .. } = self {
            self.keep(number, entry.clone());
        }
    }

    /// None if they were too many.
    pub(super) fn all(&self) -> Option<&[(u32, Entry)]> {
        match self {
            Self::All { entries, .. } => Some(entries),
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
