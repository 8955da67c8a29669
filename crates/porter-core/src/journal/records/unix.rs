//! Unix: the folder is its owner's alone.

use std::fs::{self, DirBuilder, File, Metadata};
use std::io;
use std::os::unix::fs::{DirBuilderExt, MetadataExt, OpenOptionsExt};
use std::path::Path;

/// Who else may write.
const OTHERS_MAY_WRITE: u32 = 0o022;

pub(super) fn make_folder(folder: &Path) -> io::Result<()> {
    DirBuilder::new().mode(0o700).create(folder)
}

/// A new file in it, which must not be there.
pub(crate) fn new_file(path: &Path) -> io::Result<File> {
    File::options().write(true).create_new(true).mode(0o600).open(path)
}

/// A volume that keeps no owners or permissions shows the same for all of its folders: there the folder is as
/// safe as the machine's root.
pub(super) fn whose(_folder: &Path, found: &Metadata, root: &Path) -> Result<(), &'static str> {
    let of_root = fs::metadata(root).ok();
    let us = rustix::process::geteuid().as_raw();
    let as_the_root = |of: fn(&Metadata) -> u32| of_root.as_ref().is_some_and(|root| of(root) == of(found));
    if ![us, 0].contains(&found.uid()) && !as_the_root(|found| found.uid()) {
        return Err("it belongs to somebody else");
    }
    let is_open = found.mode() & OTHERS_MAY_WRITE != 0;
    if is_open && !as_the_root(|found| found.mode() & 0o777) {
        return Err("others may write to it");
    }
    Ok(())
}
