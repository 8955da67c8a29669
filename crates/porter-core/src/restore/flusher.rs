//! Seeing what is written onto the medium while more is written, so that nobody waits for all of it at the
//! end.

use crate::host;
use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::mpsc::{RecvTimeoutError, channel};
use std::time::{Duration, Instant};

/// Short enough for little to be left at the end; long enough for small files to be written in one go.
const EVERY: Duration = Duration::from_millis(400);

/// Flushes the drives again and again while `work` runs, and waits between as long as a flush took: each
/// flush rewrites a slow stick's tables. A failure shows in the flush at the end.
pub(super) fn flush_meanwhile<R>(drives: &BTreeSet<PathBuf>, work: impl FnOnce() -> R) -> R {
    std::thread::scope(|scope| {
        let (done, is_done) = channel::<()>();
        scope.spawn(move || {
            let mut pause = EVERY;
            while is_done.recv_timeout(pause) == Err(RecvTimeoutError::Timeout) {
                let began = Instant::now();
                drives.iter().for_each(|drive| drop(host::flush(drive)));
                pause = began.elapsed().max(EVERY);
            }
        });
        let result = work();
        drop(done);
        result
    })
}
