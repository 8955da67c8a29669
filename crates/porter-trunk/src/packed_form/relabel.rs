//! A label made anew, where it was lost: every pack tells, at its beginning, of the whole trunk, and so does a list.

use super::block_file::{BlockFile, Role};
use super::layout::{FileName, LABEL};
use super::list::{Contents, contents_of};
use super::parts::{Opener, unlock_with, wraps_in};
use super::rebuild::SET_ASIDE;
use crate::outside::{Keeping, Outside};
use crate::sealing::TrunkKey;
use crate::{Damage, TrunkError};
use std::path::{Path, PathBuf};

/// Whether a folder has packs or lists, and no label that can be read: then true if they are sealed. None if all is well with its label, a later
/// porter wrote it, or it is no packed or parked trunk.
pub fn lacks_label(folder: &Path) -> Option<bool> {
    if !matches!(Outside::load(folder), Err(TrunkError::NotATrunk { .. } | TrunkError::Damaged(_))) {
        return None;
    }
    let sealed = |(role, number, path): File| {
        Some(BlockFile::salvage(&path, role, number, None, None, &[]).ok()?.head.sealed)
    };
    files_in(folder).ok()?.into_iter().find_map(sealed)
}

/// Makes the labels anew that a trunk in these folders lacks; what is left of an old one is set aside. With the first pack, or the label of another
/// part, they become what they were, to the byte.
pub fn relabel(folders: &[PathBuf], opener: Option<&Opener>) -> Result<(), TrunkError> {
    let lost = || TrunkError::Damaged(Damage::FileMissing(LABEL.to_owned()));
    let files: Vec<Vec<File>> = folders.iter().map(|folder| files_in(folder)).collect::<Result<_, _>>()?;
    let lacking: Vec<(usize, bool)> =
        (0..folders.len()).filter_map(|at| Some((at, lacks_label(&folders[at])?))).collect();
    let sealed = lacking.iter().any(|(_, sealed)| *sealed);
    let key = match folders.first().filter(|_| sealed) {
        Some(folder) => Some(unlock_with(&wraps_in(folder)?, folder, opener)?),
        None => None,
    };
    let mut told: Vec<(&File, Contents)> =
        files.iter().flatten().filter_map(|file| Some((file, tells(file, key.as_ref())?))).collect();
    // The label is that of the first run, which the first pack tells of; lists come after all packs.
    told.sort_by_key(|((role, number, _), _)| (*role != Role::Pack, *number));
    let of_other_part = folders.iter().find_map(|folder| Outside::load(folder).ok());
    let has_packs = files.iter().flatten().any(|(role, ..)| *role == Role::Pack);
    let form = if has_packs { Keeping::Packed } else { Keeping::Parked };
    let of_first_run = || Some(Outside::new(&told.first()?.1.label, form, sealed));
    let outside = of_other_part.or_else(of_first_run).ok_or_else(lost)?;
    for (at, sealed) in lacking {
        let is_of_it = |(role, number, path): &File| {
            BlockFile::salvage(path, *role, *number, Some(&outside.trunk_id), None, &[]).is_ok()
        };
        if !files[at].iter().any(is_of_it) {
            return Err(TrunkError::Damaged(Damage::Misplaced(folders[at].display().to_string())));
        }
        // Only a list knows which packs lie in which part.
        let mut numbers =
            files[at].iter().filter(|(role, ..)| *role == Role::Pack).map(|(_, number, _)| *number);
        let rows = || told.iter().flat_map(|(_, contents)| &contents.packs);
        let part = match numbers.clone().find_map(|number| rows().find(|row| row.number == number)) {
            Some(row) => row.part,
            None if numbers.next().is_none_or(|first| first == 1) => 1,
            None => return Err(lost()),
        };
        let path = folders[at].join(LABEL);
        if path.exists() {
            let aside = folders[at].join(format!("{LABEL}{SET_ASIDE}"));
            std::fs::rename(&path, aside).map_err(|cause| TrunkError::io("setting aside", &path, cause))?;
        }
        crate::host::replace(&path, &outside.clone().of_part(part).to_bytes(), sealed)
            .map_err(|cause| TrunkError::io("writing", &path, cause))?;
    }
    Ok(())
}

/// A pack or list, by its number.
type File = (Role, u32, PathBuf);

fn files_in(folder: &Path) -> Result<Vec<File>, TrunkError> {
    let failed = |cause| TrunkError::io("looking into", folder, cause);
    let mut files = Vec::new();
    for row in std::fs::read_dir(folder).map_err(failed)? {
        let row = row.map_err(failed)?;
        match row.file_name().to_str().and_then(FileName::parse) {
            Some(FileName::Pack(number)) => files.push((Role::Pack, number, row.path())),
            Some(FileName::List(number)) => files.push((Role::List, number, row.path())),
            Some(FileName::OpenPack(_) | FileName::OpenList(_)) | None => {}
        }
    }
    files.sort_by_key(|(role, number, _)| (*role != Role::Pack, *number));
    Ok(files)
}

/// What a file says of the whole trunk, if it can be believed: it is of the trunk that it tells of.
fn tells((role, number, path): &File, key: Option<&TrunkKey>) -> Option<Contents> {
    let file = BlockFile::salvage(path, *role, *number, None, key, &[]).ok()?;
    contents_of(&file).ok().filter(|contents| file.head.is_of(&contents.label.trunk_id))
}
