//! The session of the person who runs porter: it is told of changes of that person's registry. Everybody else
//! finds them at the next sign-in.

#[cfg(unix)]
#[path = "session/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "session/windows.rs"]
mod system;

use crate::setting::windows::tell::Tell;
use std::collections::BTreeSet;

/// Tells all windows that a section of the system's settings has changed.
#[cfg(windows)]
pub(super) fn broadcast(section: &str) {
    system::broadcast(section);
}

/// Tells all windows that there are other fonts.
#[cfg(windows)]
pub(super) fn fonts_changed() {
    system::fonts_changed();
}

/// Tells the session of changes of a person's registry, each once. Does nothing for anybody else's: a message
/// is of no use to a session that shows somebody else's settings.
pub fn tell(owner: &str, tells: &BTreeSet<Tell>) {
    if tells.iter().all(|tell| *tell == Tell::Nothing) || !system::is_of_session(owner) {
        return;
    }
    tells.iter().for_each(|tell| system::tell(owner, *tell));
}
