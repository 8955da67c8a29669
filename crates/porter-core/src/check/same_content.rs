//! Whether what stands at a path is what was captured.

use crate::events::{Cancelled, Conduct, Event};
use porter_kinds::receipt::Reason;
use porter_names::RelativePath;
use porter_source::{EntryKind, Metadata, ReadError, Sequential, Volume, VolumeFile};
use porter_trunk::{Content, ContentHash, LongContent};
use std::io::{self, Read};

/// Files from this length on are read by two threads.
const LONG_IN_BYTES: u64 = 64 << 20;
/// From this length on it is worth the trouble to look at files where the system keeps them, instead of
/// reading them.
const SEEN_FROM_IN_BYTES: u64 = 256 << 10;

/// How what stands at a path differs from what was captured; none if it is the same. A file is read whole,
/// unless its length differs already; `opened` is the file if it is open anyway.
pub(super) fn difference(
    volume: &dyn Volume,
    path: &RelativePath,
    metadata: &Metadata,
    opened: Option<Box<dyn VolumeFile>>,
    captured: &Content,
    conduct: Conduct<'_>,
) -> Result<Option<Reason>, ReadError> {
    let other_kind = |what: &str| Ok(Some(Reason::OtherKindThere { what: what.to_owned() }));
    match (captured, metadata.kind) {
        (Content::Folder, EntryKind::Folder) => Ok(None),
        (Content::Link { target }, EntryKind::Link) => {
            let same = volume.link_target(path)? == *target;
            Ok(if same { None } else { Some(Reason::LinkDiffers) })
        }
        (Content::File { size_in_bytes, hash }, EntryKind::File) => {
            let differs =
                Reason::ContentDiffers { captured_size: *size_in_bytes, found_size: metadata.size_in_bytes };
            if metadata.size_in_bytes != *size_in_bytes {
                return Ok(Some(differs));
            }
            let opened = opened.map_or_else(|| volume.open(path), Ok)?;
            let found = if *size_in_bytes >= SEEN_FROM_IN_BYTES {
                let threads = if *size_in_bytes >= LONG_IN_BYTES { 2 } else { 1 };
                let seen = |size_in_bytes| conduct.send(&Event::Bytes { size_in_bytes });
                ContentHash::of_long(*size_in_bytes, &Opened { file: &*opened, conduct }, threads, &seen)
            } else {
                let content = Sequential::of_known_size(opened, *size_in_bytes);
                ContentHash::of_reader(&mut Counted { from: content, conduct })
            };
            match found {
                Ok(found) => Ok((found != *hash).then_some(differs)),
                // It became shorter in between.
                Err(cause) if cause.kind() == io::ErrorKind::UnexpectedEof => Ok(Some(differs)),
                Err(cause) => Err(ReadError::new(path, cause)),
            }
        }
        (_, EntryKind::Folder) => other_kind("a folder"),
        (_, EntryKind::Link) => other_kind("a link"),
        (_, EntryKind::File) => other_kind("a file"),
        (_, EntryKind::Other) => other_kind("a device"),
    }
}

/// A file whose hash is taken.
struct Opened<'f> {
    file: &'f dyn VolumeFile,
    conduct: Conduct<'f>,
}

impl LongContent for Opened<'_> {
    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        if self.conduct.is_stopped() {
            return Err(io::Error::other(Cancelled));
        }
        self.file.read_at(offset_in_bytes, buffer)
    }

    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        !self.conduct.is_stopped() && self.file.look_at(offset_in_bytes, length_in_bytes, look)
    }
}

/// Reports every piece that is read.
struct Counted<'a, R> {
    from: R,
    conduct: Conduct<'a>,
}

impl<R: Read> Read for Counted<'_, R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.conduct.is_stopped() {
            return Err(io::Error::other(Cancelled));
        }
        let read = self.from.read(buffer)?;
        self.conduct.send(&Event::Bytes { size_in_bytes: read as u64 });
        Ok(read)
    }
}
