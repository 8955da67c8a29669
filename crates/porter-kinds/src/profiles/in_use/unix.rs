//! Unix: a lock on a file, or a link that names the machine and the process that made it.

use rustix::process::{Flock, FlockType, Pid, fcntl_getlk, test_kill_process};
use std::fs::{self, OpenOptions};
use std::path::Path;

pub(super) fn is_held(path: &Path) -> bool {
    let Ok(found) = fs::symlink_metadata(path) else { return false };
    if found.is_symlink() {
        return fs::read_link(path).is_ok_and(|to| names_running_process(&to.to_string_lossy()));
    }
    // Opened for writing only to be asked: what would be locked for writing shows every lock.
    let Ok(file) = OpenOptions::new().read(true).open(path) else { return false };
    let wanted = Flock::from(FlockType::WriteLock);
    found.is_file() && matches!(fcntl_getlk(&file, &wanted), Ok(Some(_)))
}

/// `HOST-NUMBER` of a browser around Chromium, of this machine.
fn names_running_process(target: &str) -> bool {
    let Some((host, number)) = target.rsplit_once('-') else { return false };
    let own = rustix::system::uname();
    let pid = number.parse().ok().and_then(Pid::from_raw);
    own.nodename().to_str() == Ok(host) && pid.is_some_and(|pid| test_kill_process(pid).is_ok())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_lock_that_was_left_is_told_from_one_that_is_held() {
        let folder = tempfile::tempdir().unwrap();
        let own = rustix::system::uname().nodename().to_string_lossy().into_owned();
        for (name, target, held) in [
            ("held", format!("{own}-{}", std::process::id()), true),
            ("left", format!("{own}-2147483000"), false),
            ("foreign", format!("other-{}", std::process::id()), false),
            ("gecko", "127.0.1.1:+4711".to_owned(), false),
        ] {
            std::os::unix::fs::symlink(target, folder.path().join(name)).unwrap();
            assert_eq!(is_held(&folder.path().join(name)), held, "{name}");
        }
        fs::write(folder.path().join(".parentlock"), "").unwrap();
        assert!(!is_held(&folder.path().join(".parentlock")) && !is_held(&folder.path().join("none")));
    }
}
