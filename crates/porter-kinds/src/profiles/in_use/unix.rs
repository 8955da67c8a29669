//! Unix: a lock on a file, or a link that names the machine and the process that made it.

use super::Use;
use rustix::io::Errno;
use rustix::process::{Flock, FlockType, Pid, fcntl_getlk, test_kill_process};
use std::fs::{self, OpenOptions};
use std::io::ErrorKind;
use std::path::Path;

pub(super) fn held(path: &Path) -> Use {
    let found = match fs::symlink_metadata(path) {
        Ok(found) => found,
        Err(cause) if matches!(cause.kind(), ErrorKind::NotFound | ErrorKind::NotADirectory) => {
            return Use::Free;
        }
        Err(_) => return Use::Unknown,
    };
    if found.is_symlink() {
        return match fs::read_link(path) {
            Ok(to) => process_named_by(&to.to_string_lossy()),
            Err(_) => Use::Unknown,
        };
    }
    if !found.is_file() {
        return Use::Free;
    }
    // Opened for reading, and asked for the locks that stand in the way of one for writing: that is every
    // lock.
    let Ok(file) = OpenOptions::new().read(true).open(path) else { return Use::Unknown };
    match fcntl_getlk(&file, &Flock::from(FlockType::WriteLock)) {
        Ok(Some(_)) => Use::Held,
        Ok(None) => Use::Free,
        Err(_) => Use::Unknown,
    }
}

/// `HOST-NUMBER` of a browser around Chromium, of this machine.
fn process_named_by(target: &str) -> Use {
    let Some((host, number)) = target.rsplit_once('-') else { return Use::Free };
    let own = rustix::system::uname();
    let Some(pid) =
        number.parse().ok().and_then(Pid::from_raw).filter(|_| own.nodename().to_str() == Ok(host))
    else {
        return Use::Free;
    };
    match test_kill_process(pid) {
        Ok(()) | Err(Errno::PERM) => Use::Held,
        Err(Errno::SRCH) => Use::Free,
        Err(_) => Use::Unknown,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_lock_that_was_left_is_told_from_one_that_is_held() {
        let folder = tempfile::tempdir().unwrap();
        let own = rustix::system::uname().nodename().to_string_lossy().into_owned();
        for (name, target, held) in [
            ("held", format!("{own}-{}", std::process::id()), Use::Held),
            // The first process is another person's, unless we are the root.
            ("not ours", format!("{own}-1"), Use::Held),
            ("left", format!("{own}-2147483000"), Use::Free),
            ("foreign", format!("other-{}", std::process::id()), Use::Free),
            ("gecko", "127.0.1.1:+4711".to_owned(), Use::Free),
        ] {
            std::os::unix::fs::symlink(target, folder.path().join(name)).unwrap();
            assert_eq!(super::held(&folder.path().join(name)), held, "{name}");
        }
        fs::write(folder.path().join(".parentlock"), "").unwrap();
        for name in [".parentlock", "none", ".parentlock/below"] {
            assert_eq!(super::held(&folder.path().join(name)), Use::Free, "{name}");
        }
        let endless = folder.path().join("endless");
        std::os::unix::fs::symlink("endless", &endless).unwrap();
        assert_eq!(super::held(&endless.join("lock")), Use::Unknown, "what cannot be looked at is not free");
    }
}
