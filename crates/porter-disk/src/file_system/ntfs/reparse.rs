//! Reparse points ([MS-FSCC] 2.1.2): they stand in place of a file's content or a folder's children.

use super::content::Content;
use crate::numbers::le_u32;
use porter_source::reparse_point::ReparsePoint;
use porter_source::{OwnTrouble, Shut};
use std::io;

/// Windows lets none be longer.
const MOST_IN_BYTES: u64 = 16_384;
const WOF: u32 = 0x8000_0017;
/// Links, pipes, sockets and devices of Linux under Windows ([MS-FSCC] 2.1.2.1, `IO_REPARSE_TAG_LX_…`).
const LINUX_LINK: u32 = 0xa000_001d;
const LINUX_SPECIAL: std::ops::RangeInclusive<u32> = 0x8000_0023..=0x8000_0026;

/// A link as drivers on Unix, and Microsoft's own Unix, write it: a system file that begins so, and then has
/// the target in UTF-16.
pub(super) const LINK_OF_UNIX: &[u8] = b"IntxLNK\x01";

/// The meaning of a reparse point.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Reparse {
    /// It is a link, and where it leads.
    Link(Vec<u8>),
    /// Windows compressed the content for space; it is in a stream.
    Wof(Algorithm),
    /// A file or folder that is kept in step with a cloud; what is here can be read as usual.
    Cloud,
    /// A pipe, a socket or a device.
    NotAFile,
    /// Anything else: nobody but its program gets at the content.
    Shut(u32),
}

/// How Windows compressed a content ([MS-FSCC] has no numbers for it; after the public headers of the
/// Windows SDK, `FILE_PROVIDER_COMPRESSION_…`).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Algorithm {
    Xpress { chunk_in_bytes: usize },
    Lzx,
}

impl Reparse {
    pub(super) fn load(content: &Content) -> io::Result<Self> {
        let damaged = || OwnTrouble::Damaged("its reparse point contradicts itself");
        Ok(Self::from_bytes(&content.all(MOST_IN_BYTES)?).ok_or_else(damaged)?)
    }

    /// None if it is shorter than its own lengths say.
    pub(super) fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let tag = le_u32(bytes, 0)?;
        let data = bytes.get(8..)?;
        match tag {
            WOF => Some(wof(data).map_or(Self::Shut(tag), Self::Wof)),
            // A version number stands before the target.
            LINUX_LINK => Some(Self::Link(data.get(4..)?.to_vec())),
            tag if LINUX_SPECIAL.contains(&tag) => Some(Self::NotAFile),
            _ => Some(match ReparsePoint::from_bytes(bytes)? {
                ReparsePoint::Link { target } => Self::Link(target.into_bytes()),
                ReparsePoint::Shut(Shut::Cloud) => Self::Cloud,
                ReparsePoint::LinuxLink | ReparsePoint::Shut(Shut::Tag(_)) => Self::Shut(tag),
            }),
        }
    }
}

/// Two versions of 1, a provider that keeps the content in the file itself (2), and the way of compressing.
fn wof(data: &[u8]) -> Option<Algorithm> {
    let numbers = [le_u32(data, 0)?, le_u32(data, 4)?, le_u32(data, 8)?];
    if numbers != [1, 2, 1] {
        return None;
    }
    match le_u32(data, 12)? {
        0 => Some(Algorithm::Xpress { chunk_in_bytes: 4096 }),
        1 => Some(Algorithm::Lzx),
        2 => Some(Algorithm::Xpress { chunk_in_bytes: 8192 }),
        3 => Some(Algorithm::Xpress { chunk_in_bytes: 16_384 }),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_kind_is_known_and_what_is_not_known_is_shut() {
        let point = |tag: u32, data: &[u8]| [&tag.to_le_bytes()[..], &[0; 4], data].concat();
        let words = |numbers: [u32; 4]| numbers.map(u32::to_le_bytes).concat();
        assert_eq!(
            Reparse::from_bytes(&point(WOF, &words([1, 2, 1, 1]))),
            Some(Reparse::Wof(Algorithm::Lzx))
        );
        for unknown in [[1, 1, 1, 0], [1, 2, 1, 4], [2, 2, 1, 0]] {
            assert_eq!(Reparse::from_bytes(&point(WOF, &words(unknown))), Some(Reparse::Shut(WOF)));
        }
        let link = Reparse::from_bytes(&point(LINUX_LINK, b"\x02\0\0\0../kites"));
        assert_eq!(link, Some(Reparse::Link(b"../kites".to_vec())));
        assert_eq!(Reparse::from_bytes(&point(0x9000_701a, &[])), Some(Reparse::Cloud));
        assert_eq!(Reparse::from_bytes(&point(0x8000_0024, &[])), Some(Reparse::NotAFile));
        assert_eq!(Reparse::from_bytes(&point(0x8000_0013, &[])), Some(Reparse::Shut(0x8000_0013)));
        assert_eq!(Reparse::from_bytes(&[0; 7]), None);
    }
}
