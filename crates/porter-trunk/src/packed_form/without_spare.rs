//! Packs and lists without recovery data of use, in a trunk that is to have some: of a capture that was cut
//! off and gone on with, of one that asked for none, or because it was lost.

use super::block_file::BlockFile;
use super::file_frame::Role;
use super::layout::FileName;
use super::parts::{Parts, files_in};
use crate::sealing::TrunkKey;
use crate::{TrunkError, TrunkId, spare};
use std::io;
use std::path::{Path, PathBuf};

fn files_without(folder: &Path) -> Result<impl Iterator<Item = (FileName, PathBuf)>, TrunkError> {
    let is_finished = |name: &FileName| matches!(name, FileName::Pack(_) | FileName::List(_));
    let files = files_in(folder)?.into_iter();
    Ok(files.filter(move |(name, path)| is_finished(name) && !spare::is_of_use_for(path)))
}

/// Packs and lists whose recovery data is there, and they are not.
pub(super) fn names_of_files_that_are_gone(parts: &Parts) -> Vec<String> {
    let mut gone = Vec::new();
    for (_, folder) in parts.folders() {
        for row in std::fs::read_dir(folder).into_iter().flatten().flatten() {
            let name = row.file_name().to_string_lossy().into_owned();
            let of = spare::name_of_what_it_is_for(&name).and_then(FileName::parse);
            let Some(of @ (FileName::Pack(_) | FileName::List(_))) = of else { continue };
            if of.in_folder(folder).symlink_metadata().is_err() {
                gone.push(of.to_string());
            }
        }
    }
    gone.sort();
    gone
}

/// Packs of a folder that have none.
pub(super) fn packs_without(folder: &Path) -> Vec<String> {
    let files = files_without(folder).into_iter().flatten();
    files.filter(|(name, _)| matches!(name, FileName::Pack(_))).map(|(name, _)| name.to_string()).collect()
}

/// Makes it for each such file of a folder; `told` hears the result, file by file, and may end it. A damaged
/// file gets none: that would make the damage last.
pub(super) fn complete(
    folder: &Path,
    trunk: &TrunkId,
    key: Option<&TrunkKey>,
    percent: f64,
    told: &mut dyn FnMut(&str, io::Result<()>) -> io::Result<()>,
) -> Result<(), TrunkError> {
    for (name, path) in files_without(folder)? {
        let (role, number) = match name {
            FileName::Pack(number) | FileName::OpenPack(number) => (Role::Pack, number),
            FileName::List(number) | FileName::OpenList(number) => (Role::List, number),
        };
        let file = BlockFile::open(&path, role, number, trunk, key);
        if file.is_ok_and(|file| file.damage().is_empty()) {
            let name = name.to_string();
            let made = spare::write(&path, &name, percent, key.is_some());
            told(&name, made).map_err(|cause| TrunkError::io("writing recovery data of", &path, cause))?;
        }
    }
    Ok(())
}
