//! The one way to read an old machine.

use crate::{Details, HostTree, Listed, Metadata, ReadError};
use porter_names::RelativePath;
use std::io;
use std::path::Path;

/// A read-only tree with a root.
///
/// Paths are exact: case matters, even on a volume whose own system ignores it. No call follows a link in
/// the last step, and callers never ask for paths below a link.
pub trait Volume: Send + Sync {
    /// The entries of a folder, in no particular order. An entry that vanishes during the listing is left
    /// out; one whose metadata cannot be read is an error of its own.
    fn list(&self, folder: &RelativePath) -> Result<Vec<Result<Listed, ReadError>>, ReadError>;

    /// The metadata of one entry; of the link itself if it is a link.
    fn metadata(&self, path: &RelativePath) -> Result<Metadata, ReadError>;

    /// Attributes, creation time and named streams. Fields that the volume does not keep are left empty.
    fn details(&self, path: &RelativePath) -> Result<Details, ReadError>;

    /// Opens a file's content.
    fn open(&self, file: &RelativePath) -> Result<Box<dyn VolumeFile>, ReadError>;

    /// Opens a file's content, and returns its metadata. Where the volume can ask the open file, its path is
    /// looked up only once.
    fn open_known(&self, file: &RelativePath) -> Result<(Box<dyn VolumeFile>, Metadata), ReadError> {
        Ok((self.open(file)?, self.metadata(file)?))
    }

    /// Where a file's content begins on the drive, if the volume knows: in the order of these numbers a drive
    /// reads fastest.
    fn begins_at_in_bytes(&self, _file: &RelativePath) -> Option<u64> {
        None
    }

    /// Where a link leads, in the words of its own system.
    fn link_target(&self, link: &RelativePath) -> Result<Vec<u8>, ReadError>;

    /// How large the volume is.
    fn capacity(&self) -> Result<Capacity, ReadError>;

    /// True if the drive that a path is on was unplugged, if the volume can know: then nothing of it can be
    /// read, whatever the error says.
    fn is_gone(&self, _path: &RelativePath) -> bool {
        false
    }

    /// True if a folder of the running system lies on the drive that is read: nothing may be written there.
    fn is_on_same_drive(&self, _folder: &Path) -> bool {
        false
    }

    /// Where the running system shows this volume, if it does. Restoring needs it.
    fn host_tree(&self) -> Option<&HostTree>;
}

/// An open file of a volume. Several threads may read it at once.
pub trait VolumeFile: Send + Sync {
    /// Reads up to `buffer.len()` bytes; 0 at the end.
    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize>;

    /// The file's outside, which shows whether somebody wrote to it between two questions; none if the volume
    /// cannot say.
    fn state(&self) -> Option<FileState> {
        None
    }

    /// The position of the next byte at or behind an offset that the volume keeps; before it there is only a
    /// hole. None if the volume cannot know.
    fn next_data(&self, _offset_in_bytes: u64) -> Option<u64> {
        None
    }

    /// Lets `look` see a stretch where the system keeps it, all of it at once, which saves a copy.
    ///
    /// False if this file cannot be seen so, or disappeared while `look` looked: its result then counts for
    /// nothing, and [`read_at`](Self::read_at) reports the error. Somebody may write to the file at the same
    /// time, as between two reads.
    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        let _ = (offset_in_bytes, length_in_bytes, look);
        false
    }
}

/// The outside of an open file at one moment. If two differ, the file changed between them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FileState {
    /// Length of the content.
    pub size_in_bytes: u64,
    /// When the content last changed, as the volume counts it.
    pub modified_in_ns: i128,
    /// When anything of it last changed, where the volume keeps that: nobody can set this time.
    pub changed_in_ns: Option<i128>,
}

/// How large a volume is.
#[derive(Debug, Clone, Copy)]
pub struct Capacity {
    /// All of it.
    pub total_in_bytes: u64,
    /// The bytes that the person who runs us may still write.
    pub free_in_bytes: u64,
}
