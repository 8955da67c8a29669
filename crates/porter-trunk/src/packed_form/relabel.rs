//! A label rebuilt where it was lost: every pack describes the whole trunk at its beginning, and so does a
//! list.

use super::block_file::{BlockFile, heads_of};
use super::file_frame::{FileHead, Role};
use super::layout::{FileName, LABEL};
use super::list::{Contents, contents_of};
use super::part_row::PartRow;
use super::parts::{Opener, Parts, files_in, unlock_with};
use super::seal_files::SealFiles;
use super::set_aside::set_aside;
use crate::lock::Lock;
use crate::outside::{Keeping, Outside};
use crate::packed_form::layout::KEPT;
use crate::sealing::TrunkKey;
use crate::{Damage, TrunkError};
use std::path::{Path, PathBuf};

/// Whether a folder has packs or lists, and no label that can be read and is theirs: then true if they are
/// sealed. None if its label is whole, a later porter wrote it, or the folder is not a packed or parked
/// trunk.
pub fn lacks_label(folder: &Path) -> Option<bool> {
    let outside = match Outside::load(folder) {
        Ok(outside) => Some(outside),
        Err(TrunkError::NotATrunk { .. } | TrunkError::Damaged(_)) => None,
        Err(_) => return None,
    };
    let files = finished_in(folder).ok()?;
    let heads = heads_in(&files);
    let sealed = heads.first()?.sealed;
    let has_packs = files.iter().any(|(name, _)| matches!(name, FileName::Pack(_)));
    let is_theirs = outside.is_some_and(|outside| {
        let fits = |head: &FileHead| head.is_of(&outside.trunk_id) && head.sealed == outside.sealed;
        heads.iter().any(fits) && !(has_packs && outside.form == Keeping::Parked)
    });
    (!is_theirs).then_some(sealed)
}

/// Rebuilds the missing labels of a trunk in these folders; the rest of an old one is set aside. With the
/// first pack, or the label of another part, they become the same to the byte.
pub fn relabel(folders: &[PathBuf], opener: Option<&Opener>) -> Result<(), TrunkError> {
    let lost = || TrunkError::Damaged(Damage::FileMissing(LABEL.to_owned()));
    let _locks = Lock::take_all(folders.iter().map(PathBuf::as_path))?;
    let files: Vec<Vec<File>> = folders.iter().map(|folder| finished_in(folder)).collect::<Result<_, _>>()?;
    let lacking: Vec<(usize, bool)> =
        (0..folders.len()).filter_map(|at| Some((at, lacks_label(&folders[at])?))).collect();
    let sealed = lacking.iter().any(|(_, sealed)| *sealed);
    let key = match folders.first().filter(|_| sealed) {
        Some(folder) => {
            let wraps = SealFiles::read(folders.iter().map(PathBuf::as_path)).wraps()?;
            Some(unlock_with(&wraps, folder, opener)?)
        }
        None => None,
    };
    let mut told: Vec<(&File, Contents)> =
        files.iter().flatten().filter_map(|file| Some((file, tells(file, key.as_ref())?))).collect();
    // The label is that of the first run, which the first pack repeats; lists come after all packs.
    told.sort_by_key(|((name, _), _)| *name);
    let of_other_part = (0..folders.len())
        .filter(|at| lacking.iter().all(|(lacks, _)| lacks != at))
        .find_map(|at| Outside::load(&folders[at]).ok());
    let has_packs = files.iter().flatten().any(|(name, _)| matches!(name, FileName::Pack(_)));
    let form = if has_packs { Keeping::Packed } else { Keeping::Parked };
    let captures = captures_in(files.iter().flatten());
    let of_first_run = || Some(counted(Outside::new(&told.first()?.1.label, form, sealed), captures));
    let outside = of_other_part.or_else(of_first_run).ok_or_else(lost)?;
    for (at, sealed) in lacking {
        if !heads_in(&files[at]).iter().any(|head| head.is_of(&outside.trunk_id)) {
            return Err(TrunkError::Damaged(Damage::Misplaced(folders[at].display().to_string())));
        }
        // Only a list knows which packs lie in which part.
        let mut numbers = files[at].iter().filter_map(|(name, _)| match name {
            FileName::Pack(number) => Some(*number),
            FileName::OpenPack(_) | FileName::List(_) | FileName::OpenList(_) => None,
        });
        let rows = || told.iter().flat_map(|(_, contents)| &contents.packs);
        let part = match numbers.clone().find_map(|number| rows().find(|row| row.number == number)) {
            Some(row) => row.part,
            None if numbers.next().is_none_or(|first| first == 1) => 1,
            None => return Err(lost()),
        };
        write_label(&folders[at], &outside.clone().of_part(part).to_bytes(), sealed)?;
    }
    Ok(())
}

/// Rebuilds the labels that are not the same to the byte: the newest list pins them down, or the first pack
/// if there is no list. Returns whether any was rebuilt.
pub(crate) fn relabel_hurt(
    parts: &Parts,
    key: Option<&TrunkKey>,
    pinned: Option<&[PartRow]>,
) -> Result<bool, TrunkError> {
    if pinned.is_some_and(|pinned| parts.have_labels(pinned)) {
        return Ok(false);
    }
    let form = parts.outside()?.form;
    let mut outsides = Vec::new();
    let all: Vec<Vec<File>> =
        parts.folders().map(|(_, folder)| finished_in(folder)).collect::<Result<_, _>>()?;
    let captures = captures_in(all.iter().flatten());
    for files in all {
        for file in files {
            // Where nothing pins it down, only the first pack is of the run that the label is of.
            if pinned.is_some() || file.0 == FileName::Pack(1) {
                let contents = tells(&file, key);
                let outside = contents.map(|told| Outside::new(&told.label, form, key.is_some()));
                outsides.extend(outside.map(|outside| counted(outside, captures)));
            }
        }
    }
    let mut mended = false;
    for row in parts.label_rows() {
        let labels = outsides.iter().map(|outside| outside.clone().of_part(row.part));
        let fits = |outside: &Outside| {
            let was = PartRow { part: row.part, label: outside.pinned(&outside.to_bytes()) };
            was != row && pinned.is_none_or(|pinned| pinned.contains(&was))
        };
        if let (Some(label), Some(folder)) = (labels.into_iter().find(fits), parts.folder_of(row.part)) {
            write_label(folder, &label.to_bytes(), key.is_some())?;
            mended = true;
        }
    }
    Ok(mended)
}

/// The number of the latest capture whose list is there.
fn captures_in<'f>(files: impl Iterator<Item = &'f File>) -> Option<u32> {
    let number = |(name, _): &File| match name {
        FileName::List(number) => Some(*number),
        FileName::Pack(_) | FileName::OpenPack(_) | FileName::OpenList(_) => None,
    };
    files.filter_map(number).max()
}

fn counted(outside: Outside, captures: Option<u32>) -> Outside {
    captures.map_or(outside.clone(), |number| outside.after_capture(number))
}

/// The rest of an old label is set aside.
fn write_label(folder: &Path, label: &[u8], sealed: bool) -> Result<(), TrunkError> {
    let path = folder.join(LABEL);
    set_aside(&path)?;
    crate::host::replace(&path, label, sealed).map_err(|cause| TrunkError::io("writing", &path, cause))
}

/// A pack or list; packs come first.
type File = (FileName, PathBuf);

fn finished_in(folder: &Path) -> Result<Vec<File>, TrunkError> {
    let mut files = files_in(folder)?;
    // A parked trunk has its list there, too.
    files.extend(files_in(&folder.join(KEPT)).unwrap_or_default());
    files.retain(|(name, _)| matches!(name, FileName::Pack(_) | FileName::List(_)));
    Ok(files)
}

fn heads_in(files: &[File]) -> Vec<FileHead> {
    heads_of(files.iter().map(|(_, path)| path.as_path()))
}

/// A file's facts about the whole trunk, if they can be believed: the file belongs to the trunk that it
/// names.
fn tells((name, path): &File, key: Option<&TrunkKey>) -> Option<Contents> {
    let (role, number) = match *name {
        FileName::Pack(number) => (Role::Pack, number),
        FileName::List(number) => (Role::List, number),
        FileName::OpenPack(_) | FileName::OpenList(_) => return None,
    };
    let file = BlockFile::salvage(path, role, number, None, key, &[]).ok()?;
    contents_of(&file).ok().filter(|contents| file.head.is_of(&contents.label.trunk_id))
}
