//! Keeping the machine awake while a long command works.

use std::sync::mpsc::{RecvTimeoutError, Sender, channel};
use std::thread::JoinHandle;
use std::time::Duration;

#[cfg(unix)]
#[path = "awake/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "awake/windows.rs"]
mod system;

/// No machine falls asleep so soon after a command was typed, and asking it not to costs as much as a short
/// command.
const BEFORE_ASKING: Duration = Duration::from_secs(5);

/// As long as it lives, the machine does not fall asleep when idle. Where the system cannot promise that, it
/// may.
pub(crate) struct Awake {
    done: Option<Sender<()>>,
    keeper: Option<JoinHandle<()>>,
}

/// Keeps the machine awake.
pub(crate) fn keep() -> Awake {
    let (done, is_done) = channel::<()>();
    let keeper = std::thread::spawn(move || {
        if is_done.recv_timeout(BEFORE_ASKING) == Err(RecvTimeoutError::Timeout) {
            let _kept = system::keep();
            let _ = is_done.recv();
        }
    });
    Awake { done: Some(done), keeper: Some(keeper) }
}

impl Drop for Awake {
    fn drop(&mut self) {
        drop(self.done.take());
        if let Some(keeper) = self.keeper.take() {
            let _ = keeper.join();
        }
    }
}
