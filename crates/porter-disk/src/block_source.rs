//! Bytes with a length, whatever they are on: a device, an image, a stretch of either.

use porter_source::spinning::Arm;
use porter_source::{OwnTrouble, VolumeFile};
use std::io;
use std::sync::Arc;

/// A read-only sequence of bytes. Several threads may read it at once.
pub trait BlockSource: Send + Sync {
    /// Its length.
    fn size_in_bytes(&self) -> u64;

    /// Reads up to `buffer.len()` bytes; fewer only at the end, 0 behind it.
    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize>;

    /// Lets `look` see a stretch without a copy of it, as [`VolumeFile::look_at`] does.
    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        let _ = (offset_in_bytes, length_in_bytes, look);
        false
    }

    /// True if the device was unplugged, as far as that is known.
    fn is_gone(&self) -> bool {
        false
    }
}

/// Fills the buffer. Fails where the source ends too early.
pub fn read_exact_at(source: &dyn BlockSource, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<()> {
    match source.read_at(offset_in_bytes, buffer)? {
        read if read == buffer.len() => Ok(()),
        _ => Err(OwnTrouble::Damaged("it points behind the end of the volume").into()),
    }
}

/// How much of a stretch lies before the end.
pub(crate) fn held(size_in_bytes: u64, offset_in_bytes: u64, length_in_bytes: usize) -> usize {
    let left_in_bytes = size_in_bytes.saturating_sub(offset_in_bytes);
    usize::try_from(left_in_bytes).unwrap_or(usize::MAX).min(length_in_bytes)
}

/// A stretch of the source, of a length that its reader has bounded.
pub(crate) fn stretch(
    source: &dyn BlockSource,
    offset_in_bytes: u64,
    length_in_bytes: usize,
) -> io::Result<Vec<u8>> {
    let mut bytes = vec![0; length_in_bytes];
    read_exact_at(source, offset_in_bytes, &mut bytes)?;
    Ok(bytes)
}

/// A stretch of another source: a partition.
pub struct Section {
    of: Arc<dyn BlockSource>,
    start_in_bytes: u64,
    size_in_bytes: u64,
}

impl Section {
    /// The stretch, as far as the other source has it.
    pub fn new(of: Arc<dyn BlockSource>, start_in_bytes: u64, size_in_bytes: u64) -> Self {
        let left_in_bytes = of.size_in_bytes().saturating_sub(start_in_bytes);
        Self { of, start_in_bytes, size_in_bytes: size_in_bytes.min(left_in_bytes) }
    }
}

impl BlockSource for Section {
    fn size_in_bytes(&self) -> u64 {
        self.size_in_bytes
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let held = held(self.size_in_bytes, offset_in_bytes, buffer.len());
        if held == 0 {
            return Ok(0);
        }
        self.of.read_at(self.start_in_bytes + offset_in_bytes, &mut buffer[..held])
    }

    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        held(self.size_in_bytes, offset_in_bytes, length_in_bytes) == length_in_bytes
            && self.of.look_at(self.start_in_bytes + offset_in_bytes, length_in_bytes, look)
    }

    fn is_gone(&self) -> bool {
        self.of.is_gone()
    }
}

/// An open file that holds the bytes.
pub(crate) struct FileSource {
    file: Box<dyn VolumeFile>,
    size_in_bytes: u64,
}

impl FileSource {
    pub(crate) fn new(file: Box<dyn VolumeFile>, size_in_bytes: u64) -> Self {
        Self { file, size_in_bytes }
    }
}

impl BlockSource for FileSource {
    fn size_in_bytes(&self) -> u64 {
        self.size_in_bytes
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let wanted = held(self.size_in_bytes, offset_in_bytes, buffer.len());
        let mut read = 0;
        while read < wanted {
            match self.file.read_at(offset_in_bytes + read as u64, &mut buffer[read..wanted]) {
                Ok(0) => break,
                Ok(more) => read += more,
                Err(cause) if cause.kind() == io::ErrorKind::Interrupted => {}
                Err(cause) => return Err(cause),
            }
        }
        Ok(read)
    }

    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        self.file.look_at(offset_in_bytes, length_in_bytes, look)
    }
}

/// A source on a disk that spins: one reader after the other, or they would make it seek all the time.
pub(crate) struct InTurn {
    of: Arc<dyn BlockSource>,
    arm: Arm,
}

impl InTurn {
    pub(crate) fn new(of: Arc<dyn BlockSource>) -> Self {
        Self { of, arm: Arm::default() }
    }
}

impl BlockSource for InTurn {
    fn size_in_bytes(&self) -> u64 {
        self.of.size_in_bytes()
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let _turn = self.arm.take();
        self.of.read_at(offset_in_bytes, buffer)
    }

    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        let _turn = self.arm.take();
        self.of.look_at(offset_in_bytes, length_in_bytes, look)
    }

    fn is_gone(&self) -> bool {
        self.of.is_gone()
    }
}

/// Bytes in memory: what tests and changed files are made of.
impl BlockSource for Vec<u8> {
    fn size_in_bytes(&self) -> u64 {
        self.len() as u64
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let rest = usize::try_from(offset_in_bytes).ok().and_then(|at| self.get(at..)).unwrap_or_default();
        let read = rest.len().min(buffer.len());
        buffer[..read].copy_from_slice(&rest[..read]);
        Ok(read)
    }
}
