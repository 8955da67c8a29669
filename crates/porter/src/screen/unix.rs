//! Terminals here draw escape sequences.

use super::To;
use indicatif::ProgressDrawTarget;
use std::io::{self, Write};

/// Where the moving line is drawn, so often in a second at most.
pub(crate) fn moving_line(hz: u8) -> ProgressDrawTarget {
    ProgressDrawTarget::stderr_with_hz(hz)
}

pub(super) fn write_line(to: To, line: &str) -> io::Result<()> {
    match to {
        To::Output => writeln!(anstream::stdout().lock(), "{line}"),
        To::Trouble => writeln!(anstream::stderr().lock(), "{line}"),
    }
}
