//! An entry's metadata, known without reading its content.

use time::OffsetDateTime;

/// The kind of an entry.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum EntryKind {
    /// A file with content.
    File,
    /// A folder.
    Folder,
    /// A symbolic link or a junction. Never followed.
    Link,
    /// A device, a pipe, a socket: nothing that holds a person's data.
    Other,
}

/// Why the content of something cannot be had, although it is listed: the driver that shows us the volume
/// does not know how it is kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shut {
    /// It is kept in step with a cloud. Its content may be on the volume, or not.
    Cloud,
    /// It is kept in another way, which has this number (a reparse tag, [MS-FSCC] 2.1.2.1).
    Tag(u32),
}

/// The facts that a listing shows cheaply.
#[derive(Debug, Clone)]
pub struct Metadata {
    /// Its kind.
    pub kind: EntryKind,
    /// Length of the content; 0 for all but files.
    pub size_in_bytes: u64,
    /// When the content last changed; none if the volume does not know or its time makes no sense.
    pub modified_utc: Option<OffsetDateTime>,
    /// Permission bits, where the volume keeps them.
    pub unix_mode: Option<u32>,
    /// Windows' attribute bits, where a listing has them; [`Details`] has them wherever they are kept.
    pub windows_attributes: Option<u32>,
    /// A number for the volume it is on, where the system has such. A folder with another number than the one
    /// above it is where a further volume is mounted.
    pub volume_id: Option<u64>,
    /// A number that all names of one file share (hard links); none if it has only this name, or if the
    /// system does not know it cheaply.
    pub same_file: Option<u64>,
    /// The volume keeps its long stretches of zeros as holes.
    pub sparse: bool,
    /// The driver cannot get at its content, and does not know how long that is.
    pub shut: Option<Shut>,
}

/// One row of a folder's listing.
#[derive(Debug, Clone)]
pub struct Listed {
    /// The exact name.
    pub name: Vec<u8>,
    /// Its metadata.
    pub metadata: Metadata,
}

/// Facts that have to be asked for one by one.
#[derive(Debug, Clone, Default)]
pub struct Details {
    /// Windows' attribute bits (`FILE_ATTRIBUTE_…`, [MS-FSCC] 2.6), where the volume keeps them.
    pub windows_attributes: Option<u32>,
    /// When it was made, where the volume keeps it.
    pub created_utc: Option<OffsetDateTime>,
    /// Named streams beside the content.
    pub streams: Vec<NamedStream>,
    /// Named streams that are there but could not be read.
    pub unreadable_streams: Vec<String>,
}

/// A named stream: content beside the content, such as `Zone.Identifier`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NamedStream {
    /// Its name.
    pub name: String,
    /// All of it, up to [`LARGEST_STREAM_IN_BYTES`].
    pub content: Vec<u8>,
}

/// Larger streams are named as unreadable: the list of a trunk is not the place for them.
pub const LARGEST_STREAM_IN_BYTES: u64 = 65_536;
