//! The list: all of a finished trunk but the contents. A folder is a trunk as soon as a list has its final
//! name.

use super::block::{Kind, Proving};
use super::block_file::{BlockFile, NotRead, heads_of, name_of};
use super::block_file_writer::{BlockFileWriter, Finished, Run};
use super::file_frame::Role;
use super::layout::FileName;
use super::lines::{self, Lines, UnpackedLines};
use super::part_row::PartRow;
use super::parts::Parts;
use crate::hex::{from_hex, to_hex};
use crate::sealing::TrunkKey;
use crate::{
    CaptureProof, Damage, Entry, EntryRefused, Inventory, Label, LeftBehind, TrunkError, TrunkId, TrunkItem,
    TrunkProgram,
};
use serde::{Deserialize, Serialize};
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use time::OffsetDateTime;

/// The facts about the whole trunk in a list, and at the beginning of every pack.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(crate) struct Contents {
    pub(crate) label: Label,
    /// None in a pack: the capture was under way.
    #[serde(default, with = "time::serde::rfc3339::option")]
    pub(crate) finished_utc: Option<OffsetDateTime>,
    pub(crate) items: Vec<TrunkItem>,
    pub(crate) programs: Vec<TrunkProgram>,
    #[serde(default)]
    pub(crate) packs: Vec<PackRow>,
    #[serde(default)]
    pub(crate) parts: Vec<PartRow>,
    /// The share of recovery data that is beside its packs and itself, if there is to be any.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) spare_in_percent: Option<f64>,
}

/// A pack, as a list pins it down: any other file of that name is noticed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct PackRow {
    pub(crate) number: u32,
    /// The part of the trunk that it lies in.
    pub(crate) part: u32,
    pub(crate) size_in_bytes: u64,
    /// The proof of its index, in hexadecimal digits.
    pub(crate) proof: String,
}

impl PackRow {
    pub(super) fn new(number: u32, part: u32, finished: Finished) -> Self {
        let Finished { length_in_bytes, proof } = finished;
        Self { number, part, size_in_bytes: length_in_bytes, proof: to_hex(&proof) }
    }

    /// Describes a file that was read. One that was salvaged has no proof, and fits nothing.
    pub(super) fn of(file: &BlockFile, part: u32) -> Self {
        let BlockFile { length_in_bytes, proof, .. } = *file;
        Self::new(file.head.number, part, Finished { length_in_bytes, proof })
    }

    pub(super) fn fits(&self, file: &BlockFile) -> bool {
        self.size_in_bytes == file.length_in_bytes
            && from_hex(&self.proof).as_deref() == Some(&file.proof[..])
    }
}

/// A list that is being written.
pub(crate) struct ListWriter {
    file: BlockFileWriter,
    entries: Lines,
    left: Lines,
    blocks: u32,
}

impl ListWriter {
    pub(crate) fn create(folder: &Path, number: u32, run: &Run) -> Result<Self, TrunkError> {
        let path = FileName::OpenList(number).in_folder(folder);
        let _ = std::fs::remove_file(&path);
        let file = BlockFileWriter::create(&path, Role::List, number, run)
            .map_err(|cause| TrunkError::io("making", &path, cause))?;
        Ok(Self { file, entries: Lines::new(Kind::Entries), left: Lines::new(Kind::Left), blocks: 0 })
    }

    pub(crate) fn entry(&mut self, line: &str, run: &Run) -> Result<(), TrunkError> {
        if self.entries.push(line.as_bytes()) { self.write_lines(Kind::Entries, run) } else { Ok(()) }
    }

    pub(crate) fn left(&mut self, left: &LeftBehind, run: &Run) -> Result<(), TrunkError> {
        let line = serde_json::to_vec(left).map_err(|cause| failed(&self.file, cause.into()))?;
        if self.left.push(&line) { self.write_lines(Kind::Left, run) } else { Ok(()) }
    }

    fn write_lines(&mut self, kind: Kind, run: &Run) -> Result<(), TrunkError> {
        let lines = if kind == Kind::Left { &mut self.left } else { &mut self.entries };
        let block = lines.take(self.blocks, run.key()).map_err(|cause| failed(&self.file, cause))?;
        let Some(block) = block else { return Ok(()) };
        self.blocks += 1;
        self.file.append(&block).map_err(|cause| failed(&self.file, cause))
    }

    /// Writes what is left to write, and sees the list onto the medium; with spare data beside it if so much
    /// of it is wanted.
    pub(crate) fn finish(
        mut self,
        contents: &Contents,
        run: &Run,
        number: u32,
        spare_in_percent: Option<f64>,
    ) -> Result<(), TrunkError> {
        self.write_lines(Kind::Entries, run)?;
        self.write_lines(Kind::Left, run)?;
        let path = self.file.path().to_path_buf();
        let io = |cause| TrunkError::io("writing", &path, cause);
        let bytes = serde_json::to_vec(contents).map_err(|cause| io(cause.into()))?;
        let block = lines::of_bytes(Kind::Inventory, self.blocks, bytes, run.key()).map_err(io)?;
        self.file.append(&block).map_err(io)?;
        self.file.finish(run.key()).map_err(io)?;
        if let Some(percent) = spare_in_percent {
            crate::spare::write(&path, &FileName::OpenList(number).to_string(), percent, run.private)
                .map_err(io)?;
        }
        Ok(())
    }
}

fn failed(file: &BlockFileWriter, cause: std::io::Error) -> TrunkError {
    TrunkError::io("writing", file.path(), cause)
}

/// A finished list.
pub(crate) struct List {
    pub(super) file: BlockFile,
    pub(crate) contents: Contents,
}

impl List {
    /// Opens a list by its path, whether it has its final name yet or not.
    pub(crate) fn open(
        path: &Path,
        number: u32,
        trunk: &TrunkId,
        key: Option<&TrunkKey>,
    ) -> Result<Self, TrunkError> {
        let folder = || path.parent().unwrap_or(path).to_path_buf();
        let file = BlockFile::open(path, Role::List, number, trunk, key)
            .map_err(|cause| not_read(cause, folder(), path))?;
        let contents = contents_of(&file).map_err(TrunkError::Damaged)?;
        Ok(Self { file, contents })
    }

    /// Where it is.
    pub(super) fn path(&self) -> &Path {
        self.file.path()
    }

    /// Its file, for people.
    pub(crate) fn name(&self) -> &str {
        &self.file.name
    }

    /// Which state of the trunk it is.
    pub(crate) fn proof(&self) -> CaptureProof {
        CaptureProof { capture: self.file.head.number, list: to_hex(&self.file.proof) }
    }

    /// The list of a trunk; none if anything of it is damaged.
    pub(crate) fn open_whole(
        path: &Path,
        number: u32,
        trunk: &TrunkId,
        key: Option<&TrunkKey>,
    ) -> Option<Self> {
        Self::open(path, number, trunk, key).ok().filter(|list| list.damage().is_empty())
    }

    /// Proves every byte of it.
    pub(crate) fn damage(&self) -> Vec<Damage> {
        self.file.damage()
    }

    fn rows(&self, kind: Kind) -> Vec<usize> {
        let rows = self.file.rows.iter().enumerate().filter(|(_, (_, head))| head.kind == kind);
        rows.map(|(row, _)| row).collect()
    }

    /// The lines of a kind, decoded by `read`, which gets a line and its number.
    fn lines<T>(&self, kind: Kind, read: ReadLine<T>) -> ListLines<'_, T> {
        ListLines { file: &self.file, rows: self.rows(kind).into_iter(), block: None, number: 0, read }
    }

    pub(crate) fn entries(&self) -> impl Iterator<Item = Result<Entry, EntryRefused>> + Send + '_ {
        self.lines(Kind::Entries, Entry::from_line)
    }

    pub(crate) fn left(&self) -> impl Iterator<Item = Result<LeftBehind, EntryRefused>> + Send + '_ {
        self.lines(Kind::Left, |line, number| {
            serde_json::from_slice(line).map_err(|cause| refused(number, cause.to_string()))
        })
    }
}

type ReadLine<T> = fn(&[u8], u64) -> Result<T, EntryRefused>;

/// Goes through lines block by block; a block that is damaged is one line that cannot be used.
struct ListLines<'l, T> {
    file: &'l BlockFile,
    rows: std::vec::IntoIter<usize>,
    /// The block at hand, and how many of its lines were read.
    block: Option<(UnpackedLines, usize)>,
    /// Lines so far.
    number: u64,
    read: ReadLine<T>,
}

impl<T> Iterator for ListLines<'_, T> {
    type Item = Result<T, EntryRefused>;

    fn next(&mut self) -> Option<Self::Item> {
        loop {
            if let Some((block, read)) = &mut self.block
                && let Some(line) = block.get(*read)
            {
                *read += 1;
                self.number += 1;
                return Some((self.read)(line, self.number));
            }
            match unpacked_lines(self.file, self.rows.next()?) {
                Ok(block) => self.block = Some((block, 0)),
                Err(damage) => {
                    self.block = None;
                    self.number += 1;
                    return Some(Err(refused(self.number, damage.to_string())));
                }
            }
        }
    }
}

fn refused(line: u64, problem: String) -> EntryRefused {
    EntryRefused { line, item: None, path: Vec::new(), problem }
}

pub(super) fn unpacked_lines(file: &BlockFile, row: usize) -> Result<UnpackedLines, Damage> {
    let changed = || Damage::ContentChanged(file.name.clone());
    file.read(row, Proving::Everything)?.unpacked().map(UnpackedLines::of).map_err(|_| changed())
}

/// The inventory of a list or a pack.
pub(super) fn contents_of(file: &BlockFile) -> Result<Contents, Damage> {
    let row = file.rows.iter().position(|(_, head)| head.kind == Kind::Inventory);
    let row = row.ok_or_else(|| Damage::ContentChanged(file.name.clone()))?;
    let changed = || Damage::ContentChanged(file.name.clone());
    let block = file.read(row, Proving::Everything)?.unpacked().map_err(|_| changed())?;
    serde_json::from_slice(block.body()).map_err(|cause| Damage::BadLine {
        file: file.name.clone(),
        line: 1,
        problem: cause.to_string(),
    })
}

pub(super) fn not_read(cause: NotRead, folder: PathBuf, path: &Path) -> TrunkError {
    match cause {
        NotRead::Damaged(damage) => TrunkError::Damaged(damage),
        NotRead::CutOff => TrunkError::Damaged(Damage::ContentChanged(name_of(path))),
        NotRead::Version(version) => TrunkError::Unsupported {
            folder,
            reason: format!(
                "`{}` is of version {version}, and this is version {}",
                name_of(path),
                super::file_frame::VERSION
            ),
        },
    }
}

/// Gives a list its final name: from then on the folder is a trunk, or the trunk a newer one.
pub(crate) fn publish(folder: &Path, number: u32) -> Result<(), TrunkError> {
    let open = FileName::OpenList(number).in_folder(folder);
    let path = FileName::List(number).in_folder(folder);
    let named_spare = || match std::fs::rename(crate::spare::path_of(&open), crate::spare::path_of(&path)) {
        Err(cause) if cause.kind() == ErrorKind::NotFound => Ok(()),
        named => named,
    };
    std::fs::rename(&open, &path)
        .and_then(|()| named_spare())
        .and_then(|()| crate::host::flush_folder_of(&path))
        .map_err(|cause| TrunkError::io("publishing", &path, cause))
}

/// The path and number of the newest finished list.
pub(crate) fn newest(parts: &Parts) -> Result<Option<(PathBuf, u32)>, TrunkError> {
    let lists = parts.files()?.into_iter().filter_map(|(name, _, path)| match name {
        FileName::List(number) => Some((path, number)),
        _ => None,
    });
    Ok(lists.max_by_key(|(_, number)| *number))
}

impl Contents {
    /// True if the trunk has packs that it does not name: of a later run, or of a part that was missing when
    /// it was rebuilt.
    pub(super) fn lacks_packs(&self, parts: &Parts) -> bool {
        let files = parts.files().unwrap_or_default();
        let unlisted = files.iter().filter(|(name, part, _)| match name {
            FileName::Pack(number) => {
                !self.packs.iter().any(|row| (row.number, row.part) == (*number, *part))
            }
            FileName::OpenPack(_) | FileName::List(_) | FileName::OpenList(_) => false,
        });
        // A file that only has the name of a pack would be asked for again and again.
        heads_of(unlisted.map(|(_, _, path)| path.as_path()))
            .iter()
            .any(|head| head.is_of(&self.label.trunk_id))
    }

    /// The facts known before the capture.
    pub(crate) fn beforehand(label: &Label, inventory: &Inventory<'_>) -> Self {
        Self {
            label: label.clone(),
            finished_utc: None,
            items: inventory.items.to_vec(),
            programs: inventory.programs.to_vec(),
            packs: Vec::new(),
            parts: Vec::new(),
            spare_in_percent: None,
        }
    }
}
