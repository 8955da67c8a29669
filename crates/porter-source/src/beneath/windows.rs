//! With folders that nobody can rename while they are open.
//!
//! Windows' usual calls take paths, so the folder that a thing is in is opened first, without sharing the
//! right to delete it: as long as that is open, neither it nor a folder above it can be renamed or removed
//! (NTFS refuses that for a folder with something open in it). Where the open folder truly is, the system
//! says. If that is not the place that was asked for, a link is in the way or a short name (`KITES~1`): then
//! each folder on the way is opened and held, and none may be a link.

use super::Reached;
use std::ffi::OsStr;
use std::fs::{File, OpenOptions};
use std::io;
use std::os::windows::ffi::OsStrExt;
use std::os::windows::fs::OpenOptionsExt;
use std::os::windows::io::AsRawHandle;
use std::path::{Component, Path, PathBuf};
use std::sync::{Arc, OnceLock};
use windows_sys::Win32::Foundation::ERROR_STOPPED_ON_SYMLINK;
use windows_sys::Win32::Globalization::{CSTR_EQUAL, CompareStringOrdinal};
use windows_sys::Win32::Storage::FileSystem::{
    FILE_FLAG_BACKUP_SEMANTICS, FILE_FLAG_OPEN_REPARSE_POINT, FILE_LIST_DIRECTORY, FILE_NAME_NORMALIZED,
    FILE_NAME_OPENED, FILE_READ_ATTRIBUTES, FILE_SHARE_READ, FILE_SHARE_WRITE, GetFinalPathNameByHandleW,
    VOLUME_NAME_NT,
};

/// Keeps a folder where it is; nothing for the root itself, which the person who runs us has named.
pub(super) type Held = Vec<File>;

/// A folder below which things are reached. It is asked where it truly is when the first of them is.
#[derive(Debug, Clone)]
pub struct Root {
    path: PathBuf,
    true_path: OnceLock<Arc<[u16]>>,
}

impl Root {
    /// Takes the folder at `path`, through links if there are any: the person who runs us has named it.
    pub fn new(path: impl Into<PathBuf>) -> Self {
        Self { path: path.into(), true_path: OnceLock::new() }
    }

    /// Its path.
    pub fn path(&self) -> &Path {
        &self.path
    }

    fn true_path(&self) -> io::Result<&[u16]> {
        if let Some(known) = self.true_path.get() {
            return Ok(known);
        }
        let found = true_path(&held(&self.path, 0)?)?;
        Ok(self.true_path.get_or_init(|| found.into()))
    }

    /// The path of something below it; of the root itself for an empty path. Whatever it is, nothing above it
    /// is a link.
    pub fn reach(&self, below: &Path) -> io::Result<Reached> {
        let folder = self.hold(below.parent().unwrap_or(below))?;
        Ok(Reached { path: self.path.join(below), folder })
    }

    /// The path of a folder below it, which is open then, and stays where it is.
    pub fn reach_folder(&self, below: &Path) -> io::Result<Reached> {
        Ok(Reached { path: self.path.join(below), folder: self.hold(below)? })
    }

    fn hold(&self, below: &Path) -> io::Result<Held> {
        if below.as_os_str().is_empty() {
            return Ok(Vec::new());
        }
        let folder = held(&self.path.join(below), 0)?;
        // If the system does not answer, as for very long paths under Wine, each step is looked at.
        let is_there = match (self.true_path(), true_path(&folder)) {
            (Ok(root), Ok(found)) => leads_to(root, below.as_os_str(), &found),
            _ => false,
        };
        if is_there {
            return Ok(vec![folder]);
        }
        drop(folder);
        self.hold_each(below)
    }

    fn hold_each(&self, below: &Path) -> io::Result<Held> {
        let is_link = || io::Error::from_raw_os_error(ERROR_STOPPED_ON_SYMLINK as i32);
        let mut path = self.path.clone();
        let mut all = Vec::new();
        for step in below.components() {
            let Component::Normal(name) = step else { return Err(is_link()) };
            path.push(name);
            let folder = held(&path, FILE_FLAG_OPEN_REPARSE_POINT)?;
            if folder.metadata()?.is_symlink() {
                return Err(is_link());
            }
            all.push(folder);
        }
        Ok(all)
    }
}

/// Listing is asked for because a handle that may do nothing keeps nobody from renaming.
fn held(folder: &Path, flags: u32) -> io::Result<File> {
    OpenOptions::new()
        .access_mode(FILE_LIST_DIRECTORY | FILE_READ_ATTRIBUTES)
        .share_mode(FILE_SHARE_READ | FILE_SHARE_WRITE)
        .custom_flags(FILE_FLAG_BACKUP_SEMANTICS | flags)
        .open(folder)
}

/// Where an open folder is, by the name of its volume: drives that are mounted in folders or without a letter
/// have one, too.
fn true_path(folder: &File) -> io::Result<Vec<u16>> {
    // Some file servers do not know the long form of a short name.
    final_path(folder, FILE_NAME_NORMALIZED).or_else(|_| final_path(folder, FILE_NAME_OPENED))
}

#[allow(unsafe_code, reason = "a call of the system's interface")]
fn final_path(folder: &File, form: u32) -> io::Result<Vec<u16>> {
    let mut path = vec![0_u16; 300];
    loop {
        let room = u32::try_from(path.len()).map_err(io::Error::other)?;
        // SAFETY: the handle is open, and the room is as long as is passed.
        let length = unsafe {
            GetFinalPathNameByHandleW(folder.as_raw_handle(), path.as_mut_ptr(), room, form | VOLUME_NAME_NT)
        };
        match length as usize {
            0 => return Err(io::Error::last_os_error()),
            // It fitted: the returned length then does not count the NUL.
            length if length < path.len() => {
                path.truncate(length);
                return Ok(path);
            }
            length => path.resize(length + 1, 0),
        }
    }
}

/// True if `found` is `below` in `root`, in whatever case.
fn leads_to(root: &[u16], below: &OsStr, found: &[u16]) -> bool {
    const SLASH: u16 = b'\\' as u16;
    let root = root.strip_suffix(&[SLASH]).unwrap_or(root);
    let below = below.encode_wide().map(|unit| if unit == u16::from(b'/') { SLASH } else { unit });
    let expected: Vec<u16> = root.iter().copied().chain([SLASH]).chain(below).collect();
    same_name(&expected, found.strip_suffix(&[SLASH]).unwrap_or(found))
}

/// As Windows compares names.
#[allow(unsafe_code, reason = "a call of the system's interface")]
fn same_name(one: &[u16], other: &[u16]) -> bool {
    let (Ok(length), Ok(other_length)) = (i32::try_from(one.len()), i32::try_from(other.len())) else {
        return false;
    };
    // SAFETY: both texts are as long as is passed.
    let told = unsafe { CompareStringOrdinal(one.as_ptr(), length, other.as_ptr(), other_length, 1) };
    told == CSTR_EQUAL
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;

    #[test]
    fn a_folder_that_was_reached_stays_where_it_is_until_it_is_let_go() {
        let bench = tempfile::tempdir().unwrap();
        let root = Root::new(bench.path());
        fs::create_dir_all(bench.path().join("In/Side")).unwrap();
        let rename = || fs::rename(bench.path().join("In/Side"), bench.path().join("In/moved"));
        let plan = root.reach(Path::new(r"in\side\plan.txt")).unwrap();
        fs::write(&plan, "spar").unwrap();
        assert!(rename().is_err(), "it is held");
        drop(plan);
        let side = root.reach_folder(Path::new("In/Side")).unwrap();
        assert!(rename().is_err(), "it is held itself");
        assert_eq!(fs::read(side.join("plan.txt")).unwrap(), b"spar");
        drop(side);
        rename().unwrap();
        assert!(root.reach(Path::new("In/Side/plan.txt")).is_err());
        // As for a short name.
        let each = root.hold_each(Path::new(r"In\moved")).unwrap();
        assert_eq!(each.len(), 2);
        assert!(root.hold_each(Path::new(r"In\..\In")).is_err());
        assert!(fs::rename(bench.path().join("In"), bench.path().join("Out")).is_err(), "each is held");
    }

    #[test]
    fn what_is_open_is_below_the_root_by_the_names_that_were_asked_for_or_refused() {
        let wide = |text: &str| text.encode_utf16().collect::<Vec<_>>();
        let root = wide(r"\Device\HarddiskVolume3\Users\odile");
        for (below, found, is_there) in [
            (r"Kites\2024", r"\Device\HarddiskVolume3\Users\odile\Kites\2024", true),
            ("Kites/2024", r"\Device\HarddiskVolume3\Users\Odile\KITES\2024", true),
            (r"Kites\2024", r"\Device\HarddiskVolume3\Windows\2024", false),
            (r"Kites\2024", r"\Device\HarddiskVolume4\Users\odile\Kites\2024", false),
            (r"Kites\2024", r"\Device\HarddiskVolume3\Users\odile\Kites", false),
        ] {
            assert_eq!(leads_to(&root, OsStr::new(below), &wide(found)), is_there, "{found}");
        }
        assert!(leads_to(
            &wide(r"\Device\HarddiskVolume3\"),
            OsStr::new("Kites"),
            &wide(r"\Device\HarddiskVolume3\Kites")
        ));
    }
}
