//! Drives and images, read by porter itself: always only read.
//!
//! A [`block_source::BlockSource`] is bytes with a length: a [`device`], or an [`image`] of any form. A
//! [`partition`] is a stretch of it, a [`file_system`] what is on that, and an [`image_volume::ImageVolume`]
//! shows it as everything else reads a machine. [`drive::Drive`] does it all for what a technician names.

pub mod block_source;
pub mod device;
pub mod drive;
pub mod file_system;
pub mod image;
pub mod image_volume;
pub mod lock;
mod numbers;
pub mod packed;
pub mod partition;
pub mod rescue;
pub mod tree;

pub use drive::{Drive, DriveError, DrivePart, Reading};
pub use file_system::{Caution, FileSystem, FileSystemError};
pub use image::ImageError;
pub use image_volume::ImageVolume;
