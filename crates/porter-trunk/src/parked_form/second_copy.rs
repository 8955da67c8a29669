//! The second copy of a parked trunk's list. No pack repeats the list: without it nobody knows the names of
//! the kept files.

use crate::content_hash::in_pieces;
use crate::host::{create_new, open_plain_file};
use crate::lock::Lock;
use crate::outside::Outside;
use crate::packed_form::layout::FileName;
use crate::packed_form::layout::KEPT;
use crate::packed_form::list::{List, newest, publish};
use crate::packed_form::{Parts, Rebuilt, files_in, relabel_hurt, set_aside};
use crate::{Damage, PieceFailed, TrunkError, TrunkId};
use std::io::{BufReader, Write};
use std::path::{Path, PathBuf};

/// Beside the kept files, so that one damaged folder does not cost both.
fn path_of(folder: &Path, number: u32) -> PathBuf {
    FileName::List(number).in_folder(&folder.join(KEPT))
}

fn shown(number: u32) -> String {
    format!("{KEPT}/{}", FileName::List(number))
}

/// Copies a list into a folder, byte by byte: on volumes that share data between files, a clone would be
/// damaged together with its original.
fn copy_into(folder: &Path, number: u32, from: &Path) -> Result<(), TrunkError> {
    let to = FileName::OpenList(number).in_folder(folder);
    let reading = |cause| TrunkError::io("reading", from, cause);
    let writing = |cause| TrunkError::io("writing", &to, cause);
    let mut list = BufReader::new(open_plain_file(from).map_err(reading)?);
    let _ = std::fs::remove_file(&to);
    let mut copy = create_new(&to, false).map_err(writing)?;
    in_pieces(&mut list, |piece| copy.write_all(piece)).map_err(|failed| match failed {
        PieceFailed::Reading(cause) => reading(cause),
        PieceFailed::Using(cause) => writing(cause),
    })?;
    copy.sync_all().map_err(writing)?;
    drop(copy);
    publish(folder, number)
}

/// Makes the second copy of a list, which may not be published yet.
pub(super) fn make(folder: &Path, number: u32, list: &Path) -> Result<(), TrunkError> {
    copy_into(&folder.join(KEPT), number, list)
}

/// The damage of the second copy; with `is_thorough` all of it is read.
pub(super) fn damage(folder: &Path, number: u32, trunk: &TrunkId, is_thorough: bool) -> Option<Damage> {
    let path = path_of(folder, number);
    if !path.is_file() {
        return Some(Damage::FileMissing(shown(number)));
    }
    (is_thorough && !is_whole(&path, number, trunk)).then(|| Damage::ContentChanged(shown(number)))
}

fn is_whole(list: &Path, number: u32, trunk: &TrunkId) -> bool {
    List::open_whole(list, number, trunk, None).is_some()
}

/// Rewrites a parked trunk's list from its second copy if it cannot be used, or the second copy from the
/// list. The rest of the damaged list is set aside.
pub fn mend(folder: &Path) -> Result<Rebuilt, TrunkError> {
    let trunk = Outside::load(folder)?.trunk_id;
    let _lock = Lock::take(folder)?;
    let parts = Parts::load(&[folder.to_path_buf()])?;
    let newest = newest(&parts)?;
    // If a list is lost altogether, the second copy is there, and the list of the state before it.
    let copied = highest(folder).unwrap_or_default();
    let is_last = |(path, number): &&(PathBuf, u32)| *number >= copied && is_whole(path, *number, &trunk);
    if let Some((path, number)) = newest.as_ref().filter(is_last) {
        if damage(folder, *number, &trunk, true).is_none() {
            let pinned = List::open(path, *number, &trunk, None)?.contents.parts;
            let relabelled = relabel_hurt(&parts, None, Some(&pinned))?;
            return Ok(if relabelled { Rebuilt::Label } else { Rebuilt::NotNeeded });
        }
        make(folder, *number, path)?;
        return Ok(Rebuilt::SecondCopy);
    }
    // An earlier state is not taken for the one that was lost.
    let at_least = newest.as_ref().map_or(1, |(_, number)| *number);
    let second = path_of(folder, copied);
    if copied < at_least || !is_whole(&second, copied, &trunk) {
        let name = FileName::List(at_least).to_string();
        let is_there = newest.is_some();
        return Err(TrunkError::Damaged(if is_there {
            Damage::ContentChanged(name)
        } else {
            Damage::FileMissing(name)
        }));
    }
    if let Some((path, _)) = newest.filter(|(_, number)| *number == copied) {
        set_aside(&path)?;
    }
    copy_into(folder, copied, &second)?;
    Ok(Rebuilt::FromSecondCopy)
}

/// The number of the latest list that was copied.
pub(super) fn highest(folder: &Path) -> Option<u32> {
    let files = files_in(&folder.join(KEPT)).ok()?;
    files.into_iter().rev().find_map(|(name, _)| match name {
        FileName::List(number) => Some(number),
        FileName::Pack(_) | FileName::OpenPack(_) | FileName::OpenList(_) => None,
    })
}
