//! Writing a file of blocks: it has no end until it is whole.

use super::block::{self, Directory, Head, Kind, Sealed};
use super::block_file::INDEX_ROW_IN_BYTES;
use super::buffers::Bytes;
use super::file_frame::{FileHead, Role, TAIL_IN_BYTES, mark_of, tail};
use crate::TrunkId;
use crate::host::{open_plain_file_to_write, write_in_portions};
use crate::sealing::{FileKey, TrunkKey};
use std::fs::File;
use std::io::{self, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// The values that all files of one run share.
pub(crate) struct Run {
    trunk: [u8; 16],
    salt: [u8; 16],
    key: Option<FileKey>,
    /// Files are readable by their owner only.
    pub(super) private: bool,
}

impl Run {
    pub(crate) fn begin(trunk: &TrunkId, key: Option<&TrunkKey>) -> io::Result<Self> {
        let mut salt = [0; 16];
        crate::sealing::fill_random(&mut salt)?;
        Ok(Self {
            trunk: mark_of(trunk),
            salt,
            key: key.map(|key| key.file_key(&salt)),
            private: key.is_some(),
        })
    }

    pub(super) fn key(&self) -> Option<&FileKey> {
        self.key.as_ref()
    }
}

/// A file that is being written, under a name that no reader takes for a whole one.
pub(super) struct BlockFileWriter {
    file: File,
    path: PathBuf,
    length_in_bytes: u64,
    rows: Vec<(u64, Head)>,
}

impl BlockFileWriter {
    pub(super) fn create(path: &Path, role: Role, number: u32, run: &Run) -> io::Result<Self> {
        let mut file = crate::host::create_new(path, run.private)?;
        let head =
            FileHead { role, sealed: run.key.is_some(), trunk: run.trunk, number, salt: run.salt }.to_bytes();
        file.write_all(&head)?;
        Ok(Self { file, path: path.to_path_buf(), length_in_bytes: head.len() as u64, rows: Vec::new() })
    }

    /// Goes on behind these blocks; what came after them is cut off.
    pub(super) fn go_on(path: &Path, rows: Vec<(u64, Head)>, length_in_bytes: u64) -> io::Result<Self> {
        let mut file = open_plain_file_to_write(path)?;
        file.set_len(length_in_bytes)?;
        file.seek(SeekFrom::Start(length_in_bytes))?;
        Ok(Self { file, path: path.to_path_buf(), length_in_bytes, rows })
    }

    pub(super) fn path(&self) -> &Path {
        &self.path
    }

    pub(super) fn length_in_bytes(&self) -> u64 {
        self.length_in_bytes
    }

    /// A second handle, for flushing while more is written.
    pub(super) fn handle(&self) -> io::Result<File> {
        self.file.try_clone()
    }

    pub(super) fn append(&mut self, block: &Sealed) -> io::Result<()> {
        let head = block.head.to_bytes();
        let parts: [&[u8]; 3] = [&head, &block.directory, &block.body];
        match parts.into_iter().try_for_each(|part| write_in_portions(&mut self.file, part)) {
            Ok(()) => {
                self.rows.push((self.length_in_bytes, block.head));
                self.length_in_bytes += block.head.whole_in_bytes();
                Ok(())
            }
            Err(cause) => {
                // A half-written block is cut off, so that the index still fits on a full stick.
                let _ = self.file.set_len(self.length_in_bytes);
                let _ = self.file.seek(SeekFrom::Start(self.length_in_bytes));
                Err(cause)
            }
        }
    }

    /// Writes index and tail and brings the file onto the medium. Returns the file's row for a list.
    pub(super) fn finish(mut self, key: Option<&FileKey>) -> io::Result<Finished> {
        let mut rows = Vec::with_capacity(self.rows.len() * INDEX_ROW_IN_BYTES);
        for (offset_in_bytes, head) in &self.rows {
            rows.extend_from_slice(&offset_in_bytes.to_le_bytes());
            rows.extend_from_slice(&head.to_bytes());
        }
        let length = rows.len();
        let index = block::seal(
            Kind::Index,
            block::Codec::Plain,
            u32::try_from(self.rows.len()).unwrap_or(u32::MAX),
            &Directory::default(),
            Bytes::Own(rows.into()),
            length,
            key,
        )?;
        let index_at = self.length_in_bytes;
        self.append(&index)?;
        let length_in_bytes = self.length_in_bytes + TAIL_IN_BYTES as u64;
        self.file.write_all(&tail(index_at, length_in_bytes))?;
        self.file.sync_all()?;
        Ok(Finished { length_in_bytes, proof: index.head.proof })
    }
}

/// A file that was written to its end.
#[derive(Debug, Clone, Copy)]
pub(super) struct Finished {
    pub(super) length_in_bytes: u64,
    pub(super) proof: [u8; 32],
}
