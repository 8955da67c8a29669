//! The files that are made of blocks: packs and lists. A head, blocks, an index of the blocks, and a tail
//! that leads to it.
//!
//! A file without a tail is one that was cut off; its blocks can still be read one after the other.

use super::block::{self, Directory, HEAD_IN_BYTES, Head, Kind, Opened, Proving};
use super::buffers::Buffer;
use super::file_frame::{BadFileHead, FILE_HEAD_IN_BYTES, FileHead, Role, TAIL_IN_BYTES, mark_of, tail};
use super::opened_file::OpenedFile;
use crate::host::{open_plain_file, read_exact_at};
use crate::sealing::{FileKey, TrunkKey};
use crate::{Damage, TrunkId};
use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};

/// A block's place in the file, and its head.
pub(super) const INDEX_ROW_IN_BYTES: usize = 8 + HEAD_IN_BYTES;

/// A whole file, to be read.
///
/// It is opened again for each block: a trunk of a terabyte has more packs than a program may hold open.
pub(super) struct BlockFile {
    path: PathBuf,
    /// Its name, for people.
    pub(super) name: String,
    pub(super) head: FileHead,
    key: Option<FileKey>,
    /// Read from the medium, not from what the system remembers of writing it.
    past_memory: bool,
    pub(super) length_in_bytes: u64,
    /// Every block, with its place in the file.
    pub(super) rows: Vec<(u64, Head)>,
    /// Proof of the index, which proves all blocks.
    pub(super) proof: [u8; 32],
}

/// Why a file cannot be read.
#[derive(Debug)]
pub(super) enum NotRead {
    /// It is there and wrong, or not there.
    Damaged(Damage),
    /// A later porter wrote it.
    Version(u16),
    /// It has no end: it was cut off.
    CutOff,
}

impl From<Damage> for NotRead {
    fn from(damage: Damage) -> Self {
        Self::Damaged(damage)
    }
}

impl BlockFile {
    /// Where it is.
    pub(super) fn path(&self) -> &Path {
        &self.path
    }

    /// Opens a file and reads its index, which proves itself. The caller compares it with the list.
    pub(super) fn open(
        path: &Path,
        role: Role,
        number: u32,
        trunk: &TrunkId,
        key: Option<&TrunkKey>,
    ) -> Result<Self, NotRead> {
        let (file, head, name) = open_head(path, role, number, Some(trunk))?;
        let changed = || NotRead::Damaged(Damage::ContentChanged(name.clone()));
        if head.sealed != key.is_some() {
            return Err(changed());
        }
        let key = key.map(|key| key.file_key(&head.salt));
        let unreadable = |cause: io::Error| Damage::of_reading(&cause, &name);
        let length_in_bytes = file.metadata().map_err(unreadable)?.len();
        let tail_at = length_in_bytes.checked_sub(TAIL_IN_BYTES as u64).ok_or(NotRead::CutOff)?;
        let mut bytes = [0; TAIL_IN_BYTES];
        read_exact_at(&file, tail_at, &mut bytes).map_err(unreadable)?;
        let index_at = u64::from_le_bytes([
            bytes[8], bytes[9], bytes[10], bytes[11], bytes[12], bytes[13], bytes[14], bytes[15],
        ]);
        if bytes != tail(index_at, length_in_bytes) || index_at >= tail_at {
            return Err(NotRead::CutOff);
        }
        let index = read_block(&file, index_at, key.as_ref(), Proving::Everything, &name)?;
        if index.head.kind != Kind::Index || index_at + index.head.whole_in_bytes() != tail_at {
            return Err(changed());
        }
        let proof = index.head.proof;
        let mut rows = Vec::new();
        let mut expected_at = FILE_HEAD_IN_BYTES as u64;
        for row in index.body().chunks(INDEX_ROW_IN_BYTES) {
            let (offset, head) = row.split_first_chunk::<8>().ok_or_else(changed)?;
            let head = Head::from_bytes(head).map_err(|_| changed())?;
            let offset_in_bytes = u64::from_le_bytes(*offset);
            if offset_in_bytes != expected_at {
                return Err(changed());
            }
            expected_at += head.whole_in_bytes();
            rows.push((offset_in_bytes, head));
        }
        if expected_at != index_at {
            return Err(changed());
        }
        Ok(Self {
            path: path.to_path_buf(),
            name,
            head,
            key,
            past_memory: false,
            length_in_bytes,
            rows,
            proof,
        })
    }

    /// Opens a file whose beginning, index or end is damaged, by the heads of its blocks. Nothing of it is
    /// proved yet, and without a trunk's id not even that it is of that trunk.
    ///
    /// `like` are the beginnings of other files of the trunk: files of one run begin alike, and are sealed
    /// alike.
    pub(super) fn salvage(
        path: &Path,
        role: Role,
        number: u32,
        trunk: Option<&TrunkId>,
        key: Option<&TrunkKey>,
        like: &[FileHead],
    ) -> Result<Self, NotRead> {
        let hurt = match open_head(path, role, number, trunk) {
            Ok((file, head, _)) => return Self::by_blocks(path, &file, head, key),
            Err(NotRead::Damaged(Damage::ContentChanged(name))) => Damage::ContentChanged(name),
            Err(failed) => return Err(failed),
        };
        let file = open_plain_file(path).map_err(|cause| Damage::of_reading(&cause, &name_of(path)))?;
        let unsealed = trunk.filter(|_| key.is_none()).map(|trunk| FileHead {
            role,
            sealed: false,
            trunk: mark_of(trunk),
            number,
            salt: [0; 16],
        });
        let likely = like.iter().map(|head| FileHead { role, number, ..*head }).chain(unsealed);
        // One block that comes out shows that it was the right one. If all of these fail, there is another
        // reason.
        const TRIED: usize = 8;
        let fits = |found: &Self| {
            (0..found.rows.len().min(TRIED)).any(|row| found.read(row, Proving::Everything).is_ok())
        };
        likely
            .filter_map(|head| Self::by_blocks(path, &file, head, key).ok())
            .find(fits)
            .ok_or(NotRead::Damaged(hurt))
    }

    fn by_blocks(path: &Path, file: &File, head: FileHead, key: Option<&TrunkKey>) -> Result<Self, NotRead> {
        let name = name_of(path);
        let unreadable = |cause: io::Error| Damage::of_reading(&cause, &name);
        let length_in_bytes = file.metadata().map_err(unreadable)?.len();
        let mut rows = Vec::new();
        let mut at = FILE_HEAD_IN_BYTES as u64;
        while at + (HEAD_IN_BYTES as u64) <= length_in_bytes {
            let mut bytes = [0; HEAD_IN_BYTES];
            read_exact_at(file, at, &mut bytes).map_err(unreadable)?;
            match Head::from_bytes(&bytes) {
                Ok(head) if head.kind == Kind::Index => break,
                Ok(head) => {
                    rows.push((at, head));
                    at += head.whole_in_bytes();
                }
                Err(_) => at = next_magic(file, at + 1, length_in_bytes).map_err(unreadable)?,
            }
        }
        let key = key.filter(|_| head.sealed).map(|key| key.file_key(&head.salt));
        let (path, past_memory, proof) = (path.to_path_buf(), false, [0; 32]);
        Ok(Self { path, name, head, key, past_memory, length_in_bytes, rows, proof })
    }

    pub(super) fn file(&self) -> Result<OpenedFile, Damage> {
        let open = if self.past_memory { OpenedFile::open_past_memory } else { OpenedFile::open };
        open(&self.path).map_err(|cause| Damage::of_reading(&cause, &self.name))
    }

    /// Reads one block, by its place in `rows`.
    pub(super) fn read(&self, row: usize, proving: Proving) -> Result<Opened, Damage> {
        let changed = || Damage::ContentChanged(self.name.clone());
        let (offset_in_bytes, listed) = self.rows.get(row).ok_or_else(changed)?;
        let mut head = [0; HEAD_IN_BYTES];
        let mut payload = room_for(listed).ok_or_else(changed)?;
        self.file()?
            .read_parts_at(*offset_in_bytes, &mut [&mut head, &mut payload])
            .map_err(|cause| Damage::of_reading(&cause, &self.name))?;
        if Head::from_bytes(&head).ok().as_ref() != Some(listed) {
            return Err(changed());
        }
        block::open(*listed, payload, self.key.as_ref(), proving).map_err(|_| changed())
    }

    /// Proves every byte of it.
    pub(super) fn damage(&self) -> Vec<Damage> {
        (0..self.rows.len()).filter_map(|row| self.read(row, Proving::Everything).err()).collect()
    }

    /// Reads a block's directory, without its body if the two can be separated.
    pub(super) fn read_directory(&self, row: usize) -> Result<Directory, Damage> {
        let changed = || Damage::ContentChanged(self.name.clone());
        let (offset_in_bytes, head) = self.rows.get(row).ok_or_else(changed)?;
        if self.key.is_some() {
            return Ok(self.read(row, Proving::Nothing)?.directory);
        }
        let mut bytes = vec![0; head.directory_in_bytes as usize];
        self.file()?
            .read_exact_at(offset_in_bytes + HEAD_IN_BYTES as u64, &mut bytes)
            .map_err(|cause| Damage::of_reading(&cause, &self.name))?;
        Directory::from_bytes(&bytes, head.raw_in_bytes).map_err(|_| changed())
    }

    /// Reads the directory of an unsealed block whose contents stand in it as they are, and returns where in
    /// the file these begin. With `proves` all of the block but its contents is proved.
    pub(super) fn read_plain_directory(&self, row: usize, proves: bool) -> Result<(Directory, u64), Damage> {
        let changed = || Damage::ContentChanged(self.name.clone());
        let (offset_in_bytes, listed) = self.rows.get(row).ok_or_else(changed)?;
        let mut bytes = vec![0; HEAD_IN_BYTES + listed.directory_in_bytes as usize];
        self.file()?
            .read_exact_at(*offset_in_bytes, &mut bytes)
            .map_err(|cause| Damage::of_reading(&cause, &self.name))?;
        let (head, directory) = bytes.split_at(HEAD_IN_BYTES);
        let head = Head::from_bytes(head).ok().filter(|head| head == listed).ok_or_else(changed)?;
        if proves && !head.proves_plain(directory) {
            return Err(changed());
        }
        let body_at = offset_in_bytes + bytes.len() as u64;
        Ok((Directory::from_bytes(directory, head.raw_in_bytes).map_err(|_| changed())?, body_at))
    }

    /// Asks the system to forget what it remembers of a block.
    pub(super) fn forget_cached_block(&self, row: usize) {
        if let (Ok(file), Some((offset_in_bytes, head))) = (self.file(), self.rows.get(row))
            && let Some(file) = file.remembered()
        {
            crate::host::forget_cached_stretch(file, *offset_in_bytes, head.whole_in_bytes());
        }
    }

    /// Has the file read from the medium from now on. A system that forgets a file when it is asked to is
    /// quicker then than one that is passed by: it fetches ahead.
    pub(super) fn read_from_medium(&mut self) {
        match open_plain_file(&self.path) {
            Ok(file) if crate::host::forget_cached(&file) => {}
            _ => self.past_memory = OpenedFile::can_be_read_past_memory(&self.path),
        }
    }
}

/// A file's own name, for people.
pub(super) fn name_of(path: &Path) -> String {
    path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default()
}

/// The beginnings of files, one of each run; damaged ones are left out.
pub(super) fn heads_of<'p>(paths: impl IntoIterator<Item = &'p Path>) -> Vec<FileHead> {
    let mut heads: Vec<FileHead> = Vec::new();
    for path in paths {
        let mut bytes = [0; FILE_HEAD_IN_BYTES];
        let read = open_plain_file(path).and_then(|file| read_exact_at(&file, 0, &mut bytes));
        if let (Ok(()), Ok(head)) = (read, FileHead::from_bytes(&bytes))
            && heads.iter().all(|known| known.salt != head.salt)
        {
            heads.push(head);
        }
    }
    heads
}

pub(super) fn open_head(
    path: &Path,
    role: Role,
    number: u32,
    trunk: Option<&TrunkId>,
) -> Result<(File, FileHead, String), NotRead> {
    let name = name_of(path);
    let file = open_plain_file(path).map_err(|cause| Damage::of_reading(&cause, &name))?;
    let mut bytes = [0; FILE_HEAD_IN_BYTES];
    read_exact_at(&file, 0, &mut bytes).map_err(|cause| Damage::of_reading(&cause, &name))?;
    let head = match FileHead::from_bytes(&bytes) {
        Ok(head) => head,
        Err(BadFileHead::Version(version)) => return Err(NotRead::Version(version)),
        Err(BadFileHead::Changed) => return Err(Damage::ContentChanged(name).into()),
    };
    if head.role != role || head.number != number || trunk.is_some_and(|trunk| !head.is_of(trunk)) {
        return Err(Damage::Misplaced(name).into());
    }
    Ok((file, head, name))
}

/// Where the next block may begin, or the end of the file.
fn next_magic(file: &File, from: u64, length_in_bytes: u64) -> io::Result<u64> {
    let mut window = vec![0; 1 << 20];
    let mut at = from;
    while at < length_in_bytes {
        let length = usize::try_from(length_in_bytes - at).unwrap_or(usize::MAX).min(window.len());
        read_exact_at(file, at, &mut window[..length])?;
        if let Some(found) = window[..length].windows(4).position(|bytes| *bytes == block::MAGIC) {
            return Ok(at + found as u64);
        }
        at += (length as u64).saturating_sub(3).max(1);
    }
    Ok(length_in_bytes)
}

pub(super) fn read_block(
    file: &File,
    offset_in_bytes: u64,
    key: Option<&FileKey>,
    proving: Proving,
    name: &str,
) -> Result<Opened, Damage> {
    let changed = || Damage::ContentChanged(name.to_owned());
    let unreadable = |cause: io::Error| Damage::of_reading(&cause, name);
    let mut head = [0; HEAD_IN_BYTES];
    read_exact_at(file, offset_in_bytes, &mut head).map_err(unreadable)?;
    let head = Head::from_bytes(&head).map_err(|_| changed())?;
    let mut payload = room_for(&head).ok_or_else(changed)?;
    read_exact_at(file, offset_in_bytes + HEAD_IN_BYTES as u64, &mut payload).map_err(unreadable)?;
    block::open(head, payload, key, proving).map_err(|_| changed())
}

/// A buffer as long as all that follows a head, with room for a seal behind it; none if no system holds that.
fn room_for(head: &Head) -> Option<Buffer> {
    let length = usize::try_from(head.payload_in_bytes()).ok()?;
    let mut payload = Buffer::with_room(length + crate::sealing::TAG_LENGTH_IN_BYTES);
    payload.resize(length, 0);
    Some(payload)
}
