//! Where things lie in an open trunk.

use crate::entry::marked_incomplete;
use crate::{Entry, EntryAddress};
use porter_names::{NameRules, PathRefused, RelativePath};

pub(super) const BAG_DECLARATION: &str = "bagit.txt";
/// RFC 8493, 2.1.1.
pub(super) const BAG_DECLARATION_TEXT: &str = "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n";
pub(super) const BAG_INFO: &str = "bag-info.txt";
pub(super) const MANIFEST: &str = "manifest-sha512.txt";
pub(crate) const TAG_MANIFEST: &str = "tagmanifest-sha512.txt";
pub(super) const PAYLOAD: &str = "data";
pub(super) const OWN_FOLDER: &str = "porter";
pub(super) const LABEL: &str = "porter/label.json";
pub(super) const ITEMS: &str = "porter/items.json";
pub(super) const ENTRIES: &str = "porter/entries.jsonl";
pub(super) const LEFT: &str = "porter/left.jsonl";
/// Trunks of version 1.0 have none.
pub(super) const PROGRAMS: &str = "porter/programs.json";

/// Who made it. No manifest names it: it is of the tag manifest, and made after it.
pub(crate) const SIGNATURE: &str = "porter/signature.json";

/// All tag files that the tag manifest has to name.
pub(super) const TAG_FILES: [&str; 8] =
    [BAG_DECLARATION, BAG_INFO, MANIFEST, LABEL, ITEMS, ENTRIES, LEFT, PROGRAMS];

/// The folder for what belongs to nobody. No account has this id.
pub(super) const MACHINE_OWNER: &str = "machine";

/// Where the content of an entry lies, below the trunk's folder.
pub(super) fn payload_path(address: &EntryAddress) -> Result<RelativePath, PathRefused> {
    RelativePath::root()
        .join(PAYLOAD.as_bytes())?
        .join(address.owner.as_deref().unwrap_or(MACHINE_OWNER).as_bytes())?
        .join(address.place.as_bytes())?
        .join_path(address.safe_path.as_ref().unwrap_or(&address.path))
}

/// The same for an entry: nobody who browses the trunk takes an incomplete file for a whole one.
pub(super) fn payload_path_of(entry: &Entry) -> Result<RelativePath, PathRefused> {
    let path = payload_path(&entry.address)?;
    Ok(if entry.is_incomplete() { marked_incomplete(&path, NameRules::TRUNK) } else { path })
}
