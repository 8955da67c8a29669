//! Tables of GVariants in a file (`gvdb-format.h` of GLib and dconf): a person's settings of a desktop, and
//! the schemas that desktops have for them.
//!
//! A key's name is its own part behind that of its parent. Numbers are little-endian; the files of machines
//! that have them otherwise are not read.

use crate::FormatError;
use std::collections::{BTreeMap, BTreeSet};

const FORMAT: &str = "a table of GVariants";
const MARK: &[u8; 8] = b"GVariant";
const HEADER_IN_BYTES: usize = 24;
const ITEM_IN_BYTES: usize = 24;
/// Stands for the parent of a key that has none.
const NO_PARENT: u32 = u32::MAX;
/// No desktop has keys in more folders, longer names, or tables within tables within tables.
const DEEPEST_KEY: usize = 64;
const LONGEST_NAME_IN_BYTES: usize = 4096;
const DEEPEST_TABLE: usize = 4;
/// A desktop's schemas take three megabytes.
const LONGEST_IN_BYTES: usize = 16 << 20;
/// The first word of a table without a bloom filter (`gvdb-builder.c`).
const NO_BLOOM_FILTER: u32 = 5 << 27;

/// A table: variants, and tables within it, by their names.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Table {
    /// The variants.
    pub variants: BTreeMap<String, Variant>,
    /// The tables within it. They are read, and not written.
    pub tables: BTreeMap<String, Table>,
}

/// A value of GLib's: its type as a text, and its bytes (*GVariant Serialisation*).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Variant {
    /// `b`, `s`, `a(ss)`…
    pub type_text: String,
    /// Its bytes.
    pub data: Vec<u8>,
}

impl Variant {
    /// Yes or no.
    pub fn boolean(is: bool) -> Self {
        Self { type_text: "b".to_owned(), data: vec![u8::from(is)] }
    }

    /// A text, up to its first NUL.
    pub fn text(text: &str) -> Self {
        let data = text.bytes().take_while(|byte| *byte != 0).chain([0]).collect();
        Self { type_text: "s".to_owned(), data }
    }

    /// A list of pairs of texts.
    pub fn pairs(pairs: &[(&str, &str)]) -> Self {
        let (mut data, mut ends) = (Vec::new(), Vec::new());
        for (one, other) in pairs {
            let (one, other) = (Self::text(one).data, Self::text(other).data);
            let end_of_first = one.len();
            data.extend(framed([one, other].concat(), &[end_of_first]));
            ends.push(data.len());
        }
        Self { type_text: "a(ss)".to_owned(), data: framed(data, &ends) }
    }

    /// Yes or no; none if it is something else.
    pub fn as_boolean(&self) -> Option<bool> {
        match (self.type_text.as_str(), &self.data[..]) {
            ("b", [byte]) => Some(*byte != 0),
            _ => None,
        }
    }

    /// A text; none if it is something else.
    pub fn as_text(&self) -> Option<&str> {
        let text = self.data.strip_suffix(&[0]).filter(|text| !text.contains(&0))?;
        std::str::from_utf8(text).ok().filter(|_| self.type_text == "s")
    }

    /// A list of pairs of texts; none if it is something else.
    pub fn as_pairs(&self) -> Option<Vec<(String, String)>> {
        if self.type_text != "a(ss)" {
            return None;
        }
        let mut pairs = Vec::new();
        for pair in elements(&self.data)? {
            // One end stands behind a pair: that of its first text.
            let (last, width) = last_end(pair)?;
            let within = pair.get(..pair.len() - width)?;
            let text = |bytes: &[u8]| String::from_utf8(bytes.strip_suffix(&[0])?.to_vec()).ok();
            pairs.push((text(within.get(..last)?)?, text(within.get(last..)?)?));
        }
        Some(pairs)
    }
}

/// Data with the ends of its parts behind it, in as few bytes each as the whole needs.
fn framed(mut data: Vec<u8>, ends: &[usize]) -> Vec<u8> {
    let fits = |width: usize| data.len() + ends.len() * width < 1 << (8 * width).min(63);
    let width = [1, 2, 4].into_iter().find(|width| fits(*width)).unwrap_or(8);
    data.extend(ends.iter().flat_map(|end| (*end as u64).to_le_bytes().into_iter().take(width)));
    data
}

/// The last end behind some data, and the width of each.
fn last_end(data: &[u8]) -> Option<(usize, usize)> {
    let width = match data.len() {
        0 => return None,
        1..=0xff => 1,
        0x100..=0xffff => 2,
        _ => 4,
    };
    Some((end_at(data, data.len().checked_sub(width)?, width)?, width))
}

fn end_at(data: &[u8], at: usize, width: usize) -> Option<usize> {
    let bytes = data.get(at..at.checked_add(width)?)?;
    Some(bytes.iter().rev().fold(0, |number, byte| (number << 8) | usize::from(*byte)))
}

/// The elements of a list whose elements have lengths of their own.
fn elements(data: &[u8]) -> Option<Vec<&[u8]>> {
    let Some((first_of_ends, width)) = last_end(data) else { return Some(Vec::new()) };
    let ends = data.len().checked_sub(first_of_ends)?;
    let mut begin = 0;
    (0..ends / width)
        .map(|at| {
            let end = end_at(data, first_of_ends + at * width, width)?;
            let element = data.get(begin..end).filter(|_| end <= first_of_ends);
            begin = end;
            element
        })
        .collect()
}

impl Table {
    /// A file's outermost table.
    pub fn from_bytes(file: &[u8]) -> Result<Self, FormatError> {
        if !file.starts_with(MARK) {
            return Err(FormatError::damaged(FORMAT, "its mark is missing"));
        }
        if file.len() > LONGEST_IN_BYTES {
            return Err(FormatError::damaged(FORMAT, "it is longer than any"));
        }
        let damaged = || FormatError::damaged(FORMAT, "it leads out of itself");
        if number(file, 8) != Some(0) {
            return Err(FormatError::damaged(FORMAT, "it is of a later version"));
        }
        // Items, names and values share less than this in a file that a program wrote.
        let mut left_in_bytes = 16 * file.len();
        read_table(file, file.get(16..24).ok_or_else(damaged)?, 0, &mut left_in_bytes).ok_or_else(damaged)
    }

    /// A file with the variants, as dconf reads it: each `/` in a name ends the name of a folder, which lists
    /// what is in it.
    pub fn to_bytes(&self) -> Vec<u8> {
        // All names, folders too, with the keys that a folder lists.
        let mut names: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
        for name in self.variants.keys() {
            let mut child = name.as_str();
            names.entry(child).or_default();
            while let Some(folder) = folder_of(child) {
                if !names.entry(folder).or_default().insert(child) {
                    break;
                }
                child = folder;
            }
        }
        let buckets = names.len();
        let bucket_of = |name: &str| hash(name) as usize % buckets.max(1);
        let mut ordered: Vec<&str> = names.keys().copied().collect();
        ordered.sort_by_key(|name| bucket_of(name));
        let number_of: BTreeMap<&str, u32> =
            ordered.iter().zip(0..).map(|(name, number)| (*name, number)).collect();

        let table_in_bytes = 8 + 4 * buckets + ITEM_IN_BYTES * buckets;
        let mut file = vec![0; HEADER_IN_BYTES + table_in_bytes];
        let mut items: Vec<u8> = Vec::with_capacity(ITEM_IN_BYTES * buckets);
        for name in &ordered {
            let folder = folder_of(name);
            let own_name = folder.map_or(*name, |folder| &name[folder.len()..]);
            let key = (file.len() as u32, own_name.len() as u16);
            file.extend_from_slice(own_name.as_bytes());
            let (kind, value) = match self.variants.get(*name) {
                // The type stands behind the data and a NUL, and the whole begins at eight bytes.
                Some(variant) => {
                    let value = [&variant.data[..], &[0], variant.type_text.as_bytes()].concat();
                    (b'v', append(&mut file, 8, &value))
                }
                None => {
                    let children = names.get(name).into_iter().flatten();
                    let numbers = children.filter_map(|child| number_of.get(child));
                    let value: Vec<u8> = numbers.flat_map(|number| number.to_le_bytes()).collect();
                    (b'L', append(&mut file, 4, &value))
                }
            };
            let parent = folder.and_then(|folder| number_of.get(folder)).copied().unwrap_or(NO_PARENT);
            items.extend([hash(name), parent, key.0].into_iter().flat_map(u32::to_le_bytes));
            items.extend(key.1.to_le_bytes());
            items.extend([kind, 0]);
            items.extend([value.0, value.1].into_iter().flat_map(u32::to_le_bytes));
        }
        // Each bucket says which item is its first, or would be.
        let firsts =
            (0..buckets).map(|bucket| ordered.partition_point(|name| bucket_of(name) < bucket) as u32);
        let table: Vec<u8> = [NO_BLOOM_FILTER, buckets as u32]
            .into_iter()
            .chain(firsts)
            .flat_map(u32::to_le_bytes)
            .chain(items)
            .collect();
        file[..8].copy_from_slice(MARK);
        let (start, end) = (HEADER_IN_BYTES as u32, (HEADER_IN_BYTES + table_in_bytes) as u32);
        file[16..20].copy_from_slice(&start.to_le_bytes());
        file[20..24].copy_from_slice(&end.to_le_bytes());
        file[HEADER_IN_BYTES..HEADER_IN_BYTES + table_in_bytes].copy_from_slice(&table);
        file
    }
}

/// `/org/gnome/` of `/org/gnome/desktop/`, and of `/org/gnome/x`; none of `/`.
fn folder_of(name: &str) -> Option<&str> {
    let within = name.strip_suffix('/').unwrap_or(name);
    within.rfind('/').map(|at| &name[..=at])
}

/// `djb_hash` of GLib: letters are numbers with a sign.
fn hash(name: &str) -> u32 {
    name.bytes().fold(5381_u32, |hash, byte| {
        hash.wrapping_mul(33).wrapping_add(i32::from(byte.cast_signed()).cast_unsigned())
    })
}

/// Appends data at a multiple of `alignment`, and says where it is.
fn append(file: &mut Vec<u8>, alignment: usize, data: &[u8]) -> (u32, u32) {
    file.resize(file.len().next_multiple_of(alignment), 0);
    let start = file.len() as u32;
    file.extend_from_slice(data);
    (start, file.len() as u32)
}

fn number(bytes: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_le_bytes(bytes.get(at..at.checked_add(4)?)?.try_into().ok()?))
}

/// The bytes that two numbers at the beginning of `pointer` enclose.
fn pointed<'f>(file: &'f [u8], pointer: &[u8]) -> Option<&'f [u8]> {
    file.get(number(pointer, 0)? as usize..number(pointer, 4)? as usize)
}

fn read_table(file: &[u8], pointer: &[u8], depth: usize, left_in_bytes: &mut usize) -> Option<Table> {
    let table = pointed(file, pointer)?;
    // An empty table may have no bytes.
    if table.is_empty() {
        return Some(Table::default());
    }
    let bloom_words = (number(table, 0)? & ((1 << 27) - 1)) as usize;
    let buckets = number(table, 4)? as usize;
    let rows = table.get(8_usize.checked_add(bloom_words.checked_add(buckets)?.checked_mul(4)?)?..)?;
    let (rows, _) = rows.as_chunks::<ITEM_IN_BYTES>();
    *left_in_bytes = left_in_bytes.checked_sub(table.len())?;
    let mut read = Table::default();
    for row in rows {
        match row[14] {
            b'v' => {
                let value = pointed(file, &row[16..])?;
                *left_in_bytes = left_in_bytes.checked_sub(value.len())?;
                let nul = value.iter().rposition(|byte| *byte == 0)?;
                let type_text = std::str::from_utf8(&value[nul + 1..]).ok()?.to_owned();
                read.variants.insert(
                    name_of(file, rows, row, left_in_bytes)?,
                    Variant { type_text, data: value[..nul].to_vec() },
                );
            }
            b'H' if depth < DEEPEST_TABLE => {
                let within = read_table(file, &row[16..], depth + 1, left_in_bytes)?;
                read.tables.insert(name_of(file, rows, row, left_in_bytes)?, within);
            }
            // A folder's list, which the names tell as well.
            _ => {}
        }
    }
    Some(read)
}

/// The name of a row: its own part, behind those of the rows above it.
fn name_of(
    file: &[u8],
    rows: &[[u8; ITEM_IN_BYTES]],
    row: &[u8; ITEM_IN_BYTES],
    left_in_bytes: &mut usize,
) -> Option<String> {
    let (mut parts, mut row, mut length_in_bytes) = (Vec::new(), row, 0);
    for _ in 0..DEEPEST_KEY {
        let start = number(row, 8)? as usize;
        let length = usize::from(u16::from_le_bytes([row[12], row[13]]));
        parts.push(std::str::from_utf8(file.get(start..start.checked_add(length)?)?).ok()?);
        length_in_bytes += length;
        *left_in_bytes = left_in_bytes.checked_sub(length)?;
        if length_in_bytes > LONGEST_NAME_IN_BYTES {
            return None;
        }
        match number(row, 4)? {
            NO_PARENT => return Some(parts.into_iter().rev().collect()),
            parent => row = rows.get(parent as usize)?,
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    fn settings() -> Table {
        let layouts = Variant::pairs(&[("xkb", "gb"), ("xkb", "fr+bepo")]);
        let variants = [
            ("/org/gnome/desktop/input-sources/sources", layouts),
            ("/org/gnome/desktop/peripherals/mouse/left-handed", Variant::boolean(true)),
            ("/org/gnome/desktop/background/picture-uri", Variant::text("file:///home/odile/K%C3%A9.jpg")),
        ];
        let variants = variants.map(|(name, value)| (name.to_owned(), value)).into();
        Table { variants, tables: BTreeMap::new() }
    }

    #[test]
    fn a_table_says_the_same_after_it_was_written() {
        let table = settings();
        let file = table.to_bytes();
        assert_eq!(Table::from_bytes(&file).unwrap(), table);
        assert_eq!(Table::from_bytes(&Table::default().to_bytes()).unwrap(), Table::default());
        let value = |name: &str| &table.variants[name];
        let layouts = value("/org/gnome/desktop/input-sources/sources");
        let expected = [("xkb", "gb"), ("xkb", "fr+bepo")].map(|(a, b)| (a.to_owned(), b.to_owned()));
        assert_eq!(layouts.as_pairs().unwrap(), expected);
        assert_eq!(Variant::pairs(&[]).as_pairs(), Some(Vec::new()));
        let many: Vec<(&str, &str)> = std::iter::repeat_n(("xkb", "a layout with a long name"), 40).collect();
        assert_eq!(Variant::pairs(&many).as_pairs().unwrap().len(), 40);
        assert_eq!(value("/org/gnome/desktop/peripherals/mouse/left-handed").as_boolean(), Some(true));
        let picture = value("/org/gnome/desktop/background/picture-uri");
        assert_eq!((picture.as_text(), picture.as_boolean()), (Some("file:///home/odile/K%C3%A9.jpg"), None));
    }

    #[test]
    fn whatever_is_wrong_with_a_file_ends_nobody() {
        let file = settings().to_bytes();
        for length in 0..file.len() {
            let _ = Table::from_bytes(&file[..length]);
        }
        for at in 0..file.len() {
            for byte in [0, 1, 0x7f, 0xff] {
                let mut harmed = file.clone();
                harmed[at] = byte;
                if let Ok(table) = Table::from_bytes(&harmed) {
                    table.variants.values().for_each(|value| drop((value.as_pairs(), value.as_text())));
                }
            }
        }
        assert!(Table::from_bytes(b"GVariant").is_err() && Table::from_bytes(b"tnairaVG").is_err());
    }
}
