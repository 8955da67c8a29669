//! Sources of bytes: read-only trees of files, whatever they are stored on.
//!
//! Everything that looks at an old machine goes through [`Volume`]. Its first implementation is
//! [`HostFolder`], a folder that the running system shows us: a mounted drive, or any copy of one. If a drive
//! is not mounted, [`VolumeKind`] says how to open it.

pub mod beneath;
pub mod error;
pub mod host_folder;
pub mod host_tree;
pub mod metadata;
pub mod own_trouble;
pub mod reparse_point;
pub mod rescue;
pub mod sequential;
pub mod spinning;
mod system_trouble;
pub mod volume;
pub mod volume_kind;

pub use beneath::Reached;
pub use error::{ReadError, ReadTrouble};
pub use host_folder::{HostFolder, filetime_from_utc, look_at_file, open_to_look, utc_from_filetime};
pub use host_tree::HostTree;
pub use metadata::{Details, EntryKind, Listed, Metadata, NamedStream, Shut};
pub use own_trouble::OwnTrouble;
pub use rescue::{Missing, Rescue, Second};
pub use sequential::Sequential;
pub use volume::{Capacity, FileState, Volume, VolumeFile};
pub use volume_kind::VolumeKind;
