//! VHD, the older form of virtual drives, after the *Virtual Hard Disk Image Format Specification*: a footer
//! of 512 bytes at the end, and for those that grow a header and a table of blocks. All numbers are big
//! endian.
//!
//! A file without a footer is taken as it is: the bytes of a drive.

use super::{Flaw, Identifier, NOT_THE_PARENT, Parent};
use crate::block_source::{BlockSource, Section, read_exact_at, stretch};
use crate::numbers::{be_u32, be_u64};
use std::io;
use std::sync::Arc;

const FOOTER_IN_BYTES: u64 = 512;
const SECTOR_IN_BYTES: u64 = 512;
const FIXED: u32 = 2;
const DYNAMIC: u32 = 3;
const DIFFERENCING: u32 = 4;
/// The largest drive that the form can describe has a quarter of it.
const MOST_BLOCKS: u64 = 1 << 22;
/// A block that is not in the file.
const NOT_THERE: u32 = u32::MAX;

struct Footer {
    kind: u32,
    header_at: u64,
    size_in_bytes: u64,
    identifier: Identifier,
}

/// None if it is none. The sum of all bytes but its own proves it.
fn footer(bytes: &[u8]) -> Option<Footer> {
    if !bytes.starts_with(b"conectix") || be_u32(bytes, 64)? != checksum(bytes, 64) {
        return None;
    }
    Some(Footer {
        kind: be_u32(bytes, 60)?,
        header_at: be_u64(bytes, 16)?,
        size_in_bytes: be_u64(bytes, 48)?,
        identifier: *bytes.get(68..)?.first_chunk()?,
    })
}

/// The complement of the sum of all bytes, the checksum's own left out.
fn checksum(bytes: &[u8], own_at: usize) -> u32 {
    let outside = bytes.iter().enumerate().filter(|(at, _)| !(own_at..own_at + 4).contains(at));
    !outside.fold(0_u32, |sum, (_, byte)| sum.wrapping_add(u32::from(*byte)))
}

/// `wanted` is the identifier that an image has that another one stands on.
pub(super) fn open(
    file: Arc<dyn BlockSource>,
    wanted: Option<Identifier>,
    parent: &Parent<'_>,
) -> Result<Arc<dyn BlockSource>, Flaw> {
    let length_in_bytes = file.size_in_bytes();
    let footer_at = |at: u64| -> io::Result<Option<Footer>> {
        if at.saturating_add(FOOTER_IN_BYTES) > length_in_bytes {
            return Ok(None);
        }
        Ok(footer(&stretch(&*file, at, FOOTER_IN_BYTES as usize)?))
    };
    let at_end = match length_in_bytes.checked_sub(FOOTER_IN_BYTES) {
        // The last sector of a failing drive may not be readable; a drive has no footer.
        Some(at) => footer_at(at).ok().flatten(),
        None => None,
    };
    // Those that grow begin with a copy of it.
    let found = at_end.or(footer_at(0)?);
    if wanted.is_some() && found.as_ref().map(|footer| footer.identifier) != wanted {
        return Err(NOT_THE_PARENT);
    }
    let Some(found) = found else { return Ok(file) };
    match found.kind {
        FIXED => {
            let size_in_bytes = found.size_in_bytes.min(length_in_bytes - FOOTER_IN_BYTES);
            Ok(Arc::new(Section::new(file, 0, size_in_bytes)))
        }
        DYNAMIC | DIFFERENCING => Ok(Arc::new(Growing::open(file, &found, parent)?)),
        _ => Err(Flaw::Unsupported("a kind of VHD that its specification does not know")),
    }
}

/// One whose blocks were added as they were written.
struct Growing {
    file: Arc<dyn BlockSource>,
    /// Where each block is, in sectors.
    table: Vec<u32>,
    block_in_bytes: u64,
    bitmap_in_bytes: u64,
    size_in_bytes: u64,
    parent: Option<Arc<dyn BlockSource>>,
}

impl Growing {
    fn open(file: Arc<dyn BlockSource>, footer: &Footer, parent: &Parent<'_>) -> Result<Self, Flaw> {
        const HEADER_IN_BYTES: usize = 1024;
        const DAMAGED: Flaw = Flaw::Damaged("its header contradicts itself");
        let header = stretch(&*file, footer.header_at, HEADER_IN_BYTES)?;
        if !header.starts_with(b"cxsparse") || be_u32(&header, 36) != Some(checksum(&header, 36)) {
            return Err(DAMAGED);
        }
        let number = |at: usize| be_u32(&header, at).ok_or(DAMAGED);
        let (table_at, entries) = (be_u64(&header, 16).ok_or(DAMAGED)?, u64::from(number(28)?));
        let block_in_bytes = u64::from(number(32)?);
        let is_usual = block_in_bytes.is_power_of_two() && block_in_bytes >= SECTOR_IN_BYTES;
        let needed = footer.size_in_bytes.div_ceil(block_in_bytes.max(1));
        if !is_usual || needed > entries.min(MOST_BLOCKS) {
            return Err(DAMAGED);
        }
        let table = stretch(&*file, table_at, usize::try_from(needed * 4).map_err(|_| DAMAGED)?)?;
        let table = table.as_chunks().0.iter().map(|entry| u32::from_be_bytes(*entry)).collect();
        let parent = if footer.kind == DIFFERENCING {
            let units: Vec<u16> =
                header[64..64 + 512].as_chunks().0.iter().map(|pair| u16::from_be_bytes(*pair)).collect();
            let name = String::from_utf16_lossy(&units);
            let identifier = *header.get(40..).and_then(<[u8]>::first_chunk).ok_or(DAMAGED)?;
            Some(parent(name.trim_end_matches('\0'), identifier)?)
        } else {
            None
        };
        let sectors = block_in_bytes / SECTOR_IN_BYTES;
        Ok(Self {
            bitmap_in_bytes: sectors.div_ceil(8).next_multiple_of(SECTOR_IN_BYTES),
            file,
            table,
            block_in_bytes,
            size_in_bytes: footer.size_in_bytes,
            parent,
        })
    }

    /// Reads from the image below, or zeros.
    fn read_below(&self, at: u64, buffer: &mut [u8]) -> io::Result<()> {
        let read = match &self.parent {
            Some(parent) => parent.read_at(at, buffer)?,
            None => 0,
        };
        buffer[read..].fill(0);
        Ok(())
    }

    /// A stretch within one block.
    fn read_in_block(&self, at: u64, buffer: &mut [u8]) -> io::Result<()> {
        let (block, within) = (at / self.block_in_bytes, at % self.block_in_bytes);
        let place = usize::try_from(block).ok().and_then(|block| self.table.get(block)).copied();
        let Some(place) = place.filter(|place| *place != NOT_THERE) else {
            return self.read_below(at, buffer);
        };
        let block_at = u64::from(place) * SECTOR_IN_BYTES;
        if self.parent.is_none() {
            return read_exact_at(&*self.file, block_at + self.bitmap_in_bytes + within, buffer);
        }
        let bitmap = stretch(&*self.file, block_at, self.bitmap_in_bytes as usize)?;
        let mut done = 0;
        while done < buffer.len() {
            let within = within + done as u64;
            let sector = within / SECTOR_IN_BYTES;
            let is_here = bitmap[(sector / 8) as usize] & (0x80 >> (sector % 8)) != 0;
            let length =
                (SECTOR_IN_BYTES - within % SECTOR_IN_BYTES).min((buffer.len() - done) as u64) as usize;
            let piece = &mut buffer[done..done + length];
            if is_here {
                read_exact_at(&*self.file, block_at + self.bitmap_in_bytes + within, piece)?;
            } else {
                self.read_below(at + done as u64, piece)?;
            }
            done += length;
        }
        Ok(())
    }
}

impl BlockSource for Growing {
    fn size_in_bytes(&self) -> u64 {
        self.size_in_bytes
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        super::by_block(self.size_in_bytes, self.block_in_bytes, offset_in_bytes, buffer, |at, piece| {
            self.read_in_block(at, piece)
        })
    }
}
