//! Rules that look into a file where names and patterns cannot decide its fate.

use porter_formats::folder_looks;
use porter_machine::Machine;
use porter_machine::small_file;
use porter_names::RelativePath;
use porter_source::{EntryKind, Listed};

/// Why what is in a trunk is not carried.
pub const TRUNK: &str =
    "a trunk that porter made, which is not packed into another one: copy it, or capture its machine";
/// Nobody writes more into one.
const LARGEST_LOOKS_IN_BYTES: u64 = 64 << 10;

/// True for a `desktop.ini` in which a person chose something.
pub(crate) fn has_own_looks(machine: &Machine, at: &RelativePath, row: &Listed) -> bool {
    row.name.eq_ignore_ascii_case(b"desktop.ini")
        && row.metadata.kind == EntryKind::File
        && row.metadata.size_in_bytes <= LARGEST_LOOKS_IN_BYTES
        && small_file::read(&*machine.volume, at).is_some_and(|file| folder_looks::are_own(&file))
}

/// True for a folder that is a trunk, of whatever form: it has a label of porter's, and lists or a bag beside
/// it.
pub(crate) fn is_trunk(machine: &Machine, folder: &RelativePath, rows: &[Listed]) -> bool {
    let has = |name: &[u8], kind| rows.iter().any(|row| row.name == name && row.metadata.kind == kind);
    let has_list = rows.iter().any(|row| row.name.ends_with(b".list") || row.name.ends_with(b".pack"));
    let label: &[u8] = if has(b"label.json", EntryKind::File) && (has_list || has(b"kept", EntryKind::Folder))
    {
        b"label.json"
    } else if has(b"bagit.txt", EntryKind::File) && has(b"porter", EntryKind::Folder) {
        b"porter/label.json"
    } else {
        return false;
    };
    let Ok(below) = RelativePath::from_bytes(label) else { return false };
    let Some(label) = folder.join_path(&below).ok().and_then(|at| small_file::read(&*machine.volume, &at))
    else {
        return false;
    };
    let label: Option<serde_json::Value> = serde_json::from_slice(&label).ok();
    label.is_some_and(|label| label.get("trunk_id").is_some() && label.get("made_by").is_some())
}
