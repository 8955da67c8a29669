//! Files of a trunk that a kind has to understand before anything lands.

use porter_trunk::{Content, ContentHash, Entry, Trunk, TrunkError, TrunkItem};
use std::io::Read;

/// The files of an item.
pub(crate) fn files_of<'t>(
    trunk: &'t dyn Trunk,
    item: &'t TrunkItem,
) -> Result<impl Iterator<Item = Entry> + 't, TrunkError> {
    let is_file = |entry: &Entry| entry.item == item.id && matches!(entry.content, Content::File { .. });
    Ok(trunk.entries()?.flatten().filter(is_file))
}

/// The content of a file; none if it is longer, incomplete, or not what was captured.
pub(crate) fn read(trunk: &dyn Trunk, entry: &Entry, most_in_bytes: u64) -> Option<Vec<u8>> {
    let Content::File { hash, size_in_bytes } = entry.content else { return None };
    if size_in_bytes > most_in_bytes || entry.is_incomplete() {
        return None;
    }
    let mut content = Vec::new();
    trunk.open_content(entry).ok()?.take(most_in_bytes).read_to_end(&mut content).ok()?;
    (ContentHash::of(&content) == hash).then_some(content)
}
