//! Packs and lists without spare data of use, in a trunk that is to have some: of a capture that was cut off and gone on with, of one that
//! asked for none, or because it was lost.

use super::block_file::{BlockFile, Role};
use super::layout::FileName;
use super::parts::files_in;
use crate::sealing::TrunkKey;
use crate::{TrunkError, TrunkId, spare};
use std::path::Path;

/// Makes it for each such file of a folder; `made` hears their names. A file that is hurt gets none: that would make the damage last.
pub(super) fn complete(
    folder: &Path,
    trunk: &TrunkId,
    key: Option<&TrunkKey>,
    percent: f64,
    made: &mut dyn FnMut(&str),
) -> Result<(), TrunkError> {
    for (name, path) in files_in(folder)? {
        let (role, number) = match name {
            FileName::Pack(number) => (Role::Pack, number),
            FileName::List(number) => (Role::List, number),
            FileName::OpenPack(_) | FileName::OpenList(_) => continue,
        };
        if spare::is_of_use_for(&path) {
            continue;
        }
        let file = BlockFile::open(&path, role, number, trunk, key);
        if file.is_ok_and(|file| file.damage().is_empty()) {
            let name = name.to_string();
            spare::write(&path, &name, percent, key.is_some())
                .map_err(|cause| TrunkError::io("writing spare data of", &path, cause))?;
            made(&name);
        }
    }
    Ok(())
}
