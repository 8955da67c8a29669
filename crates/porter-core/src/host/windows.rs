//! Windows, through its own calls.

use porter_names::RelativePath;
use porter_names::host;
use porter_trunk::Entry;
use std::ffi::OsStr;
use std::fs::{self, File, FileTimes};
use std::io;
use std::ops::Range;
use std::os::windows::ffi::OsStrExt;
use std::os::windows::fs::{FileTimesExt, MetadataExt, OpenOptionsExt};
use std::path::{Path, PathBuf};
use std::time::SystemTime;

/// `FILE_FLAG_BACKUP_SEMANTICS`: without it a folder cannot be opened.
const OPEN_FOLDERS_TOO: u32 = 0x0200_0000;
/// `FILE_WRITE_ATTRIBUTES`: enough to set times.
const WRITE_ATTRIBUTES: u32 = 0x0100;

/// On Windows a new file inherits the rights of its folder; nothing has to be given away.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Owner;

pub(crate) fn owner_like(_folder: &Path) -> Option<Owner> {
    None
}

/// Opens a plain file. Fails for anything else, without following a link.
pub(crate) fn open_to_read(path: &Path) -> io::Result<File> {
    /// `FILE_FLAG_OPEN_REPARSE_POINT`.
    const THE_LINK_ITSELF: u32 = 0x0020_0000;
    let file = File::options().read(true).custom_flags(THE_LINK_ITSELF).open(path)?;
    if file.metadata()?.is_file() { Ok(file) } else { Err(io::ErrorKind::InvalidInput.into()) }
}

/// Windows counts UTF-16 units instead.
pub(crate) const fn most_bytes_in_name() -> usize {
    usize::MAX
}

/// Windows counts UTF-16 units here too, and takes more than its own volumes hold.
pub(crate) const fn most_bytes_in_path() -> usize {
    usize::MAX
}

/// Renames, and fails with `AlreadyExists` rather than replace anything.
#[allow(unsafe_code, reason = "a call of the system's interface")]
pub(crate) fn rename_without_replacing(from: &Path, to: &Path) -> io::Result<()> {
    let wide = |path: &Path| path.as_os_str().encode_wide().chain([0]).collect::<Vec<u16>>();
    let (from, to) = (wide(from), wide(to));
    // SAFETY: both paths end with a NUL. Without flags nothing is replaced.
    let ok = unsafe { windows_sys::Win32::Storage::FileSystem::MoveFileExW(from.as_ptr(), to.as_ptr(), 0) };
    if ok == 0 { Err(io::Error::last_os_error()) } else { Ok(()) }
}

/// A folder by its path: Windows' interface knows no other way.
pub(crate) struct Folder(PathBuf);

impl Folder {
    pub(crate) fn open(path: &Path) -> io::Result<Self> {
        Ok(Self(path.to_path_buf()))
    }

    /// A new file, which must not be there.
    pub(crate) fn create_new(&self, name: &OsStr) -> io::Result<File> {
        File::create_new(self.0.join(name))
    }

    /// Windows knows no files without a name.
    pub(crate) fn create_nameless(&self) -> Option<File> {
        None
    }

    pub(crate) fn give_name(&self, _file: &File, _name: &OsStr) -> io::Result<()> {
        Err(io::ErrorKind::Unsupported.into())
    }

    /// [`rename_without_replacing`] within the folder, whose path is `at`.
    pub(crate) fn rename_without_replacing(&self, at: &Path, from: &OsStr, to: &OsStr) -> io::Result<()> {
        rename_without_replacing(&at.join(from), &at.join(to))
    }
}

/// Nothing is left to do: each file was flushed when it had its content, because Windows flushes a whole
/// volume only for administrators.
pub(crate) fn flush(_folder: &Path) -> io::Result<()> {
    Ok(())
}

/// Windows begins on its own.
pub(crate) fn begin_writing_back(_file: &File, _stretch: Range<u64>) {}

/// Makes a link that leads to `target`. Windows lets administrators do that, others only where developers
/// may.
pub(crate) fn make_link(target: &[u8], at: &Path) -> io::Result<()> {
    let mut words = PathBuf::new();
    for step in target.split(|b| matches!(b, b'/' | b'\\')).filter(|step| !step.is_empty()) {
        match step {
            b".." => words.push(".."),
            b"." => {}
            name => {
                let name = RelativePath::root().join(name).map_err(io::Error::other)?;
                words.push(host::to_host(Path::new(""), &name).map_err(io::Error::other)?);
            }
        }
    }
    let leads_to_folder = at.parent().is_some_and(|folder| folder.join(&words).is_dir());
    if leads_to_folder {
        std::os::windows::fs::symlink_dir(words, at)?;
    } else {
        std::os::windows::fs::symlink_file(words, at)?;
    }
    // Systems that only act as Windows may say that they made one.
    fs::symlink_metadata(at).map(|_| ())
}

pub(crate) fn set_file_metadata(
    file: File,
    _folder: &Folder,
    path: &Path,
    entry: &Entry,
    _owner: Option<Owner>,
) -> io::Result<()> {
    file.sync_all()?;
    for stream in &entry.streams {
        let mut name = path.as_os_str().to_owned();
        name.push(":");
        name.push(&stream.name);
        let _ = fs::write(name, &stream.content);
    }
    // Times before attributes: a read-only file takes no times.
    let _ = file.set_times(times(entry));
    set_attributes(path, entry);
    Ok(())
}

/// There is none.
pub(crate) fn set_nameless_metadata(_file: &File, _entry: &Entry, _owner: Option<Owner>) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}

/// Who may read it is the folder's affair there.
pub(crate) fn keep_from_others(_: &File) -> io::Result<()> {
    Ok(())
}

pub(crate) fn set_link_metadata(_path: &Path, _entry: &Entry, _owner: Option<Owner>) {}

pub(crate) fn set_folder_owner(_path: &Path, _owner: Option<Owner>) {}

/// When a folder last changed.
pub(crate) fn set_folder_time(path: &Path, modified: SystemTime) -> io::Result<()> {
    let mut open = fs::OpenOptions::new();
    let folder = open.access_mode(WRITE_ATTRIBUTES).custom_flags(OPEN_FOLDERS_TOO).open(path)?;
    folder.set_times(FileTimes::new().set_modified(modified))
}

/// Removes a file or link. Windows would keep a read-only one.
pub(crate) fn remove_file(path: &Path) -> io::Result<()> {
    let found = fs::symlink_metadata(path)?;
    if found.is_dir() {
        return fs::remove_dir(path);
    }
    let mut permissions = found.permissions();
    if permissions.readonly() && !found.is_symlink() {
        permissions.set_readonly(false);
        fs::set_permissions(path, permissions)?;
    }
    fs::remove_file(path)
}

pub(crate) fn set_folder_metadata(path: &Path, entry: &Entry) {
    let folder =
        fs::OpenOptions::new().access_mode(WRITE_ATTRIBUTES).custom_flags(OPEN_FOLDERS_TOO).open(path);
    if let Ok(folder) = folder {
        let _ = folder.set_times(times(entry));
    }
    set_attributes(path, entry);
}

fn times(entry: &Entry) -> FileTimes {
    let mut times = FileTimes::new();
    if let Some(modified_utc) = entry.modified_utc {
        times = times.set_modified(modified_utc.into()).set_accessed(modified_utc.into());
    }
    if let Some(created_utc) = entry.created_utc {
        times = times.set_created(created_utc.into());
    }
    times
}

/// Copies the marks of another file. Its rights are those that its folder grants.
pub(crate) fn copy_marks(from: &Path, to: &Path) {
    /// Read-only, hidden, system, archive.
    const MARKS: u32 = 0x27;
    if let Ok(found) = fs::symlink_metadata(from) {
        set_bits(to, found.file_attributes() & MARKS);
    }
}

fn set_attributes(path: &Path, entry: &Entry) {
    set_bits(path, entry.attributes.windows_bits());
}

#[allow(unsafe_code, reason = "a call of the system's interface")]
fn set_bits(path: &Path, bits: u32) {
    if bits == 0 {
        return;
    }
    let wide: Vec<u16> = path.as_os_str().encode_wide().chain([0]).collect();
    // SAFETY: the path ends with a NUL. The check finds attributes that could not be set.
    unsafe {
        windows_sys::Win32::Storage::FileSystem::SetFileAttributesW(wide.as_ptr(), bits);
    }
}
