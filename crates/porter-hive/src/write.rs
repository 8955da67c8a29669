//! Putting a hive together.
//!
//! All of it is rewritten, each cell after the other, so that the result depends on no earlier damage. The
//! layout is that of the version asked for: long data in pieces and hashed lists from 1.4 on, as Windows
//! itself writes them.

use crate::base_block::{self, BaseBlock};
use crate::cell::NONE;
use crate::security::for_new_hive;
use crate::tree::KeyTree;
use crate::value::PIECE_IN_BYTES;
use crate::walk::MOST_LEVELS;
use crate::{HiveError, Name, TreeValue};
use std::collections::HashMap;
use std::sync::Arc;

/// Bins are as long as pages.
const PAGE_IN_BYTES: usize = 4096;
/// `hbin`, place, length, and what only the first bin keeps.
const BIN_HEAD_IN_BYTES: usize = 32;
/// Windows cuts lists of subkeys that are longer.
const MOST_IN_LIST: usize = 500;
/// Windows takes no longer names of keys, in letters.
const LONGEST_KEY_NAME: usize = 255;
/// Windows takes no longer names of values, in letters.
const LONGEST_VALUE_NAME: usize = 16_383;
/// The lengths of cells are kept in 31 bits.
const LONGEST_HIVE_IN_BYTES: usize = 0x7fff_0000;

/// The versions that can be written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Version {
    /// Windows XP's.
    V1_3,
    /// Since Windows Vista.
    V1_5,
}

/// The fields at the beginning of a hive.
#[derive(Debug, Clone)]
pub struct Heading {
    /// Its version.
    pub version: Version,
    /// When it was last written, as a `FILETIME`.
    pub last_written: u64,
    /// How often it was written.
    pub sequence: u32,
    /// Its path on its machine; the end of it is kept.
    pub file_name: String,
}

/// The bytes of a hive that holds `root`. The order of keys becomes that of Windows.
pub fn to_bytes(root: &KeyTree, heading: &Heading) -> Result<Vec<u8>, HiveError> {
    if root.levels() > MOST_LEVELS {
        return Err(HiveError::CannotHold {
            what: format!("more than {MOST_LEVELS} keys inside each other"),
        });
    }
    let mut writer = Writer {
        version: heading.version,
        bins: Vec::new(),
        bin_end: 0,
        next_free: 0,
        descriptors: HashMap::new(),
    };
    let inherited = root.security.clone().unwrap_or_else(|| for_new_hive().into());
    let root_offset = writer.key(root, NONE, &inherited, true)?;
    writer.close_bin();
    writer.count_descriptors();
    let bins = writer.bins;
    let block = BaseBlock {
        primary_sequence: heading.sequence,
        secondary_sequence: heading.sequence,
        last_written: heading.last_written,
        minor_version: if heading.version == Version::V1_3 { 3 } else { 5 },
        file_kind: 0,
        root_offset,
        bins_size_in_bytes: bins.len() as u32,
        checksum_holds: true,
    };
    let mut bytes = vec![0; base_block::SIZE_IN_BYTES];
    block.write_to(&mut bytes, &heading.file_name);
    bytes.extend(bins);
    Ok(bytes)
}

struct Writer {
    version: Version,
    bins: Vec<u8>,
    /// Where the bin that is being filled ends, and where in it the next cell goes.
    bin_end: usize,
    next_free: usize,
    /// Each descriptor is kept once: its place, and how many keys have it.
    descriptors: HashMap<Arc<[u8]>, (u32, u32)>,
}

impl Writer {
    /// A key and all that is below it. Recurs as deep as [`MOST_LEVELS`].
    fn key(
        &mut self,
        key: &KeyTree,
        above: u32,
        inherited: &Arc<[u8]>,
        is_root: bool,
    ) -> Result<u32, HiveError> {
        let (name, one_byte_each) = key.name.to_bytes();
        if key.name.units().len() > LONGEST_KEY_NAME {
            return Err(HiveError::CannotHold { what: format!("the name of the key {}", key.name) });
        }
        let security = key.security.as_ref().unwrap_or(inherited);
        let mut sorted: Vec<&KeyTree> = key.subkeys.iter().collect();
        sorted.sort_by(|a, b| a.name.folded().cmp(b.name.folded()));
        if let Some(pair) = sorted.windows(2).find(|pair| pair[0].name.is_same(&pair[1].name)) {
            return Err(HiveError::CannotHold {
                what: format!("two keys called {} in {}", pair[0].name, key.name),
            });
        }

        // First its own place, because the keys below have to name it.
        let offset = self.allocate(76 + name.len())?;
        let security_at = self.descriptor(security)?;
        let mut below = Vec::with_capacity(sorted.len());
        for subkey in &sorted {
            below.push((self.key(subkey, offset, security, false)?, &subkey.name));
        }
        let subkeys_at = self.subkey_list(&below)?;
        let values_at = self.values(&key.values)?;
        let class_name: Vec<u8> =
            key.class_name.iter().flat_map(Name::units).flat_map(|unit| unit.to_le_bytes()).collect();
        let class_at = if class_name.is_empty() { NONE } else { self.data_cell(&class_name)? };

        const ROOT_AND_KEPT: u16 = 0x000c;
        let flags = if is_root { ROOT_AND_KEPT } else { 0 }
            | if key.is_link { 0x0010 } else { 0 }
            | if one_byte_each { 0x0020 } else { 0 };
        let in_utf16 = |name: &Name| 2 * name.units().len() as u32;
        let longest = |lengths: &mut dyn Iterator<Item = u32>| lengths.max().unwrap_or(0);
        let longest_subkey = longest(&mut key.subkeys.iter().map(|subkey| in_utf16(&subkey.name)));
        let longest_value = longest(&mut key.values.iter().map(|value| in_utf16(&value.name)));
        let longest_data = longest(&mut key.values.iter().map(|value| value.data.len() as u32));
        let longest_class =
            longest(&mut key.subkeys.iter().filter_map(|s| s.class_name.as_ref()).map(in_utf16));
        let mut cell = Vec::with_capacity(76 + name.len());
        cell.extend(b"nk");
        cell.extend(flags.to_le_bytes());
        cell.extend(key.last_written.to_le_bytes());
        for word in [
            0,
            if above == NONE { offset } else { above },
            below.len() as u32,
            0,
            subkeys_at,
            NONE,
            key.values.len() as u32,
            values_at,
            security_at,
            class_at,
            longest_subkey,
            longest_class,
            longest_value,
            longest_data,
            0,
        ] {
            cell.extend(word.to_le_bytes());
        }
        cell.extend((name.len() as u16).to_le_bytes());
        cell.extend((class_name.len() as u16).to_le_bytes());
        cell.extend(name);
        self.fill(offset, &cell);
        Ok(offset)
    }

    fn subkey_list(&mut self, keys: &[(u32, &Name)]) -> Result<u32, HiveError> {
        if keys.is_empty() {
            return Ok(NONE);
        }
        let mut lists = Vec::new();
        for keys in keys.chunks(MOST_IN_LIST) {
            let mut cell = Vec::with_capacity(4 + 8 * keys.len());
            cell.extend(if self.version == Version::V1_3 { b"lf" } else { b"lh" });
            cell.extend((keys.len() as u16).to_le_bytes());
            for (offset, name) in keys {
                cell.extend(offset.to_le_bytes());
                match self.version {
                    Version::V1_3 => cell.extend(first_letters(name)),
                    Version::V1_5 => cell.extend(name.hash().to_le_bytes()),
                }
            }
            lists.push(self.data_cell(&cell)?);
        }
        if let [only] = lists[..] {
            return Ok(only);
        }
        let count = u16::try_from(lists.len())
            .map_err(|_| HiveError::CannotHold { what: format!("{} keys in one key", keys.len()) })?;
        let mut cell = [&b"ri"[..], &count.to_le_bytes()].concat();
        cell.extend(lists.iter().flat_map(|list| list.to_le_bytes()));
        self.data_cell(&cell)
    }

    fn values(&mut self, values: &[TreeValue]) -> Result<u32, HiveError> {
        if values.is_empty() {
            return Ok(NONE);
        }
        let mut list = Vec::with_capacity(4 * values.len());
        for value in values {
            list.extend(self.value(value)?.to_le_bytes());
        }
        self.data_cell(&list)
    }

    fn value(&mut self, value: &TreeValue) -> Result<u32, HiveError> {
        let (name, one_byte_each) = value.name.to_bytes();
        if value.name.units().len() > LONGEST_VALUE_NAME {
            return Err(HiveError::CannotHold { what: format!("the name of the value {}", value.name) });
        }
        let (length, data) = match value.data.len() {
            length @ 0..=4 => {
                let mut in_place = [0; 4];
                in_place[..length].copy_from_slice(&value.data);
                (length as u32 | 0x8000_0000, u32::from_le_bytes(in_place))
            }
            length if length > PIECE_IN_BYTES && self.version == Version::V1_5 => {
                (length as u32, self.data_in_pieces(&value.data)?)
            }
            length => (length as u32, self.data_cell(&value.data)?),
        };
        let mut cell = Vec::with_capacity(20 + name.len());
        cell.extend(b"vk");
        cell.extend((name.len() as u16).to_le_bytes());
        cell.extend(length.to_le_bytes());
        cell.extend(data.to_le_bytes());
        cell.extend(value.kind.number().to_le_bytes());
        cell.extend(u16::from(one_byte_each && !name.is_empty()).to_le_bytes());
        cell.extend([0, 0]);
        cell.extend(name);
        self.data_cell(&cell)
    }

    fn data_in_pieces(&mut self, data: &[u8]) -> Result<u32, HiveError> {
        let mut list = Vec::new();
        for piece in data.chunks(PIECE_IN_BYTES) {
            list.extend(self.data_cell(piece)?.to_le_bytes());
        }
        let count = u16::try_from(list.len() / 4)
            .map_err(|_| HiveError::CannotHold { what: format!("{} bytes in one value", data.len()) })?;
        let list = self.data_cell(&list)?;
        self.data_cell(&[&b"db"[..], &count.to_le_bytes(), &list.to_le_bytes(), &[0; 4]].concat())
    }

    /// The place of a descriptor. All of them are linked in a ring; that is done at the end.
    fn descriptor(&mut self, descriptor: &Arc<[u8]>) -> Result<u32, HiveError> {
        if let Some((offset, keys)) = self.descriptors.get_mut(descriptor) {
            *keys += 1;
            return Ok(*offset);
        }
        let head = [&b"sk\0\0"[..], &[0; 12], &(descriptor.len() as u32).to_le_bytes()].concat();
        let offset = self.data_cell(&[&head, &**descriptor].concat())?;
        self.descriptors.insert(Arc::clone(descriptor), (offset, 1));
        Ok(offset)
    }

    fn count_descriptors(&mut self) {
        let mut places: Vec<(u32, u32)> = self.descriptors.values().copied().collect();
        places.sort_unstable();
        for (at, (offset, keys)) in places.iter().enumerate() {
            let next = places[(at + 1) % places.len()].0;
            let before = places[(at + places.len() - 1) % places.len()].0;
            let start = *offset as usize + 4;
            for (at, word) in [(4, next), (8, before), (12, *keys)] {
                self.bins[start + at..start + at + 4].copy_from_slice(&word.to_le_bytes());
            }
        }
    }

    fn data_cell(&mut self, content: &[u8]) -> Result<u32, HiveError> {
        let offset = self.allocate(content.len())?;
        self.fill(offset, content);
        Ok(offset)
    }

    fn fill(&mut self, offset: u32, content: &[u8]) {
        let start = offset as usize + 4;
        self.bins[start..start + content.len()].copy_from_slice(content);
    }

    /// Room for this many bytes. A cell lies in one bin; a bin is as long as it must be.
    fn allocate(&mut self, length: usize) -> Result<u32, HiveError> {
        let size = (length + 4).next_multiple_of(8);
        if self.next_free + size > self.bin_end {
            self.close_bin();
            let start = self.bins.len();
            let bin_size = (BIN_HEAD_IN_BYTES + size).next_multiple_of(PAGE_IN_BYTES);
            if start + bin_size > LONGEST_HIVE_IN_BYTES {
                return Err(HiveError::CannotHold { what: "a hive of 2 GiB".to_owned() });
            }
            self.bins.resize(start + bin_size, 0);
            self.bins[start..start + 4].copy_from_slice(b"hbin");
            self.bins[start + 4..start + 8].copy_from_slice(&(start as u32).to_le_bytes());
            self.bins[start + 8..start + 12].copy_from_slice(&(bin_size as u32).to_le_bytes());
            self.bin_end = start + bin_size;
            self.next_free = start + BIN_HEAD_IN_BYTES;
        }
        let offset = self.next_free;
        // In use: a negative length.
        self.bins[offset..offset + 4].copy_from_slice(&(-(size as i32)).to_le_bytes());
        self.next_free += size;
        Ok(offset as u32)
    }

    /// The rest of a bin is one free cell.
    fn close_bin(&mut self) {
        let left = self.bin_end - self.next_free;
        if left >= 8 {
            self.bins[self.next_free..self.next_free + 4].copy_from_slice(&(left as i32).to_le_bytes());
        }
        self.next_free = self.bin_end;
    }
}

/// The hint in the older lists: the first four letters, those that have one byte each.
fn first_letters(name: &Name) -> [u8; 4] {
    let mut letters = [0; 4];
    for (letter, unit) in letters.iter_mut().zip(name.units()) {
        *letter = u8::try_from(*unit).unwrap_or(0);
    }
    letters
}
