//! Ctrl-C: the first asks the running command to stop at the next safe place, the second ends it at once.

use crate::failure::STOPPED_STATUS;
use std::sync::atomic::{AtomicBool, Ordering};

/// Set when somebody asked to stop.
pub(crate) static STOP: AtomicBool = AtomicBool::new(false);

/// Begins to listen. Where that is not possible, Ctrl-C ends the program at once, as usual.
pub(crate) fn listen() {
    let _ = ctrlc::set_handler(|| {
        if STOP.swap(true, Ordering::SeqCst) {
            std::process::exit(i32::from(STOPPED_STATUS));
        }
    });
}
