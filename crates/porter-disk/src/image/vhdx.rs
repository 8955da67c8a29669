//! VHDX, the newer form of virtual drives, after [MS-VHDX]: two headers, of which the later valid one
//! counts, a log of changes that were not carried out yet, and a table of blocks.

mod log;

use super::{Flaw, Identifier, NOT_THE_PARENT, Parent, by_block};
use crate::block_source::{BlockSource, read_exact_at, stretch};
use crate::numbers::{le_u16, le_u32, le_u64, utf16};
use log::Replayed;
use std::collections::BTreeMap;
use std::io;
use std::sync::Arc;

const HEADERS_AT: [u64; 2] = [0x1_0000, 0x2_0000];
const HEADER_IN_BYTES: usize = 4096;
const REGION_TABLES_AT: [u64; 2] = [0x3_0000, 0x4_0000];
const REGION_TABLE_IN_BYTES: usize = 0x1_0000;
/// The most that a region of metadata is looked at; what is wanted of it is at its beginning.
const MOST_METADATA_IN_BYTES: u64 = 0x20_0000;

/// The largest drive ([MS-VHDX] 1.3: 64 TiB).
const MOST_IN_BYTES: u64 = 64 << 40;
/// Windows makes logs of 1 MiB.
const MOST_LOG_IN_BYTES: u32 = 64 << 20;

const TABLE_OF_BLOCKS: Identifier = guid(0x2DC2_7766, 0xF623, 0x4200, 0x9D64_115E_9BFD_4A08);
const METADATA: Identifier = guid(0x8B7C_A206, 0x4790, 0x4B9A, 0xB8FE_575F_050F_886E);
const FILE_PARAMETERS: Identifier = guid(0xCAA1_6737, 0xFA36, 0x4D43, 0xB3B6_33F0_AA44_E76B);
const VIRTUAL_SIZE: Identifier = guid(0x2FA5_4224, 0xCD1B, 0x4876, 0xB211_5DBE_D83B_F4B8);
const LOGICAL_SECTOR: Identifier = guid(0x8141_BF1D, 0xA96F, 0x4709, 0xBA47_F233_A8FA_AB5F);
const PARENT_LOCATOR: Identifier = guid(0xA8D3_5F2D, 0xB30B, 0x454D, 0xABF7_D3D8_4834_AB0C);

/// States of a block ([MS-VHDX] 2.5.1.1): those in which its bytes are in this file.
const FULLY_PRESENT: u64 = 6;
const PARTIALLY_PRESENT: u64 = 7;
/// Zeros, whatever the parent has.
const ZERO: u64 = 2;
const UNMAPPED: u64 = 3;

/// A number as it stands in the file: the first three parts are little endian.
const fn guid(first: u32, second: u16, third: u16, rest: u64) -> Identifier {
    let (a, b, c, d) = (first.to_le_bytes(), second.to_le_bytes(), third.to_le_bytes(), rest.to_be_bytes());
    [a[0], a[1], a[2], a[3], b[0], b[1], c[0], c[1], d[0], d[1], d[2], d[3], d[4], d[5], d[6], d[7]]
}

/// True for a file that begins as such an image does.
pub(super) fn is_one(file: &dyn BlockSource) -> io::Result<bool> {
    let mut mark = [0; 8];
    Ok(file.read_at(0, &mut mark)? == mark.len() && mark == *b"vhdxfile")
}

/// The checksum of all structures: CRC-32C, with zeros where it stands itself.
fn has_checksum(bytes: &[u8]) -> bool {
    let sum = crc::Crc::<u32>::new(&crc::CRC_32_ISCSI);
    let mut digest = sum.digest();
    let (Some(before), Some(behind)) = (bytes.get(..4), bytes.get(8..)) else { return false };
    digest.update(before);
    digest.update(&[0; 4]);
    digest.update(behind);
    le_u32(bytes, 4) == Some(digest.finalize())
}

struct Header {
    sequence: u64,
    data_identifier: Identifier,
    log_identifier: Identifier,
    log_at: u64,
    log_in_bytes: u32,
}

fn header(bytes: &[u8]) -> Option<Header> {
    if !bytes.starts_with(b"head") || !has_checksum(bytes) {
        return None;
    }
    Some(Header {
        sequence: le_u64(bytes, 8)?,
        data_identifier: *bytes.get(32..)?.first_chunk()?,
        log_identifier: *bytes.get(48..)?.first_chunk()?,
        log_in_bytes: le_u32(bytes, 68)?,
        log_at: le_u64(bytes, 72)?,
    })
}

/// Where the regions are, and how long.
fn regions(bytes: &[u8]) -> Option<BTreeMap<Identifier, (u64, u32)>> {
    if !bytes.starts_with(b"regi") || !has_checksum(bytes) {
        return None;
    }
    let rows = bytes.get(16..)?.as_chunks::<32>().0;
    let count = usize::try_from(le_u32(bytes, 8)?).ok()?;
    rows.iter()
        .take(count)
        .map(|row| Some((*row.first_chunk()?, (le_u64(row, 16)?, le_u32(row, 24)?))))
        .collect()
}

/// An item of the metadata region.
fn metadata_item<'b>(region: &'b [u8], wanted: &Identifier) -> Option<&'b [u8]> {
    let count = usize::from(le_u16(region, 10)?);
    let row = region.get(32..)?.as_chunks::<32>().0.iter().take(count).find(|row| row.starts_with(wanted))?;
    let from = usize::try_from(le_u32(row, 16)?).ok()?;
    region.get(from..from.checked_add(usize::try_from(le_u32(row, 20)?).ok()?)?)
}

/// A text of the parent's locator ([MS-VHDX] 2.6.2.6).
fn locator_text(locator: &[u8], wanted: &str) -> Option<String> {
    let text = |at: u32, length: u16| {
        let from = usize::try_from(at).ok()?;
        locator.get(from..from.checked_add(usize::from(length))?).map(utf16)
    };
    let count = usize::from(le_u16(locator, 18)?);
    let rows = locator.get(20..)?.as_chunks::<12>().0.iter().take(count);
    let mut found = rows.filter_map(|row| {
        let key = text(le_u32(row, 0)?, le_u16(row, 8)?)?;
        if key == wanted { text(le_u32(row, 4)?, le_u16(row, 10)?) } else { None }
    });
    found.next()
}

/// `{83ed0ec3-24c8-49a6-a959-5e4bd1288480}`, as bytes.
fn guid_from_text(text: &str) -> Option<Identifier> {
    let digits: Vec<&str> = text.trim_matches(['{', '}']).split('-').collect();
    let number = |part: &str| u64::from_str_radix(part, 16).ok();
    let [a, b, c, d, e] = digits[..] else { return None };
    let rest = number(d)?.checked_shl(48)? | number(e)?;
    Some(guid(number(a)?.try_into().ok()?, number(b)?.try_into().ok()?, number(c)?.try_into().ok()?, rest))
}

pub(super) struct Vhdx {
    file: Arc<dyn BlockSource>,
    table: Vec<u64>,
    block_in_bytes: u64,
    /// This many blocks share a bitmap, which says which of their sectors are here.
    blocks_per_bitmap: u64,
    sector_in_bytes: u64,
    size_in_bytes: u64,
    parent: Option<Arc<dyn BlockSource>>,
}

impl Vhdx {
    pub(super) fn open(
        file: Arc<dyn BlockSource>,
        wanted: Option<Identifier>,
        parent: &Parent<'_>,
    ) -> Result<Self, Flaw> {
        const DAMAGED: Flaw = Flaw::Damaged("its tables contradict themselves");
        let headers = HEADERS_AT.iter().filter_map(|at| header(&stretch(&*file, *at, HEADER_IN_BYTES).ok()?));
        let newest = headers.max_by_key(|header| header.sequence);
        let newest = newest.ok_or(Flaw::Damaged("neither of its two headers is whole"))?;
        if wanted.is_some_and(|wanted| wanted != newest.data_identifier) {
            return Err(NOT_THE_PARENT);
        }
        let file: Arc<dyn BlockSource> = if newest.log_identifier == [0; 16] {
            file
        } else {
            if newest.log_in_bytes > MOST_LOG_IN_BYTES {
                return Err(Flaw::Unsupported("its log of changes is longer than any that Windows makes"));
            }
            let log = stretch(&*file, newest.log_at, newest.log_in_bytes as usize)?;
            Arc::new(Replayed::new(file, log::pages(&log, &newest.log_identifier)?))
        };
        let tables = REGION_TABLES_AT
            .iter()
            .find_map(|at| regions(&stretch(&*file, *at, REGION_TABLE_IN_BYTES).ok()?))
            .ok_or(Flaw::Damaged("neither of its two tables of regions is whole"))?;
        let region = |wanted: &Identifier, most_in_bytes: u64| -> Result<Vec<u8>, Flaw> {
            let (at, length) = tables.get(wanted).ok_or(DAMAGED)?;
            let length = u64::from(*length).min(most_in_bytes).min(file.size_in_bytes());
            Ok(stretch(&*file, *at, usize::try_from(length).map_err(|_| DAMAGED)?)?)
        };
        let metadata = region(&METADATA, MOST_METADATA_IN_BYTES)?;
        let item = |wanted: &Identifier| metadata_item(&metadata, wanted).ok_or(DAMAGED);
        let block_in_bytes = u64::from(le_u32(item(&FILE_PARAMETERS)?, 0).ok_or(DAMAGED)?);
        let has_parent = le_u32(item(&FILE_PARAMETERS)?, 4).ok_or(DAMAGED)? & 2 != 0;
        let size_in_bytes = le_u64(item(&VIRTUAL_SIZE)?, 0).ok_or(DAMAGED)?;
        let sector_in_bytes = u64::from(le_u32(item(&LOGICAL_SECTOR)?, 0).ok_or(DAMAGED)?);
        let is_usual = matches!(sector_in_bytes, 512 | 4096)
            && block_in_bytes.is_power_of_two()
            && (1 << 20..=256 << 20).contains(&block_in_bytes);
        if !is_usual {
            return Err(DAMAGED);
        }
        let blocks_per_bitmap = (1 << 23) * sector_in_bytes / block_in_bytes;
        let blocks = size_in_bytes.div_ceil(block_in_bytes);
        // A bitmap stands behind the blocks that share it, also behind the last ones if they are fewer.
        let entries =
            blocks.saturating_add(blocks.div_ceil(blocks_per_bitmap)).saturating_add(blocks_per_bitmap);
        if size_in_bytes > MOST_IN_BYTES {
            return Err(DAMAGED);
        }
        let table = region(&TABLE_OF_BLOCKS, entries.saturating_mul(8))?;
        let table = table.as_chunks().0.iter().map(|entry| u64::from_le_bytes(*entry)).collect();
        let parent = if has_parent {
            let locator = item(&PARENT_LOCATOR)?;
            let text = |key: &str| locator_text(locator, key);
            let linkage = text("parent_linkage").and_then(|text| guid_from_text(&text)).ok_or(DAMAGED)?;
            let name = text("relative_path").or_else(|| text("absolute_win32_path")).ok_or(DAMAGED)?;
            Some(parent(&name, linkage)?)
        } else {
            None
        };
        Ok(Self { file, table, block_in_bytes, blocks_per_bitmap, sector_in_bytes, size_in_bytes, parent })
    }

    fn entry(&self, at: u64) -> u64 {
        usize::try_from(at).ok().and_then(|at| self.table.get(at)).copied().unwrap_or_default()
    }

    /// A stretch within one block.
    fn read_in_block(&self, at: u64, buffer: &mut [u8]) -> io::Result<()> {
        const STATE: u64 = 7;
        const PLACE: u64 = !0xF_FFFF;
        let (block, within) = (at / self.block_in_bytes, at % self.block_in_bytes);
        let chunk = block / self.blocks_per_bitmap;
        let entry = self.entry(block + chunk);
        match (entry & STATE, &self.parent) {
            (FULLY_PRESENT, _) => read_exact_at(&*self.file, (entry & PLACE) + within, buffer),
            (PARTIALLY_PRESENT, Some(parent)) => {
                let bitmap_at =
                    self.entry(chunk * (self.blocks_per_bitmap + 1) + self.blocks_per_bitmap) & PLACE;
                let first_sector =
                    block % self.blocks_per_bitmap * (self.block_in_bytes / self.sector_in_bytes);
                let mut done = 0;
                while done < buffer.len() {
                    let within = within + done as u64;
                    let sector = first_sector + within / self.sector_in_bytes;
                    let mut bits = [0];
                    read_exact_at(&*self.file, bitmap_at + sector / 8, &mut bits)?;
                    let left_in_sector = self.sector_in_bytes - within % self.sector_in_bytes;
                    let length = (left_in_sector as usize).min(buffer.len() - done);
                    let piece = &mut buffer[done..done + length];
                    if bits[0] >> (sector % 8) & 1 == 1 {
                        read_exact_at(&*self.file, (entry & PLACE) + within, piece)?;
                    } else {
                        read_or_zeros(&**parent, at + done as u64, piece)?;
                    }
                    done += length;
                }
                Ok(())
            }
            (ZERO | UNMAPPED, _) | (_, None) => {
                buffer.fill(0);
                Ok(())
            }
            (_, Some(parent)) => read_or_zeros(&**parent, at, buffer),
        }
    }
}

/// Zeros behind the end of a parent that is smaller.
fn read_or_zeros(parent: &dyn BlockSource, at: u64, buffer: &mut [u8]) -> io::Result<()> {
    let read = parent.read_at(at, buffer)?;
    buffer[read..].fill(0);
    Ok(())
}

impl BlockSource for Vhdx {
    fn size_in_bytes(&self) -> u64 {
        self.size_in_bytes
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        by_block(self.size_in_bytes, self.block_in_bytes, offset_in_bytes, buffer, |at, piece| {
            self.read_in_block(at, piece)
        })
    }
}
