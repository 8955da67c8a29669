//! A system whose devices porter does not know.

use super::Device;
use crate::block_source::BlockSource;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

pub(super) fn open(_path: &Path) -> io::Result<Option<Arc<dyn BlockSource>>> {
    Ok(None)
}

pub(super) fn is_device(_path: &Path) -> bool {
    false
}

pub(super) fn all() -> Vec<Device> {
    Vec::new()
}

pub(super) fn holds(_device: &Path, _folder: &Path) -> bool {
    false
}

pub(super) fn mounted_at(_path: &Path) -> Vec<PathBuf> {
    Vec::new()
}
