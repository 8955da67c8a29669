//! On Linux systemd holds the lock for a program that it runs for us; without systemd nobody puts the machine
//! to sleep but a desktop, which most live systems start without.

use std::process::{Child, Command, Stdio};

/// The program that holds the lock. It ends with its input, so also when we are killed.
pub(super) struct Kept(Option<Child>);

pub(super) fn keep() -> Kept {
    let child = Command::new("systemd-inhibit")
        .args([
            "--what=sleep:idle",
            "--mode=block",
            "--who=Loyal Porter",
            "--why=carrying a person's files",
            "cat",
        ])
        .stdin(Stdio::piped())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn();
    Kept(child.ok())
}

impl Drop for Kept {
    fn drop(&mut self) {
        if let Some(child) = &mut self.0 {
            drop(child.stdin.take());
            let _ = child.kill();
            let _ = child.wait();
        }
    }
}
