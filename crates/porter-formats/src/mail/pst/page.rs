//! A page of one of a data file's two trees ([MS-PST] 2.2.2.7.7).

use super::header::{Layout, WHAT};
use crate::FormatError;
use crate::mail::mapi::number;

/// No tree is deeper ([MS-PST] 2.2.2.7.7.1 allows eight levels).
const DEEPEST: u8 = 8;
/// The signs of pages end their bytes: what they are, twice, then a sum and a number of their own.
const CHECKSUM: crc::Crc<u32> = crc::Crc::<u32>::new(&crc::Algorithm {
    width: 32,
    poly: 0x04c1_1db7,
    init: 0,
    refin: true,
    refout: true,
    xorout: 0,
    check: 0,
    residue: 0,
});

/// One of the two trees.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(super) enum Tree {
    /// Folders, letters, and what belongs to them.
    Nodes,
    /// Where the data of a number is in the file.
    Blocks,
}

impl Tree {
    /// The type of its pages ([MS-PST] 2.2.2.7.1).
    pub(super) fn page_type(self) -> u8 {
        match self {
            Self::Nodes => 0x81,
            Self::Blocks => 0x80,
        }
    }

    /// The key that a row is looked up by.
    pub(super) fn key(self, row: &[u8], layout: Layout) -> u64 {
        let key = number(row, 0, layout.word()).unwrap_or_default();
        match self {
            Self::Nodes => key & 0xffff_ffff,
            Self::Blocks => key & !1,
        }
    }
}

/// See the module.
pub(super) struct Page<'p> {
    rows: &'p [u8],
    row_in_bytes: usize,
    layout: Layout,
    /// 0 for the one that has the rows themselves.
    pub(super) level: u8,
}

impl<'p> Page<'p> {
    /// Reads a page, which is as long as its layout says.
    pub(super) fn from_bytes(bytes: &'p [u8], layout: Layout, tree: Tree) -> Result<Self, FormatError> {
        let wrong = |detail: &str| FormatError::damaged(WHAT, detail);
        let types = layout.type_at();
        if bytes.get(types..types + 2) != Some(&[tree.page_type(); 2]) {
            return Err(wrong("a page is not of the tree that leads to it"));
        }
        let short = || wrong("a page is too short");
        let (count_at, count_length) = layout.count_at();
        let count = number(bytes, count_at, count_length).ok_or_else(short)? as usize;
        let row_at = layout.row_length_at();
        let row_in_bytes = number(bytes, row_at, 1).ok_or_else(short)? as usize;
        let level = number(bytes, row_at + 1, 1).ok_or_else(short)? as u8;
        let word = layout.word();
        let least = match (level, tree) {
            (0, Tree::Nodes) => 3 * word + 4,
            (0, Tree::Blocks) => 2 * word + 4,
            _ => 3 * word,
        };
        if row_in_bytes < least || count.saturating_mul(row_in_bytes) > count_at || level > DEEPEST {
            return Err(wrong("a page says more than it holds"));
        }
        Ok(Self { rows: &bytes[..count * row_in_bytes], row_in_bytes, layout, level })
    }

    /// Its rows, in order.
    pub(super) fn rows(&self) -> impl DoubleEndedIterator<Item = &'p [u8]> + use<'p> {
        self.rows.chunks_exact(self.row_in_bytes)
    }

    /// Where the page is that a row leads to, if this one has a level.
    pub(super) fn below(&self, row: &[u8]) -> u64 {
        let word = self.layout.word();
        number(row, 2 * word, word).unwrap_or_default()
    }
}

/// The number of a page that is whole: the greater, the later it was written. None if its sum is wrong.
pub(super) fn age_of_whole(bytes: &[u8], layout: Layout) -> Option<u64> {
    let types = layout.type_at();
    let (sum, age) = match layout {
        Layout::Ansi => (number(bytes, types + 8, 4)?, number(bytes, types + 4, 4)?),
        Layout::Unicode | Layout::LargePages => (number(bytes, types + 4, 4)?, number(bytes, types + 8, 8)?),
    };
    (u64::from(CHECKSUM.checksum(bytes.get(..types)?)) == sum).then_some(age)
}
