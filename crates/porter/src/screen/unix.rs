//! Terminals here draw escape sequences.

use super::To;
use std::io::Write;

pub(super) fn write_line(to: To, line: &str) {
    // A reader that went away (`| head`) is no error.
    let _ = match to {
        To::Output => writeln!(anstream::stdout().lock(), "{line}"),
        To::Trouble => writeln!(anstream::stderr().lock(), "{line}"),
    };
}
