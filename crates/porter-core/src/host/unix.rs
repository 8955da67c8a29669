//! Unix, writing its own file systems and NTFS through ntfs-3g. porter-source, which reads them, describes
//! how Windows' metadata is kept in extended attributes.

use porter_trunk::Entry;
use rustix::fd::AsFd;
use rustix::fs::{AtFlags, CWD, Mode, OFlags, RenameFlags, Timespec, Timestamps, XattrFlags};
use rustix::io::Errno;
use std::ffi::OsStr;
use std::fs::{self, File, FileTimes};
use std::io;
use std::ops::Range;
use std::os::unix::ffi::OsStrExt;
use std::os::unix::fs::{MetadataExt, PermissionsExt};
use std::path::Path;
#[cfg(target_os = "linux")]
use std::sync::OnceLock;
use std::time::SystemTime;
use time::OffsetDateTime;

/// Without those that lend the owner's rights to others: the owner is another one now.
const PERMISSIONS: u32 = 0o777;

/// Whose a restored thing is to be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Owner {
    user: u32,
    group: u32,
}

/// The owner of `folder`, if we may give things away and it is not ourselves.
pub(crate) fn owner_like(folder: &Path) -> Option<Owner> {
    let found = fs::symlink_metadata(folder).ok()?;
    let (user, group) = (found.uid(), found.gid());
    let us = rustix::process::geteuid();
    (us.is_root() && (user, group) != (0, 0)).then_some(Owner { user, group })
}

/// Longest name that file systems here take.
pub(crate) const fn most_bytes_in_name() -> usize {
    255
}

/// Longest path that is asked for: Linux takes 4096 bytes with the end, and a waiting file has a longer name
/// than its own.
pub(crate) const fn most_bytes_in_path() -> usize {
    4000
}

/// Opens a plain file. Fails for anything else, without following a link and without waiting for a pipe.
pub(crate) fn open_to_read(path: &Path) -> io::Result<File> {
    let flags = OFlags::RDONLY | OFlags::NOFOLLOW | OFlags::NONBLOCK | OFlags::CLOEXEC;
    let file = File::from(rustix::fs::open(path, flags, Mode::empty())?);
    if file.metadata()?.is_file() { Ok(file) } else { Err(io::ErrorKind::InvalidInput.into()) }
}

/// Renames, and fails with `AlreadyExists` rather than replace anything.
pub(crate) fn rename_without_replacing(from: &Path, to: &Path) -> io::Result<()> {
    #[cfg(any(target_os = "linux", target_os = "android"))]
    match rustix::fs::renameat_with(CWD, from, CWD, to, RenameFlags::NOREPLACE) {
        // Some file systems cannot promise it; there a look beforehand has to do.
        Err(Errno::INVAL | Errno::NOSYS | Errno::NOTSUP) => {}
        done => return Ok(done?),
    }
    if fs::symlink_metadata(to).is_ok() {
        return Err(io::Error::new(io::ErrorKind::AlreadyExists, "something is there already"));
    }
    fs::rename(from, to)
}

/// An open folder: entries made in it are reached without going through all the folders above again, and
/// nobody can exchange these in between.
pub(crate) struct Folder {
    folder: rustix::fd::OwnedFd,
    /// Closing a file changes its times nowhere but on volumes that somebody else writes, such as
    /// ntfs-3g or a server. Before, they are set more quickly.
    times_outlast_closing: bool,
}

impl Folder {
    pub(crate) fn open(path: &Path) -> io::Result<Self> {
        let flags = OFlags::PATH | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let folder = rustix::fs::open(path, flags, Mode::empty())?;
        let times_outlast_closing = is_volume_of_linux(&folder);
        Ok(Self { folder, times_outlast_closing })
    }

    /// A new file, which must not be there.
    pub(crate) fn create_new(&self, name: &OsStr) -> io::Result<File> {
        let flags = OFlags::CREATE | OFlags::EXCL | OFlags::WRONLY | OFlags::CLOEXEC;
        Ok(rustix::fs::openat(&self.folder, name, flags, Mode::from_raw_mode(0o666))?.into())
    }

    /// A new file without any name: nothing is left of it if it never gets one, and a name is given more
    /// quickly than changed. None where the volume or the system has no such thing.
    pub(crate) fn create_nameless(&self) -> Option<File> {
        #[cfg(target_os = "linux")]
        if can_name_open_files() {
            let flags = OFlags::TMPFILE | OFlags::WRONLY | OFlags::CLOEXEC;
            return Some(
                rustix::fs::openat(&self.folder, ".", flags, Mode::from_raw_mode(0o666)).ok()?.into(),
            );
        }
        None
    }

    /// Gives a file that has none its name. Fails with `AlreadyExists` rather than replace anything.
    pub(crate) fn give_name(&self, file: &File, name: &OsStr) -> io::Result<()> {
        #[cfg(target_os = "linux")]
        return Ok(rustix::fs::linkat(file, "", &self.folder, name, AtFlags::EMPTY_PATH)?);
        #[cfg(not(target_os = "linux"))]
        Err(io::ErrorKind::Unsupported.into())
    }

    /// [`rename_without_replacing`] within the folder, whose path is `at`.
    pub(crate) fn rename_without_replacing(&self, at: &Path, from: &OsStr, to: &OsStr) -> io::Result<()> {
        #[cfg(any(target_os = "linux", target_os = "android"))]
        match rustix::fs::renameat_with(&self.folder, from, &self.folder, to, RenameFlags::NOREPLACE) {
            Err(Errno::INVAL | Errno::NOSYS | Errno::NOTSUP) => {}
            done => return Ok(done?),
        }
        rename_without_replacing(&at.join(from), &at.join(to))
    }
}

/// True for volumes that Linux itself writes, on this machine.
#[cfg(target_os = "linux")]
fn is_volume_of_linux(folder: impl AsFd) -> bool {
    /// ext4, XFS, btrfs, tmpfs and F2FS (linux/magic.h).
    const MAGIC: [i64; 5] = [0xef53, 0x5846_5342, 0x9123_683e, 0x0102_1994, 0xf2f5_2010];
    rustix::fs::fstatfs(folder).is_ok_and(|volume| MAGIC.contains(&volume.f_type))
}

#[cfg(not(target_os = "linux"))]
fn is_volume_of_linux(_folder: impl AsFd) -> bool {
    false
}

/// Whether a file that is open can be given a name: for that Linux asks for the right to search everywhere,
/// which root may have been left without. Tried out once, with a file that is known to no folder.
#[cfg(target_os = "linux")]
fn can_name_open_files() -> bool {
    static CAN: OnceLock<bool> = OnceLock::new();
    *CAN.get_or_init(|| {
        let Ok(file) = rustix::fs::memfd_create("porter", rustix::fs::MemfdFlags::CLOEXEC) else {
            return false;
        };
        // On another volume than any folder: with the right it fails for that reason, and without it because
        // nothing is found.
        let tried = rustix::fs::linkat(&file, "", CWD, ".porter", AtFlags::EMPTY_PATH);
        tried == Err(Errno::XDEV)
    })
}

/// Returns when all that was written to the volume of `folder` is on the medium.
pub(crate) fn flush(folder: &Path) -> io::Result<()> {
    porter_trunk::flush_volume(folder)
}

/// Asks the system to begin writing a stretch of a file to the medium, and does not wait for it. Only a wish.
#[cfg_attr(target_os = "linux", allow(unsafe_code, reason = "a call of the system's interface"))]
pub(crate) fn begin_writing_back(file: &File, stretch: Range<u64>) {
    #[cfg(target_os = "linux")]
    if let (Ok(offset), Ok(length)) =
        (i64::try_from(stretch.start), i64::try_from(stretch.end - stretch.start))
    {
        use std::os::fd::AsRawFd;
        // SAFETY: the call takes numbers alone, and the file is open.
        unsafe { libc::sync_file_range(file.as_raw_fd(), offset, length, libc::SYNC_FILE_RANGE_WRITE) };
    }
    #[cfg(not(target_os = "linux"))]
    let _ = (file, stretch);
}

/// Makes a link that leads to `target`, in the words of this system.
pub(crate) fn make_link(target: &[u8], at: &Path) -> io::Result<()> {
    std::os::unix::fs::symlink(OsStr::from_bytes(target), at)
}

/// Sets owner, streams, attributes and times, in an order in which none undoes another. The check finds facts
/// that the volume cannot keep.
pub(crate) fn set_file_metadata(
    file: File,
    folder: &Folder,
    path: &Path,
    entry: &Entry,
    owner: Option<Owner>,
) -> io::Result<()> {
    set_owner_streams_and_mode(&file, entry, owner)?;
    if folder.times_outlast_closing {
        set_times_of(&file, entry.modified_utc);
    } else {
        drop(file);
        set_times_in(&folder.folder, path.file_name().unwrap_or_default(), entry.modified_utc);
    }
    set_windows_metadata(path, entry);
    Ok(())
}

/// The same for a file that has no name yet. Only volumes of Linux' own have such files.
pub(crate) fn set_nameless_metadata(file: &File, entry: &Entry, owner: Option<Owner>) -> io::Result<()> {
    set_owner_streams_and_mode(file, entry, owner)?;
    if let Some(mark) = samba_mark(entry) {
        let _ = rustix::fs::fsetxattr(file, SAMBA_ATTRIBUTES, mark.as_bytes(), XattrFlags::empty());
    }
    set_times_of(file, entry.modified_utc);
    Ok(())
}

fn set_owner_streams_and_mode(file: &File, entry: &Entry, owner: Option<Owner>) -> io::Result<()> {
    if let Some(Owner { user, group }) = owner {
        std::os::unix::fs::fchown(file, Some(user), Some(group))?;
    }
    for stream in &entry.streams {
        let name = format!("user.{}", stream.name);
        let _ = rustix::fs::fsetxattr(file, name, &stream.content, XattrFlags::empty());
    }
    if let Some(mode) = entry.unix_mode {
        file.set_permissions(fs::Permissions::from_mode(mode & PERMISSIONS))?;
    } else if entry.attributes.is_read_only() {
        let mode = file.metadata()?.permissions().mode();
        file.set_permissions(fs::Permissions::from_mode(mode & !0o222))?;
    }
    Ok(())
}

/// Nobody but its owner may read a file.
pub(crate) fn keep_from_others(file: &File) -> io::Result<()> {
    file.set_permissions(fs::Permissions::from_mode(0o600))
}

/// Owner and times of a link itself.
pub(crate) fn set_link_metadata(path: &Path, entry: &Entry, owner: Option<Owner>) {
    if let Some(Owner { user, group }) = owner {
        let _ = std::os::unix::fs::lchown(path, Some(user), Some(group));
    }
    set_times(path, entry.modified_utc);
}

/// Owner of a folder, before anything is put into it.
pub(crate) fn set_folder_owner(path: &Path, owner: Option<Owner>) {
    if let Some(Owner { user, group }) = owner {
        let _ = std::os::unix::fs::lchown(path, Some(user), Some(group));
    }
}

/// When a folder last changed.
pub(crate) fn set_folder_time(path: &Path, modified: SystemTime) -> io::Result<()> {
    File::open(path)?.set_times(FileTimes::new().set_modified(modified))
}

/// Removes a file or link.
pub(crate) fn remove_file(path: &Path) -> io::Result<()> {
    fs::remove_file(path)
}

/// Attributes and times of a folder, after everything was put into it.
pub(crate) fn set_folder_metadata(path: &Path, entry: &Entry) {
    if let Some(mode) = entry.unix_mode {
        let _ = fs::set_permissions(path, fs::Permissions::from_mode(mode & PERMISSIONS));
    }
    set_times(path, entry.modified_utc);
    set_windows_metadata(path, entry);
}

/// Comes after the times: ntfs-3g loses a time of change that is set after the time of creation, which shows
/// only when the volume is mounted again.
fn set_windows_metadata(path: &Path, entry: &Entry) {
    if let Some(ticks) = entry.created_utc.and_then(porter_source::filetime_from_utc) {
        let _ =
            rustix::fs::lsetxattr(path, "system.ntfs_crtime_be", &ticks.to_be_bytes(), XattrFlags::REPLACE);
    }
    if entry.attributes.is_empty() {
        return;
    }
    const NTFS_ATTRIBUTES: &str = "system.ntfs_attrib_be";
    let mut there = [0; 4];
    if let Ok(4) = rustix::fs::lgetxattr(path, NTFS_ATTRIBUTES, &mut there) {
        let bits = (u32::from_be_bytes(there) & !0x27) | entry.attributes.windows_bits();
        let _ = rustix::fs::lsetxattr(path, NTFS_ATTRIBUTES, &bits.to_be_bytes(), XattrFlags::empty());
    } else if let Some(mark) = samba_mark(entry) {
        let _ = rustix::fs::lsetxattr(path, SAMBA_ATTRIBUTES, mark.as_bytes(), XattrFlags::empty());
    }
}

const SAMBA_ATTRIBUTES: &str = "user.DOSATTRIB";

/// Attributes as Samba and Wine keep them. The archive mark says nothing to them, and read-only is kept in
/// the mode.
fn samba_mark(entry: &Entry) -> Option<String> {
    let bits = entry.attributes.without_archive().windows_bits();
    (bits & !0x01 != 0).then(|| format!("{bits:#x}"))
}

/// Copies the marks of another file, and on NTFS its rights, if the volume keeps them.
pub(crate) fn copy_marks(from: &Path, to: &Path) {
    /// No list of rights is longer.
    const LONGEST_IN_BYTES: usize = 64 << 10;
    let mut value = vec![0; LONGEST_IN_BYTES];
    for name in ["system.ntfs_acl", "system.ntfs_attrib_be", SAMBA_ATTRIBUTES] {
        if let Ok(length) = rustix::fs::lgetxattr(from, name, &mut value[..]) {
            let _ = rustix::fs::lsetxattr(to, name, &value[..length], XattrFlags::empty());
        }
    }
}

/// The time of last access becomes that of the change: nothing better is known.
fn set_times(path: &Path, modified_utc: Option<OffsetDateTime>) {
    set_times_in(CWD, path.as_os_str(), modified_utc);
}

fn set_times_of(file: &File, modified_utc: Option<OffsetDateTime>) {
    let Some(modified_utc) = modified_utc else { return };
    let _ = rustix::fs::futimens(file, &both_times(modified_utc));
}

fn set_times_in(folder: impl AsFd, name: &OsStr, modified_utc: Option<OffsetDateTime>) {
    let Some(modified_utc) = modified_utc else { return };
    let _ = rustix::fs::utimensat(folder, name, &both_times(modified_utc), AtFlags::SYMLINK_NOFOLLOW);
}

fn both_times(modified_utc: OffsetDateTime) -> Timestamps {
    let time = Timespec { tv_sec: modified_utc.unix_timestamp(), tv_nsec: modified_utc.nanosecond().into() };
    Timestamps { last_access: time, last_modification: time }
}
