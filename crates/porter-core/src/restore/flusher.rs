//! Seeing what is written onto the medium while more is written, so that nobody waits for all of it at the
//! end.

use crate::host;
use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::mpsc::{RecvTimeoutError, channel};
use std::time::{Duration, Instant};

/// Short enough for little to be left at the end; long enough for small files to be written in one go.
const EVERY: Duration = Duration::from_millis(400);

/// Flushes the drives again and again as long as `work` goes on, no longer than it waits between: each flush
/// writes a slow stick's tables anew. That it failed shows in the flush at the end.
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
