//! The beginning of a data file, and how its numbers are laid out.

use crate::FormatError;
use crate::mail::mapi::number;
use std::io;

pub(super) const WHAT: &str = "Outlook data file";
pub(super) const MAGIC: &[u8] = b"!BDN";
/// The part of a file that [`Header::from_bytes`] needs.
pub const HEADER_IN_BYTES: usize = 600;

/// How the numbers in a file are laid out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Layout {
    /// The one of Outlook 97 to 2002: numbers of 32 bits, and texts in a code page.
    Ansi,
    /// Since Outlook 2003.
    Unicode,
    /// Since Outlook 2013, of mailboxes that are kept on a server.
    LargePages,
}

/// The beginning of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Header {
    /// How it is laid out.
    pub layout: Layout,
    /// True for the copy of a mailbox on a server (`.ost`).
    pub is_copy: bool,
    /// Where the tree of nodes begins.
    pub nodes_at_in_bytes: u64,
    /// Where the tree of blocks begins.
    pub blocks_at_in_bytes: u64,
}

/// True for the beginning of such a file.
pub fn is_one(beginning: &[u8]) -> bool {
    beginning.starts_with(MAGIC)
}

impl Header {
    /// Reads the first [`HEADER_IN_BYTES`].
    pub fn from_bytes(bytes: &[u8]) -> Result<Self, FormatError> {
        let short = || FormatError::damaged(WHAT, "it ends in its beginning");
        if !is_one(bytes) {
            return Err(FormatError::damaged(WHAT, "it does not begin as one"));
        }
        let version = number(bytes, 10, 2).ok_or_else(short)?;
        let layout = match version {
            14 | 15 => Layout::Ansi,
            23 => Layout::Unicode,
            36.. => Layout::LargePages,
            other => return Err(FormatError::Unsupported { what: WHAT, version: other.to_string() }),
        };
        let (nodes_at, blocks_at) = if layout == Layout::Ansi { (188, 196) } else { (224, 240) };
        let place = |at| number(bytes, at, layout.word());
        Ok(Self {
            layout,
            is_copy: bytes.get(8..10) == Some(b"SO"),
            nodes_at_in_bytes: place(nodes_at).ok_or_else(short)?,
            blocks_at_in_bytes: place(blocks_at).ok_or_else(short)?,
        })
    }
}

impl Layout {
    /// The length of a page.
    pub fn page_in_bytes(self) -> usize {
        match self {
            Self::Ansi | Self::Unicode => 512,
            Self::LargePages => 4096,
        }
    }

    /// Where a page says how many rows it has, and how long that number is.
    pub(super) fn count_at(self) -> (usize, usize) {
        match self {
            Self::Ansi => (496, 1),
            Self::Unicode => (488, 1),
            Self::LargePages => (4056, 2),
        }
    }

    pub(super) fn row_length_at(self) -> usize {
        match self {
            Self::Ansi => 498,
            Self::Unicode => 490,
            Self::LargePages => 4060,
        }
    }

    /// Where a page's type stands, twice.
    pub(super) fn type_at(self) -> usize {
        match self {
            Self::Ansi => 500,
            Self::Unicode => 496,
            Self::LargePages => 4072,
        }
    }

    pub(super) fn word(self) -> usize {
        if self == Self::Ansi { 4 } else { 8 }
    }
}

/// Fills a buffer from an offset, and returns how much it has filled.
pub type Read<'r> = &'r dyn Fn(u64, &mut [u8]) -> io::Result<usize>;

pub(super) fn fill(read: Read<'_>, at: u64, buffer: &mut [u8]) -> io::Result<usize> {
    let mut filled = 0;
    while filled < buffer.len() {
        match read(at.saturating_add(filled as u64), &mut buffer[filled..])? {
            0 => break,
            more => filled += more.min(buffer.len() - filled),
        }
    }
    Ok(filled)
}
