//! Whether the machine may run out of power before the work is done.

#[cfg(unix)]
#[path = "power/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "power/windows.rs"]
mod system;

use crate::screen::{CARE, styled, tell};
use std::sync::Once;

/// Where the power comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Power {
    /// The wall, or nobody knows.
    Mains,
    /// The battery, and how full it is if that is known.
    Battery { percent: Option<u8> },
}

/// Warns once in a run if the machine works from its battery.
pub(crate) fn warn_on_battery() {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        if let Power::Battery { percent } = system::power() {
            let left = percent.map(|percent| format!(" ({percent} % left)")).unwrap_or_default();
            tell(styled(
                CARE,
                format_args!("! This PC runs on its battery{left}. Plug it in before you go on."),
            ));
        }
    });
}
