//! The records of a volume: where they are, and what they say of its keys.

use super::wrapped::Wrapped;
use crate::block_source::{BlockSource, stretch};
use crate::lock::{LockError, Protector, Way};
use crate::numbers::{le_u16, le_u32, le_u64};
use std::ops::Range;
use zeroize::Zeroizing;

/// The header of a copy, in front of its entries' own.
const HEADER_IN_BYTES: usize = 64;
const ENTRIES_HEADER_IN_BYTES: usize = 48;
/// No copy is longer, and each takes so much room on the volume; on one of Vista less.
const COPY_IN_BYTES: usize = 65_536;
const COPY_OF_VISTA_IN_BYTES: u64 = 16_384;
const VISTA: u16 = 1;
/// Since Windows 7.
const SEVEN: u16 = 2;
/// The sectors at the beginning that Vista leaves as they were.
const PLAIN_SECTORS_OF_VISTA: u64 = 16;

/// Kinds of entries, and of their values.
const MASTER_KEY: u16 = 2;
const SECTOR_KEY: u16 = 3;
const VALUE_KEY: u16 = 1;
const VALUE_STRETCH: u16 = 3;
const VALUE_WRAPPED: u16 = 5;
const VALUE_MASTER: u16 = 8;
const VALUE_EXTERNAL: u16 = 9;
const VALUE_MOVED: u16 = 15;

/// The key of the volume, wrapped for one way in.
pub(super) struct Master {
    pub(super) protector: Protector,
    pub(super) wrapped: Wrapped,
    /// A passphrase or recovery key is stretched with it.
    pub(super) salt: Option<[u8; 16]>,
    /// The key that it is wrapped with, where that lies open beside it.
    pub(super) clear_key: Option<Zeroizing<Vec<u8>>>,
}

pub(super) struct Records {
    pub(super) method: u16,
    pub(super) masters: Vec<Master>,
    pub(super) sector_key: Wrapped,
    /// Sectors from here on are not encrypted yet, or no longer.
    pub(super) encrypted_in_bytes: u64,
    /// The beginning of the volume of this length is kept in another place.
    pub(super) moved_in_bytes: u64,
    pub(super) moved_to: u64,
    /// Where the copies of these records are.
    pub(super) hidden: Vec<Range<u64>>,
    /// Vista changed this instead of moving the beginning away; none for later systems.
    pub(super) vista: Option<Vista>,
}

/// The beginning of a volume that Vista encrypted: plain, but for two fields of the first sector.
pub(super) struct Vista {
    pub(super) plain_in_bytes: u64,
    /// The cluster of the copy of the first records, in whose place stands that of BitLocker's own.
    pub(super) mirror_cluster: u64,
}

impl Vista {
    /// The first sector as NTFS had it.
    pub(super) fn restore(&self, first_sector: &mut [u8]) {
        if let Some(signature) = first_sector.get_mut(3..11) {
            signature.copy_from_slice(b"NTFS    ");
        }
        if let Some(mirror) = first_sector.get_mut(MIRROR_AT..MIRROR_AT + 8) {
            mirror.copy_from_slice(&self.mirror_cluster.to_le_bytes());
        }
    }
}

/// The field of NTFS' first sector with the cluster of the copy of its first records.
const MIRROR_AT: usize = 56;

/// The first copy that is whole. The first sector says where they are; on sticks in another place than on
/// drives.
pub(super) fn load(source: &dyn BlockSource, first: &[u8]) -> Result<Records, LockError> {
    let sector_in_bytes = u64::from(le_u16(first, 11).unwrap_or(512));
    let cluster_in_bytes = sector_in_bytes * u64::from(first[13]);
    let of_vista = le_u64(first, MIRROR_AT).and_then(|cluster| cluster.checked_mul(cluster_in_bytes));
    let places = [176, 184, 192, 440, 448, 456].iter().filter_map(|at| le_u64(first, *at)).chain(of_vista);
    let mut flaw = LockError::Damaged("none of the three copies of its records is where it should be");
    for at in places.filter(|at| *at > 0 && *at < source.size_in_bytes()) {
        let length = usize::try_from(source.size_in_bytes() - at).unwrap_or(COPY_IN_BYTES).min(COPY_IN_BYTES);
        let Ok(copy) = stretch(source, at, length) else { continue };
        match from_bytes(&copy, sector_in_bytes, source.size_in_bytes()) {
            Some(Ok(records)) => return Ok(records),
            Some(Err(error)) => flaw = error,
            None => {}
        }
    }
    Err(flaw)
}

/// None if it is no copy of the records.
fn from_bytes(copy: &[u8], sector_in_bytes: u64, volume_in_bytes: u64) -> Option<Result<Records, LockError>> {
    if !copy.starts_with(b"-FVE-FS-") {
        return None;
    }
    let version = le_u16(copy, 10)?;
    if !matches!(version, VISTA | SEVEN) {
        return Some(Err(LockError::Damaged("they are of a Windows to come")));
    }
    let header = copy.get(HEADER_IN_BYTES..)?;
    let length = usize::try_from(le_u32(header, 0)?).ok()?;
    let body = header.get(ENTRIES_HEADER_IN_BYTES..length)?;
    let (mut masters, mut sector_key, mut moved) = (Vec::new(), None, None);
    for entry in entries(body) {
        match (entry.kind, entry.value_kind) {
            (MASTER_KEY, VALUE_MASTER) => masters.extend(master(entry.value)),
            (SECTOR_KEY, VALUE_WRAPPED) => sector_key = wrapped(entry.value),
            (_, VALUE_MOVED) => moved = le_u64(entry.value, 0).zip(le_u64(entry.value, 8)),
            _ => {}
        }
    }
    let copies: Vec<u64> = (0..3).filter_map(|n| le_u64(copy, 32 + 8 * n)).collect();
    let last = le_u64(copy, 56)?;
    let vista = (version == VISTA)
        .then(|| Vista { plain_in_bytes: PLAIN_SECTORS_OF_VISTA * sector_in_bytes, mirror_cluster: last });
    let by_header = (last, u64::from(le_u32(copy, 28)?).checked_mul(sector_in_bytes)?);
    let (moved_to, moved_in_bytes) = if vista.is_some() { (0, 0) } else { moved.unwrap_or(by_header) };
    let copy_in_bytes = if vista.is_some() { COPY_OF_VISTA_IN_BYTES } else { COPY_IN_BYTES as u64 };
    let of_copy = |at: &u64| *at..at.saturating_add(copy_in_bytes);
    let mut hidden: Vec<Range<u64>> = copies.iter().map(of_copy).collect();
    hidden.push(moved_to..moved_to.checked_add(moved_in_bytes)?);
    let Some(sector_key) = sector_key else {
        return Some(Err(LockError::Damaged("they lack the key of its sectors")));
    };
    Some(Ok(Records {
        method: le_u16(header, 36)?,
        masters,
        sector_key,
        encrypted_in_bytes: Some(le_u64(copy, 16)?).filter(|size| *size > 0).unwrap_or(volume_in_bytes),
        moved_in_bytes,
        moved_to,
        hidden,
        vista,
    }))
}

struct Entry<'r> {
    kind: u16,
    value_kind: u16,
    value: &'r [u8],
}

/// Entries one after the other, up to the first that contradicts itself.
fn entries(mut rest: &[u8]) -> impl Iterator<Item = Entry<'_>> {
    std::iter::from_fn(move || {
        let length = usize::from(le_u16(rest, 0)?);
        let (entry, behind) = rest.split_at_checked(length).filter(|_| length >= 8)?;
        rest = behind;
        Some(Entry { kind: le_u16(entry, 2)?, value_kind: le_u16(entry, 4)?, value: &entry[8..] })
    })
}

fn master(value: &[u8]) -> Option<Master> {
    let way = match le_u16(value, 26)? {
        0x0000 => Way::Open,
        0x0200 => Way::KeyFile,
        0x0800 => Way::RecoveryKey,
        0x2000 => Way::Passphrase,
        _ => Way::Chip,
    };
    let nested: Vec<Entry<'_>> = entries(value.get(28..)?).collect();
    let of_kind =
        |wanted: u16| nested.iter().find(|entry| entry.value_kind == wanted).map(|entry| entry.value);
    Some(Master {
        protector: Protector { way, identifier: identifier(value.get(..16)?)? },
        wrapped: wrapped(of_kind(VALUE_WRAPPED)?)?,
        salt: of_kind(VALUE_STRETCH).and_then(|value| value.get(4..)?.first_chunk().copied()),
        clear_key: of_kind(VALUE_KEY).and_then(key),
    })
}

fn wrapped(value: &[u8]) -> Option<Wrapped> {
    Some(Wrapped {
        nonce: *value.first_chunk()?,
        mac: *value.get(12..)?.first_chunk()?,
        bytes: value.get(28..)?.to_vec(),
    })
}

/// A key behind the way of encrypting it is for.
fn key(value: &[u8]) -> Option<Zeroizing<Vec<u8>>> {
    value.get(4..).map(|key| Zeroizing::new(key.to_vec()))
}

/// As Windows shows it.
fn identifier(bytes: &[u8]) -> Option<String> {
    let (first, second, third) = (le_u32(bytes, 0)?, le_u16(bytes, 4)?, le_u16(bytes, 6)?);
    let hex = |bytes: &[u8]| bytes.iter().map(|byte| format!("{byte:02X}")).collect::<String>();
    Some(format!(
        "{first:08X}-{second:04X}-{third:04X}-{}-{}",
        hex(bytes.get(8..10)?),
        hex(bytes.get(10..16)?)
    ))
}

/// The key in a key file (`.BEK`): entries behind the same header that the volume's own have.
pub(super) fn external_key(file: &[u8]) -> Option<Zeroizing<Vec<u8>>> {
    let length = usize::try_from(le_u32(file, 0)?).ok()?;
    let body = file.get(ENTRIES_HEADER_IN_BYTES..length.min(file.len()))?;
    let external = entries(body).find(|entry| entry.value_kind == VALUE_EXTERNAL)?;
    let found = entries(external.value.get(24..)?).find(|entry| entry.value_kind == VALUE_KEY)?;
    key(found.value)
}
