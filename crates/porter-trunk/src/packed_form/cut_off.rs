//! Giving a file of blocks that was cut off an end.

use super::block::{Head, Kind, Proving};
use super::block_file::{NotRead, open_head, read_block};
use super::block_file_writer::{BlockFileWriter, Finished};
use super::file_frame::{FILE_HEAD_IN_BYTES, Role};
use crate::TrunkId;
use crate::sealing::{FileKey, TrunkKey};
use std::fs::File;
use std::io;
use std::path::Path;

/// Ends a file that was cut off, after the last of its whole blocks.
pub(super) fn close_cut_off(
    path: &Path,
    role: Role,
    number: u32,
    trunk: &TrunkId,
    key: Option<&TrunkKey>,
) -> Result<io::Result<Finished>, NotRead> {
    let (file, head, name) = open_head(path, role, number, Some(trunk))?;
    let key = key.filter(|_| head.sealed).map(|key| key.file_key(&head.salt));
    let (rows, length_in_bytes) = whole_blocks(&file, key.as_ref(), &name);
    drop(file);
    Ok(BlockFileWriter::go_on(path, rows, length_in_bytes).and_then(|file| file.finish(key.as_ref())))
}

/// The whole blocks of a file, each of them proved, and the end of the last.
fn whole_blocks(file: &File, key: Option<&FileKey>, name: &str) -> (Vec<(u64, Head)>, u64) {
    let mut rows = Vec::new();
    let mut length_in_bytes = FILE_HEAD_IN_BYTES as u64;
    while let Ok(opened) = read_block(file, length_in_bytes, key, Proving::Everything, name) {
        if opened.head.kind == Kind::Index {
            break;
        }
        rows.push((length_in_bytes, opened.head));
        length_in_bytes += opened.head.whole_in_bytes();
    }
    (rows, length_in_bytes)
}
