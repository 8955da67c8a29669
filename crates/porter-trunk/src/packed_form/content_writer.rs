//! Storing contents: each is cut, what is known is left out, and the rest goes into blocks.

use super::block::{self, Codec, ContentId, Directory, Kind};
use super::block_file_writer::Run;
use super::buffers::{Buffer, Bytes};
use super::content_index::{ContentIndex, Whereabouts};
use super::cutter::{cut, is_zeros};
use super::pack_writer::PackWriter;
use super::squeeze::{self, SHELVES, Shelf, Texture};
use crate::content_hash::{ContentHasher, PieceFailed};
use crate::{ContentHash, Extent, Extents, StoreError, Stored, TrunkError};
use porter_names::RelativePath;
use std::io::{self, Read};
use std::path::PathBuf;
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use zeroize::Zeroizing;

/// Contents on their way into packs.
pub(super) struct ContentWriter {
    /// For people: where it is written.
    folder: PathBuf,
    run: Arc<Run>,
    /// The key for the ids of contents.
    id_key: Option<Zeroizing<[u8; 32]>>,
    index: ContentIndex,
    pub(super) packs: PackWriter,
    next_block: AtomicU32,
    open: [Mutex<OpenBlock>; SHELVES],
}

/// A block that contents are still put into.
struct OpenBlock {
    number: u32,
    directory: Directory,
    bytes: Buffer,
}

/// The open blocks of one long file, by shelf.
type OwnBlocks = [Option<OpenBlock>; SHELVES];

/// Consecutive dense contents, which become a block as they stand in the buffer that they were read into.
struct DenseRun {
    number: u32,
    directory: Directory,
    bytes: Bytes,
}

impl ContentWriter {
    /// `index` is what the trunk holds already, in blocks below `first_block`.
    pub(super) fn begin(
        folder: PathBuf,
        run: Arc<Run>,
        id_key: Option<Zeroizing<[u8; 32]>>,
        index: ContentIndex,
        packs: PackWriter,
        first_block: u32,
    ) -> Self {
        let open = |at: u32| Mutex::new(OpenBlock::new(first_block + at, Buffer::default()));
        Self {
            folder,
            run,
            id_key,
            index,
            packs,
            next_block: AtomicU32::new(first_block + SHELVES as u32),
            open: std::array::from_fn(|shelf| open(shelf as u32)),
        }
    }

    /// The number of a new block.
    pub(super) fn number(&self) -> u32 {
        self.next_block.fetch_add(1, Ordering::Relaxed)
    }

    fn io(&self, cause: io::Error) -> TrunkError {
        TrunkError::io("writing", &self.folder, cause)
    }

    /// Stores one content, that of the file at `path`.
    pub(super) fn store(
        &self,
        path: &RelativePath,
        content: &mut dyn Read,
        progress: &dyn Fn(u64),
    ) -> Result<Stored, StoreError> {
        let mut extents: Vec<Extent> = Vec::new();
        let mut size_in_bytes = 0;
        let mut whole = ContentHasher::default();
        let mut only = None;
        let mut run = None;
        let mut own: OwnBlocks = std::array::from_fn(|_| None);
        let name = path.name().unwrap_or_default();
        let done = cut(content, name, |cut_piece, is_all| {
            let piece = cut_piece.bytes;
            size_in_bytes += piece.len() as u64;
            progress(piece.len() as u64);
            let mut hash = None;
            if is_all {
                hash = Some(ContentHash::of(piece));
                only = hash;
            } else {
                whole.update(piece);
            }
            if is_zeros(piece) {
                extents.push(Extent::Zeros { length_in_bytes: piece.len() as u64 });
                return Ok(());
            }
            let id = self.id_of(piece, hash);
            let at = match self.index.find(&id) {
                Some(at) => at,
                None => {
                    let shelf = Shelf::of(Texture::of(piece), name, is_all);
                    match cut_piece.shared() {
                        Some(bytes) if shelf.is_dense() && piece.len() >= shelf.block_in_bytes() / 4 => {
                            self.append_to_run(&mut run, id, bytes)?
                        }
                        _ if cut_piece.of_long_file => self.append_to_own(&mut own, shelf, id, piece)?,
                        _ => self.append(shelf, id, piece)?,
                    }
                }
            };
            extents.push(Extent::Contents { block: at.block, first: at.row, count: 1 });
            Ok(())
        });
        // Also of a file that broke off: other files may count on what is known of it.
        let closed = self.close_run(run).and_then(|()| {
            let open = own.into_iter().enumerate();
            open.filter_map(|(shelf, block)| Some((block?, Shelf(shelf))))
                .try_for_each(|(block, shelf)| self.close_block(block, shelf))
        });
        done.map_err(|failed| match failed {
            PieceFailed::Reading(cause) => StoreError::Source(cause),
            PieceFailed::Using(cause) => StoreError::Trunk(cause),
        })?;
        closed.map_err(StoreError::Trunk)?;
        let hash = only.unwrap_or_else(|| whole.finish());
        Ok(Stored { size_in_bytes, hash, extents: Extents::from_iter(extents) })
    }

    fn id_of(&self, piece: &[u8], hash: Option<ContentHash>) -> ContentId {
        match &self.id_key {
            Some(key) => ContentHash::keyed(key, piece).into(),
            None => hash.unwrap_or_else(|| ContentHash::of(piece)).into(),
        }
    }

    /// Puts a new content into the open block of its like.
    fn append(&self, shelf: Shelf, id: ContentId, piece: &[u8]) -> Result<Whereabouts, TrunkError> {
        let mut open = self.open[shelf.0].lock().unwrap_or_else(PoisonError::into_inner);
        let (at, full) = self.put(&mut open, shelf, id, piece);
        drop(open);
        full.map_or(Ok(()), |full| self.close_block(full, shelf))?;
        Ok(at)
    }

    /// The same with the blocks of one long file. Bytes that stand together in it are mostly wanted together,
    /// and several files are stored at one time.
    fn append_to_own(
        &self,
        own: &mut OwnBlocks,
        shelf: Shelf,
        id: ContentId,
        piece: &[u8],
    ) -> Result<Whereabouts, TrunkError> {
        let open = own[shelf.0].get_or_insert_with(|| self.fresh_block(shelf));
        let (at, full) = self.put(open, shelf, id, piece);
        full.map_or(Ok(()), |full| self.close_block(full, shelf))?;
        Ok(at)
    }

    /// Returns the block that was closed for it.
    fn put(
        &self,
        open: &mut OpenBlock,
        shelf: Shelf,
        id: ContentId,
        piece: &[u8],
    ) -> (Whereabouts, Option<OpenBlock>) {
        let is_full = !open.bytes.is_empty() && open.bytes.len() + piece.len() > shelf.block_in_bytes();
        let full = is_full.then(|| std::mem::replace(open, self.fresh_block(shelf)));
        let row = u32::try_from(open.directory.rows.len()).unwrap_or(u32::MAX);
        let length = u32::try_from(piece.len()).unwrap_or(u32::MAX);
        open.directory.rows.push((id, length));
        open.bytes.extend_from_slice(piece);
        let at = Whereabouts { block: open.number, row };
        self.index.insert(id, at);
        (at, full)
    }

    fn fresh_block(&self, shelf: Shelf) -> OpenBlock {
        OpenBlock::new(self.number(), Buffer::empty(squeeze::longest_frame_of(shelf.block_in_bytes())))
    }

    /// Puts a new dense content into a block of those that stand beside it, without copying any of them.
    fn append_to_run(
        &self,
        run: &mut Option<DenseRun>,
        id: ContentId,
        bytes: Bytes,
    ) -> Result<Whereabouts, TrunkError> {
        let length = u32::try_from(bytes.len()).unwrap_or(u32::MAX);
        if !run.as_mut().is_some_and(|open| open.bytes.join(&bytes)) {
            self.close_run(run.take())?;
        }
        let open = run.get_or_insert_with(|| DenseRun {
            number: self.number(),
            directory: Directory::default(),
            bytes,
        });
        let row = u32::try_from(open.directory.rows.len()).unwrap_or(u32::MAX);
        open.directory.rows.push((id, length));
        let at = Whereabouts { block: open.number, row };
        self.index.insert(id, at);
        Ok(at)
    }

    fn close_run(&self, run: Option<DenseRun>) -> Result<(), TrunkError> {
        let Some(DenseRun { number, directory, bytes }) = run else { return Ok(()) };
        let raw_in_bytes = bytes.len();
        self.write_block(number, &directory, Codec::Plain, bytes, raw_in_bytes)
    }

    fn close_block(&self, block: OpenBlock, shelf: Shelf) -> Result<(), TrunkError> {
        let OpenBlock { number, directory, bytes } = block;
        let raw_in_bytes = bytes.len();
        let packed =
            if shelf.is_dense() { None } else { squeeze::pack(&bytes).map_err(|cause| self.io(cause))? };
        let (codec, body) = match packed {
            Some(packed) => (Codec::Zstd, packed),
            None => (Codec::Plain, bytes),
        };
        self.write_block(number, &directory, codec, Bytes::Own(body), raw_in_bytes)
    }

    fn write_block(
        &self,
        number: u32,
        directory: &Directory,
        codec: Codec,
        body: Bytes,
        raw_in_bytes: usize,
    ) -> Result<(), TrunkError> {
        let sealed =
            block::seal(Kind::Contents, codec, number, directory, body, raw_in_bytes, self.run.key())
                .map_err(|cause| self.io(cause))?;
        self.packs.write(sealed)
    }

    /// Closes the blocks that are still filled.
    pub(super) fn close_open_blocks(&self) -> Result<(), TrunkError> {
        for (shelf, open) in self.open.iter().enumerate() {
            let mut open = open.lock().unwrap_or_else(PoisonError::into_inner);
            if !open.bytes.is_empty() {
                let fresh = OpenBlock::new(self.number(), Buffer::default());
                let full = std::mem::replace(&mut *open, fresh);
                drop(open);
                self.close_block(full, Shelf(shelf))?;
            }
        }
        Ok(())
    }
}

impl OpenBlock {
    fn new(number: u32, bytes: Buffer) -> Self {
        Self { number, directory: Directory::default(), bytes }
    }
}
