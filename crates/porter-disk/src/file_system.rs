//! File systems, each read by nodes: numbers of files and folders that mean the same as long as it is open.

mod chain;
pub mod exfat;
pub mod fat;
pub mod ntfs;
pub mod recognise;

use crate::tree::{Node, Tree};
use porter_source::{Capacity, Details, ReadTrouble, VolumeFile, VolumeKind, utc_from_filetime};
use std::io;

/// An opened file system. All names and facts were read when it was opened, and are in memory.
pub trait FileSystem: Send + Sync {
    /// The kind, as it is called: `NTFS`.
    fn kind(&self) -> &'static str;

    /// The name that somebody gave it.
    fn label(&self) -> Option<&str>;

    /// Its folders and files.
    fn tree(&self) -> &Tree;

    /// The state it was left in, and the losses.
    fn cautions(&self) -> &[Caution];

    /// Attributes, creation time and named streams of a node.
    fn details(&self, node: Node) -> Result<Details, ReadTrouble>;

    /// Opens a file's content.
    fn open(&self, file: Node) -> Result<Box<dyn VolumeFile>, ReadTrouble>;

    /// Where a link leads. Most kinds have none.
    fn link_target(&self, _link: Node) -> Result<Vec<u8>, ReadTrouble> {
        Err(ReadTrouble::Other(io::Error::other("this kind of volume has no links")))
    }

    /// How large it is.
    fn capacity(&self) -> Capacity;
}

/// The details of a node of which only the time of its making is kept beside the facts.
fn details_of(tree: &Tree, node: Node, created_in_ticks: u64) -> Details {
    Details {
        windows_attributes: tree.facts(node).map(|facts| facts.windows_attributes),
        created_utc: Some(created_in_ticks).filter(|ticks| *ticks > 0).and_then(utc_from_filetime),
        ..Details::default()
    }
}

/// The state in which a file system was left, or what of it is lost.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Caution {
    /// It was not closed: the last changes may be missing. Its log is not carried out.
    NotClosed,
    /// This many records could not be read: the files that they tell of are missing, or have no folder.
    RecordsUnreadable(u64),
    /// Its first record is damaged, and a copy of it was used.
    CopyUsed(&'static str),
}

/// Why a file system cannot be opened.
#[derive(Debug, thiserror::Error)]
pub enum FileSystemError {
    /// It is of a kind that is not read.
    #[error("porter does not read this kind of volume")]
    NotKnown(Option<VolumeKind>),
    /// Its own records contradict themselves.
    #[error("the file system is damaged: {0}")]
    Damaged(&'static str),
    /// The drive could not read what everything else depends on.
    #[error("the drive could not read it: {0}")]
    Unreadable(#[from] io::Error),
}
