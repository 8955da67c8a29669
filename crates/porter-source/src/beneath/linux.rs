//! With open folders.

use super::Reached;
use rustix::fd::{AsFd, AsRawFd, OwnedFd};
use rustix::fs::{Mode, OFlags, ResolveFlags};
use rustix::io::Errno;
use std::io;
use std::path::{Component, Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, OnceLock};

/// Keeps a folder open; none for a folder that is reached by its path.
pub(super) type Held = Option<Arc<OwnedFd>>;

/// The most that the system is asked for at once, with room for a name.
const MOST_IN_BYTES: usize = 3800;

/// A folder below which things are reached. It is opened when the first of them is.
#[derive(Debug, Clone)]
pub struct Root {
    path: PathBuf,
    folder: OnceLock<Arc<OwnedFd>>,
}

impl Root {
    /// Takes the folder at `path`, through links if there are any: the person who runs us has named it.
    pub fn new(path: impl Into<PathBuf>) -> Self {
        Self { path: path.into(), folder: OnceLock::new() }
    }

    /// Its path.
    pub fn path(&self) -> &Path {
        &self.path
    }

    fn folder(&self) -> io::Result<Arc<OwnedFd>> {
        if let Some(folder) = self.folder.get() {
            return Ok(Arc::clone(folder));
        }
        let flags = OFlags::PATH | OFlags::DIRECTORY | OFlags::CLOEXEC;
        let opened = Arc::new(rustix::fs::open(&self.path, flags, Mode::empty())?);
        Ok(Arc::clone(self.folder.get_or_init(|| opened)))
    }

    /// The path of something below it; of the root itself for an empty path. Whatever it is, nothing above it
    /// is a link.
    pub fn reach(&self, below: &Path) -> io::Result<Reached> {
        let Some(name) = below.file_name() else { return self.reach_folder(below) };
        if !has_proc() {
            return Ok(Reached { path: self.path.join(below), folder: None });
        }
        let folder = match below.parent().filter(|above| !above.as_os_str().is_empty()) {
            Some(above) => Arc::new(open_folder(&*self.folder()?, above)?),
            None => self.folder()?,
        };
        Ok(Reached { path: spelled(&folder).join(name), folder: Some(folder) })
    }

    /// The path of a folder below it, which is open then: it leads to that folder even if somebody renames
    /// it.
    pub fn reach_folder(&self, below: &Path) -> io::Result<Reached> {
        if !has_proc() {
            return Ok(Reached { path: self.path.join(below), folder: None });
        }
        if below.as_os_str().is_empty() {
            return Ok(Reached { path: self.path.clone(), folder: None });
        }
        let folder = Arc::new(open_folder(&*self.folder()?, below)?);
        Ok(Reached { path: spelled(&folder), folder: Some(folder) })
    }

    /// Opens a file below it.
    pub(crate) fn open(&self, below: &Path, flags: OFlags) -> io::Result<OwnedFd> {
        if below.as_os_str().len() <= MOST_IN_BYTES {
            return open_beneath(&*self.folder()?, below, flags);
        }
        let folder = open_folder(&*self.folder()?, below.parent().unwrap_or(below))?;
        open_beneath(&folder, Path::new(below.file_name().unwrap_or_default()), flags)
    }
}

fn spelled(folder: &OwnedFd) -> PathBuf {
    PathBuf::from(format!("/proc/self/fd/{}", folder.as_raw_fd()))
}

/// A system that was not started the usual way may lack it.
fn has_proc() -> bool {
    static HAS: OnceLock<bool> = OnceLock::new();
    *HAS.get_or_init(|| Path::new("/proc/self/fd").is_dir())
}

fn open_folder(root: &OwnedFd, below: &Path) -> io::Result<OwnedFd> {
    let flags = OFlags::PATH | OFlags::DIRECTORY;
    if below.as_os_str().len() <= MOST_IN_BYTES {
        return open_beneath(root, below, flags);
    }
    let mut opened: Option<OwnedFd> = None;
    let mut rest = PathBuf::new();
    for step in below.components() {
        if rest.as_os_str().len() + step.as_os_str().len() > MOST_IN_BYTES {
            opened = Some(open_beneath(opened.as_ref().unwrap_or(root), &rest, flags)?);
            rest = PathBuf::new();
        }
        rest.push(step);
    }
    open_beneath(opened.as_ref().unwrap_or(root), &rest, flags)
}

fn open_beneath(root: &OwnedFd, below: &Path, flags: OFlags) -> io::Result<OwnedFd> {
    /// Older systems do not know the call, and some jails forbid it.
    static KNOWN: AtomicBool = AtomicBool::new(true);
    /// It fails if somebody keeps renaming folders at the same time.
    const TRIES: u32 = 100;
    let flags = flags | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    let within = ResolveFlags::BENEATH | ResolveFlags::NO_SYMLINKS | ResolveFlags::NO_MAGICLINKS;
    let mut tries = 0;
    while KNOWN.load(Ordering::Relaxed) {
        match rustix::fs::openat2(root, below, flags, Mode::empty(), within) {
            Err(Errno::AGAIN) if tries < TRIES => tries += 1,
            Err(Errno::NOSYS) => KNOWN.store(false, Ordering::Relaxed),
            // Also said of a file that only its owner may open without changing its time of access.
            Err(Errno::PERM) if !flags.contains(OFlags::NOATIME) => break,
            // So it says of what leads out; it is what a link does.
            Err(Errno::XDEV) => return Err(Errno::LOOP.into()),
            // A link, where a folder was asked for.
            Err(Errno::NOTDIR) if is_link(root, below) => return Err(Errno::LOOP.into()),
            opened => return Ok(opened?),
        }
    }
    step_by_step(root, below, flags)
}

fn step_by_step(root: &OwnedFd, below: &Path, flags: OFlags) -> io::Result<OwnedFd> {
    let folder_flags = OFlags::PATH | OFlags::DIRECTORY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
    let mut opened: Option<OwnedFd> = None;
    let mut steps = below.components().peekable();
    while let Some(step) = steps.next() {
        let Component::Normal(name) = step else { return Err(Errno::LOOP.into()) };
        let flags = if steps.peek().is_some() { folder_flags } else { flags };
        let folder = opened.as_ref().map_or(root.as_fd(), AsFd::as_fd);
        opened = Some(match rustix::fs::openat(folder, name, flags, Mode::empty()) {
            Err(Errno::NOTDIR) if is_link(folder, Path::new(name)) => return Err(Errno::LOOP.into()),
            opened => opened?,
        });
    }
    opened.ok_or_else(|| Errno::INVAL.into())
}

fn is_link(folder: impl AsFd, name: &Path) -> bool {
    let found = rustix::fs::statat(folder, name, rustix::fs::AtFlags::SYMLINK_NOFOLLOW);
    found.is_ok_and(|found| rustix::fs::FileType::from_raw_mode(found.st_mode).is_symlink())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn without_openat2_it_is_the_same_step_by_step() {
        let bench = tempfile::tempdir().unwrap();
        std::fs::create_dir_all(bench.path().join("a/b")).unwrap();
        std::fs::write(bench.path().join("a/b/c"), "x").unwrap();
        std::os::unix::fs::symlink("b", bench.path().join("a/link")).unwrap();
        let root = rustix::fs::open(bench.path(), OFlags::PATH, Mode::empty()).unwrap();
        for (path, works) in
            [("a/b/c", true), ("a/link/c", false), ("a/link", false), ("../x", false), ("a/none", false)]
        {
            for open in [open_beneath, step_by_step] {
                let flags = OFlags::RDONLY | OFlags::NOFOLLOW | OFlags::CLOEXEC;
                assert_eq!(open(&root, Path::new(path), flags).is_ok(), works, "{path}");
            }
        }
    }
}
