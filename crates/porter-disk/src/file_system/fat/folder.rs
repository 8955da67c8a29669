//! The rows of a folder of FAT.

use crate::numbers::{le_u16, le_u32};
use porter_names::wtf8;
use porter_source::filetime_from_utc;
use time::{Date, Month, PrimitiveDateTime, Time};

const ROW_IN_BYTES: usize = 32;
const LABEL: u8 = 0x08;
const FOLDER: u8 = 0x10;
/// Marks a piece of a long name.
const LONG_NAME: u8 = 0x0f;
const DELETED: u8 = 0xe5;
/// Stands for a name that begins with the byte of a deleted one.
const BEGINS_LIKE_DELETED: u8 = 0x05;
/// A long name has up to 255 units, 13 in a row.
const MOST_PIECES: u8 = 20;

/// A file, a folder or the label.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Row {
    pub(super) name: Vec<u8>,
    pub(super) attributes: u8,
    pub(super) is_label: bool,
    pub(super) first_cluster: u32,
    pub(super) size_in_bytes: u32,
    pub(super) created_in_ticks: u64,
    pub(super) modified_in_ticks: u64,
}

impl Row {
    pub(super) fn is_folder(&self) -> bool {
        self.attributes & FOLDER != 0
    }
}

/// A long name that is being put together, the last piece first.
#[derive(Default)]
struct LongName {
    pieces: Vec<[u16; 13]>,
    checksum: u8,
    /// Pieces that are still to come.
    waiting: u8,
}

impl LongName {
    fn take(&mut self, row: &[u8; ROW_IN_BYTES]) {
        const LAST: u8 = 0x40;
        let number = row[0] & !LAST;
        if row[0] & LAST != 0 {
            *self = Self { pieces: Vec::new(), checksum: row[13], waiting: number };
        }
        let is_next =
            number != 0 && number == self.waiting && number <= MOST_PIECES && row[13] == self.checksum;
        if !is_next {
            *self = Self::default();
            return;
        }
        let mut units = [0; 13];
        let places = (1..11).step_by(2).chain((14..26).step_by(2)).chain([28, 30]);
        for (unit, at) in units.iter_mut().zip(places) {
            *unit = u16::from_le_bytes([row[at], row[at + 1]]);
        }
        self.pieces.push(units);
        self.waiting -= 1;
    }

    /// The name, if it is whole and of this short one.
    fn of(&mut self, short: &[u8]) -> Option<Vec<u8>> {
        let whole = std::mem::take(self);
        if whole.pieces.is_empty() || whole.waiting != 0 || whole.checksum != checksum(short) {
            return None;
        }
        let units = whole.pieces.iter().rev().flatten().copied();
        Some(wtf8::from_utf16(units.take_while(|unit| *unit != 0 && *unit != 0xffff)))
    }
}

/// The sum of the eleven letters of a short name.
fn checksum(short: &[u8]) -> u8 {
    short.iter().fold(0_u8, |sum, letter| sum.rotate_right(1).wrapping_add(*letter))
}

/// The rows up to the end of a folder, its own and the one above left out.
pub(super) fn rows(bytes: &[u8]) -> Vec<Row> {
    let mut found = Vec::new();
    let mut long = LongName::default();
    for row in bytes.as_chunks::<ROW_IN_BYTES>().0 {
        match row[0] {
            0 => break,
            DELETED => long = LongName::default(),
            _ if row[11] & 0x3f == LONG_NAME => long.take(row),
            _ => {
                let long = long.of(&row[..11]);
                if row[0] != b'.' {
                    found.extend(decoded(row, long));
                }
            }
        }
    }
    found
}

fn decoded(row: &[u8; ROW_IN_BYTES], long: Option<Vec<u8>>) -> Option<Row> {
    let attributes = row[11];
    let is_label = attributes & LABEL != 0;
    let high = u32::from(le_u16(row, 20)?);
    let name = if is_label { text(&row[..11]) } else { long.unwrap_or_else(|| short_name(row)) };
    Some(Row {
        name,
        attributes: attributes & 0x37,
        is_label,
        first_cluster: high << 16 | u32::from(le_u16(row, 26)?),
        size_in_bytes: le_u32(row, 28)?,
        created_in_ticks: ticks(le_u16(row, 16)?, le_u16(row, 14)?, row[13]),
        modified_in_ticks: ticks(le_u16(row, 24)?, le_u16(row, 22)?, 0),
    })
}

/// `KITES   TXT`, as `KITES.TXT`; newer systems note that a half is meant in small letters.
fn short_name(row: &[u8; ROW_IN_BYTES]) -> Vec<u8> {
    const SMALL_NAME: u8 = 0x08;
    const SMALL_EXTENSION: u8 = 0x10;
    let mut letters: [u8; 11] = [0; 11];
    letters.copy_from_slice(&row[..11]);
    if letters[0] == BEGINS_LIKE_DELETED {
        letters[0] = DELETED;
    }
    if row[12] & SMALL_NAME != 0 {
        letters[..8].make_ascii_lowercase();
    }
    if row[12] & SMALL_EXTENSION != 0 {
        letters[8..].make_ascii_lowercase();
    }
    let (name, extension) = (text(&letters[..8]), text(&letters[8..]));
    if extension.is_empty() { name } else { [name, b".".to_vec(), extension].concat() }
}

/// Letters of the code page of the first PCs, without the blanks behind them.
fn text(letters: &[u8]) -> Vec<u8> {
    /// Code page 437 from 128 on.
    const UPPER: &str = "ÇüéâäàåçêëèïîìÄÅÉæÆôöòûùÿÖÜ¢£¥₧ƒáíóúñÑªº¿⌐¬½¼¡«»░▒▓│┤╡╢╖╕╣║╗╝╜╛┐└┴┬├─┼╞╟╚╔╩╦╠═╬╧╨╤╥╙╘╒╓╫╪┘┌█▄▌▐▀αßΓπΣσµτΦΘΩδ∞φε∩≡±≥≤⌠⌡÷≈°∙·√ⁿ²■\u{a0}";
    let letter = |byte: &u8| match byte.checked_sub(128) {
        None => char::from(*byte),
        Some(upper) => UPPER.chars().nth(usize::from(upper)).unwrap_or('_'),
    };
    letters.iter().map(letter).collect::<String>().trim_end_matches(' ').as_bytes().to_vec()
}

/// A date and a time as a `FILETIME`; 0 if there is none. A hundredth counts for 10 ms.
pub(in super::super) fn ticks(date: u16, time: u16, hundredths: u8) -> u64 {
    let at = || {
        let month = Month::try_from((date >> 5 & 15) as u8).ok()?;
        let day = Date::from_calendar_date(1980 + i32::from(date >> 9), month, (date & 31) as u8).ok()?;
        let (minute, second) = ((time >> 5 & 63) as u8, (time & 31) as u8 * 2);
        let time = Time::from_hms((time >> 11) as u8, minute, second).ok()?;
        let extra = time::Duration::milliseconds(i64::from(hundredths) * 10);
        filetime_from_utc(PrimitiveDateTime::new(day, time).assume_utc() + extra)
    };
    at().unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row(name: &[u8; 11], attributes: u8) -> Vec<u8> {
        let mut row = vec![0; 32];
        row[..11].copy_from_slice(name);
        row[11] = attributes;
        (row[26], row[28]) = (9, 100);
        row[24..26].copy_from_slice(&((46_u16 << 9) | (5 << 5) | 17).to_le_bytes());
        row
    }

    fn piece(number: u8, checksum: u8, text: &str) -> Vec<u8> {
        let mut row = vec![0; 32];
        (row[0], row[11], row[13]) = (number, LONG_NAME, checksum);
        let mut units: Vec<u16> = text.encode_utf16().chain([0]).collect();
        units.resize(13, 0xffff);
        let places = (1..11).step_by(2).chain((14..26).step_by(2)).chain([28, 30]);
        for (unit, at) in units.iter().zip(places) {
            row[at..at + 2].copy_from_slice(&unit.to_le_bytes());
        }
        row
    }

    #[test]
    fn long_names_count_only_if_they_are_whole_and_of_their_short_one() {
        let sum = checksum(b"KITEPL~1TXT");
        let short = row(b"KITEPL~1TXT", 0x20);
        let pieces = [piece(0x42, sum, "ée.txt"), piece(1, sum, "Kite plan lo")];
        let names = |bytes: Vec<Vec<u8>>| -> Vec<String> {
            rows(&bytes.concat()).into_iter().map(|row| String::from_utf8(row.name).unwrap()).collect()
        };
        // 12 letters and the end of the text: the 13th unit of the first piece is an ordinary one there.
        let mut whole = pieces.clone();
        whole[1] = piece(1, sum, "Kite plan lo");
        whole[1][30..32].copy_from_slice(&u16::from(b'n').to_le_bytes());
        assert_eq!(names(vec![whole[0].clone(), whole[1].clone(), short.clone()]), ["Kite plan lonée.txt"]);
        for broken in [
            vec![pieces[1].clone(), short.clone()],
            vec![pieces[0].clone(), short.clone()],
            vec![piece(0x41, sum ^ 1, "other"), short.clone()],
        ] {
            assert_eq!(names(broken), ["KITEPL~1.TXT"]);
        }
        let mut small = row(b"PLAN    TXT", 0x20);
        small[12] = 0x18;
        let deleted = [&[DELETED][..], &short[1..]].concat();
        let behind_end = [vec![0; 32], short].concat();
        assert_eq!(names(vec![row(b".          ", 0x10), deleted, small, behind_end]), ["plan.txt"]);
    }

    #[test]
    fn times_that_no_calendar_has_are_none() {
        assert_eq!(ticks((46 << 9) | (5 << 5) | 17, 0, 0) % 864_000_000_000, 0);
        assert_eq!((ticks(0, 0, 0), ticks(0xffff, 0xffff, 0)), (0, 0));
    }
}
