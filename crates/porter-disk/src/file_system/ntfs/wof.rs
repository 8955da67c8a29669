//! Files that Windows compressed for space (`compact /exe`, and the system's own): the content is in a
//! stream, chunk by chunk, behind a table of where each chunk ends.

use super::content::Content;
use super::reparse::Algorithm;
use super::units::Units;
use crate::block_source::held;
use crate::packed::{lzx, xpress};
use porter_source::{OwnTrouble, VolumeFile};
use std::io;

pub(super) struct WofFile {
    packed: Content,
    algorithm: Algorithm,
    size_in_bytes: u64,
    chunks: Units,
}

fn damaged() -> io::Error {
    OwnTrouble::Damaged("its compressed content contradicts itself").into()
}

impl WofFile {
    pub(super) fn new(packed: Content, algorithm: Algorithm, size_in_bytes: u64) -> Self {
        let chunk_in_bytes = match algorithm {
            Algorithm::Xpress { chunk_in_bytes } => chunk_in_bytes,
            Algorithm::Lzx => lzx::CHUNK_IN_BYTES,
        };
        Self { packed, algorithm, size_in_bytes, chunks: Units::of(chunk_in_bytes as u64) }
    }

    /// Where a chunk begins behind the table. The first begins at 0, which the table leaves out.
    fn begin(&self, chunk: u64, count: u64) -> io::Result<u64> {
        let table_in_bytes = (count - 1) * self.place_in_bytes();
        match chunk {
            0 => Ok(table_in_bytes),
            chunk if chunk == count => Ok(self.packed.size_in_bytes()),
            chunk => {
                let mut place = [0; 8];
                let length = self.place_in_bytes() as usize;
                self.packed.read_exactly((chunk - 1) * length as u64, &mut place[..length])?;
                u64::from_le_bytes(place).checked_add(table_in_bytes).ok_or_else(damaged)
            }
        }
    }

    /// Files of 4 GiB and more need longer places.
    fn place_in_bytes(&self) -> u64 {
        if self.size_in_bytes > u64::from(u32::MAX) { 8 } else { 4 }
    }

    fn chunk(&self, chunk: u64) -> io::Result<Vec<u8>> {
        let chunk_in_bytes = self.chunks.unit_in_bytes();
        let count = self.size_in_bytes.div_ceil(chunk_in_bytes);
        let length = (self.size_in_bytes - chunk * chunk_in_bytes).min(chunk_in_bytes) as usize;
        let (begin, end) = (self.begin(chunk, count)?, self.begin(chunk + 1, count)?);
        let packed_in_bytes = end.checked_sub(begin).and_then(|length| usize::try_from(length).ok());
        // A chunk that did not become shorter is kept as it is.
        let packed_in_bytes = packed_in_bytes.filter(|packed| *packed <= length).ok_or_else(damaged)?;
        let mut packed = vec![0; packed_in_bytes];
        self.packed.read_exactly(begin, &mut packed)?;
        if packed_in_bytes == length {
            return Ok(packed);
        }
        Ok(match self.algorithm {
            Algorithm::Xpress { .. } => xpress::unpacked(&packed, length)?,
            Algorithm::Lzx => lzx::unpacked(&packed, length)?,
        })
    }
}

impl VolumeFile for WofFile {
    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let wanted = held(self.size_in_bytes, offset_in_bytes, buffer.len());
        self.chunks.read(offset_in_bytes, &mut buffer[..wanted], |chunk| self.chunk(chunk))?;
        Ok(wanted)
    }
}
