//! Opening things below a folder without going through a link, even if somebody changes the folders at the
//! same time.
//!
//! A path that was looked at is no promise: while porter runs as root, a stranger can put a link where a
//! folder was. So the folder that a thing is in is opened first, step by step from an open root, and no step
//! may be a link; what is then done with a name in it happens in that folder and nowhere else. On Linux
//! `openat2(2)` does all steps at once, or `openat(2)` one after the other; the open folder is spelled
//! `/proc/self/fd/N`. On Windows the folder is held where it is while its path is used. Elsewhere, and where
//! `/proc` is not mounted, a path is all there is.

#[cfg(target_os = "linux")]
#[path = "beneath/linux.rs"]
mod system;
#[cfg(windows)]
#[path = "beneath/windows.rs"]
mod system;
#[cfg(not(any(target_os = "linux", windows)))]
#[path = "beneath/by_path.rs"]
mod system;

pub use system::Root;

use std::ops::Deref;
use std::path::{Path, PathBuf};

/// A path that leads to one thing in a folder that was reached without a link. It holds as long as this is
/// kept.
pub struct Reached {
    path: PathBuf,
    #[allow(dead_code, reason = "it keeps the folder open")]
    folder: system::Held,
}

impl Reached {
    /// A spelling for calls that look at the last step itself and not at what it leads to, where this is a
    /// folder that is open.
    pub fn itself(&self) -> PathBuf {
        if cfg!(target_os = "linux") { self.path.join(".") } else { self.path.clone() }
    }
}

impl Deref for Reached {
    type Target = Path;
    fn deref(&self) -> &Path {
        &self.path
    }
}

impl AsRef<Path> for Reached {
    fn as_ref(&self) -> &Path {
        &self.path
    }
}

#[cfg(all(test, unix))]
mod tests {
    use super::*;
    use std::fs;

    #[test]
    fn what_is_behind_a_link_is_not_reached_however_deep_and_wherever_it_is() {
        let bench = tempfile::tempdir().unwrap();
        let root = bench.path().join("root");
        let deep: PathBuf = ["a folder with a name of some length"; 120].iter().collect();
        fs::create_dir_all(root.join("in/side")).unwrap();
        fs::write(root.join("in/side/plan.txt"), "spar").unwrap();
        fs::create_dir(bench.path().join("outside")).unwrap();
        fs::write(bench.path().join("outside/secret"), "x").unwrap();
        for (at, to) in [("link", "../outside"), ("in/up", "../.."), ("in/same", "side")] {
            std::os::unix::fs::symlink(to, root.join(at)).unwrap();
        }
        let opened = Root::new(&root);
        let read = |path: &str| opened.reach(Path::new(path)).and_then(|at| fs::read(&at));
        assert_eq!(read("in/side/plan.txt").unwrap(), b"spar");
        if cfg!(target_os = "linux") {
            for path in
                ["link/secret", "in/up/outside/secret", "in/same/plan.txt", "in/side/../../../outside/secret"]
            {
                assert!(read(path).is_err(), "{path}");
            }
            assert!(opened.reach_folder(Path::new("link")).is_err());
            let there = opened.reach_folder(Path::new("in/side")).unwrap();
            fs::rename(root.join("in/side"), root.join("in/moved")).unwrap();
            std::os::unix::fs::symlink(bench.path().join("outside"), root.join("in/side")).unwrap();
            assert_eq!(
                fs::read(there.join("plan.txt")).unwrap(),
                b"spar",
                "it is the folder that was opened"
            );

            // Deeper than the system takes at once.
            assert!(deep.as_os_str().len() > 4096);
            let mut at = String::new();
            for step in &deep {
                at = if at.is_empty() {
                    step.to_string_lossy().into()
                } else {
                    format!("{at}/{}", step.display())
                };
                fs::create_dir(opened.reach(Path::new(&at)).unwrap()).unwrap();
            }
            fs::write(opened.reach(&deep.join("end.txt")).unwrap(), "here").unwrap();
            assert_eq!(fs::read(opened.reach(&deep.join("end.txt")).unwrap()).unwrap(), b"here");
        }
    }
}
