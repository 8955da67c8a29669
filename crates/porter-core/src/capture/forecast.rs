//! An estimate of a capture, before its first byte.

use super::CaptureError;
use crate::survey::Survey;
use porter_kinds::item::Item;
use porter_kinds::part::What;
use porter_machine::Machine;
use porter_names::RelativePath;
use porter_trunk::{Tally, TrunkError, free_space_in_bytes, largest_file_in_bytes};
use std::path::{Path, PathBuf};

/// The last block of a file is half empty on average; this is for blocks of 8 KiB.
const BLOCK_LOSS_PER_FILE_IN_BYTES: u64 = 4096;
/// Lines in the lists of entries and hashes.
const LINES_PER_ENTRY_IN_BYTES: u64 = 1024;

/// Heads, indexes and labels of a trunk with hardly anything in it.
const PACKS_ALONE_IN_BYTES: u64 = 256 * 1024;

/// An estimate of a capture.
#[derive(Debug, Clone, Copy)]
pub struct Forecast {
    /// The files that will be captured.
    pub to_capture: Tally,
    /// The space that the trunk may take on its volume.
    pub needed_in_bytes: u64,
    /// The free space of its volume.
    pub free_in_bytes: u64,
    /// Files that are too large for its file system, and will be left.
    pub too_large: u64,
}

/// How a trunk takes room.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Shape {
    /// A file for each file.
    Files,
    /// A second name for each file.
    Links,
    /// Packs of contents.
    Packs {
        /// Contents that are already safe in the trunk and will not be written again.
        already_in_bytes: u64,
        /// Spare data beside it, as a share.
        spare_in_percent: f64,
    },
}

/// Refuses what cannot go well: nothing chosen, no room, or a trunk on the old machine itself. `may_not_fit`
/// lets it begin although it may not fit: contents may be compressible, or alike.
pub fn forecast(
    machine: &Machine,
    survey: &Survey,
    trunk: &Path,
    shape: Shape,
    may_not_fit: bool,
) -> Result<Forecast, CaptureError> {
    let mut to_capture = Tally::default();
    let chosen = survey.items.iter().filter(|row| row.chosen);
    chosen.clone().for_each(|row| to_capture += row.to_capture);
    if to_capture.entries() == 0 && chosen.clone().all(|row| row.item.facts.is_empty()) {
        return Err(CaptureError::NothingChosen);
    }
    if let Some(outer) = std::path::absolute(trunk).ok().and_then(|trunk| trunk_around(trunk.parent()?)) {
        return Err(CaptureError::TrunkInTrunk(outer));
    }
    let failed =
        |cause| CaptureError::Trunk(TrunkError::Io { doing: "looking at", path: trunk.to_path_buf(), cause });
    let there = nearest_there(trunk).map_err(failed)?;
    if machine.here.is_some() || shape == Shape::Links {
        // The running machine's drives hold everything, the stick too; only what is captured is forbidden
        // ground.
        if let Some(item) = captured_with(machine, survey, &there) {
            return Err(CaptureError::TrunkInItem { trunk: trunk.to_path_buf(), item: item.to_owned() });
        }
    } else if machine.volume.host_tree().is_some_and(|tree| there.starts_with(tree.root()))
        || machine.volume.is_on_same_drive(&there)
    {
        return Err(CaptureError::TrunkOnOldMachine(trunk.to_path_buf()));
    }
    let free_in_bytes = free_space_in_bytes(trunk).map_err(failed)?;
    let needed_in_bytes = shape.needed_in_bytes(to_capture);
    if needed_in_bytes > free_in_bytes && !may_not_fit {
        return Err(CaptureError::NoRoom { needed_in_bytes, free_in_bytes });
    }
    let holds_any = shape != Shape::Files || largest_file_in_bytes(trunk).is_none();
    let too_large = if holds_any { 0 } else { chosen.map(|row| row.too_large_for_fat32).sum() };
    Ok(Forecast { to_capture, needed_in_bytes, free_in_bytes, too_large })
}

/// The trunk that a folder is, or lies in, whether it is there yet or not: nothing may be written there that
/// is not the trunk's.
pub fn trunk_around(folder: &Path) -> Option<PathBuf> {
    let typed = std::path::absolute(folder).ok()?;
    let behind_links = nearest_there(&typed).ok();
    let above = typed.ancestors().chain(behind_links.iter().flat_map(|there| there.ancestors()));
    above.into_iter().find(|above| is_trunk(above)).map(Path::to_path_buf)
}

/// Takes the trunk that a capture goes on with from what is found at the root of the old drive: it is not to
/// capture itself.
pub fn pass_by(machine: &mut Machine, trunk: &Path) {
    let Some(tree) = machine.volume.host_tree().cloned() else { return };
    let Ok(trunk) = std::fs::canonicalize(trunk) else { return };
    if is_trunk(&trunk) {
        let path_of = |name: &[u8]| tree.host_path(&RelativePath::root().join(name).ok()?).ok();
        let is_the_trunk = |name: &[u8]| {
            path_of(name).and_then(|path| std::fs::canonicalize(path).ok()) == Some(trunk.clone())
        };
        machine.at_root.retain(|row| !is_the_trunk(&row.name));
    }
}

/// An open trunk, or a packed one.
fn is_trunk(folder: &Path) -> bool {
    folder.join("bagit.txt").exists() || porter_trunk::outside::Outside::load(folder).is_ok()
}

impl Shape {
    /// The space that a trunk may take on its volume for this many files. Packs mostly take less: the
    /// estimate assumes contents that are neither compressible nor alike.
    pub fn needed_in_bytes(self, to_capture: Tally) -> u64 {
        let lines_in_bytes = to_capture.entries().saturating_mul(LINES_PER_ENTRY_IN_BYTES);
        match self {
            Self::Files => to_capture
                .size_in_bytes
                .saturating_add(to_capture.files.saturating_mul(BLOCK_LOSS_PER_FILE_IN_BYTES))
                .saturating_add(lines_in_bytes),
            Self::Links => lines_in_bytes.saturating_add(PACKS_ALONE_IN_BYTES),
            Self::Packs { already_in_bytes, spare_in_percent } => {
                let packs_in_bytes = to_capture
                    .size_in_bytes
                    .saturating_sub(already_in_bytes)
                    .saturating_add(lines_in_bytes / 2)
                    .saturating_add(PACKS_ALONE_IN_BYTES);
                (packs_in_bytes as f64 * (1.0 + spare_in_percent / 100.0)).ceil() as u64
            }
        }
    }
}

/// The chosen item that a folder is in, and that would capture it.
fn captured_with<'s>(machine: &Machine, survey: &'s Survey, folder: &Path) -> Option<&'s str> {
    let tree = machine.volume.host_tree()?;
    let holds = |item: &Item| {
        let mut folders = item.parts.iter().filter(|part| part.what != What::LooseFiles);
        folders.any(|part| {
            let path = item.path_of(part, machine).and_then(|path| tree.host_path(&path).ok());
            path.is_some_and(|path| folder.starts_with(path))
        })
    };
    let chosen = survey.items.iter().filter(|row| row.chosen);
    chosen.map(|row| &row.item).find(|item| holds(item)).map(|item| item.id.as_str())
}

/// The folder itself, or the nearest one above it that is there, without links.
fn nearest_there(folder: &Path) -> std::io::Result<PathBuf> {
    let folder = std::path::absolute(folder)?;
    let there = folder.ancestors().find(|f| f.exists()).unwrap_or(&folder);
    std::fs::canonicalize(there)
}
