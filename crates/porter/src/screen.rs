//! Writing to the terminal. Colour only helps, and is left out where it is not wanted (`NO_COLOR`, no terminal).

use anstyle::{AnsiColor, Style};
use std::fmt::Display;
use std::io::Write;

pub(crate) const BOLD: Style = Style::new().bold();
pub(crate) const FAINT: Style = Style::new().dimmed();
pub(crate) const GOOD: Style = AnsiColor::Green.on_default();
/// Not yellow, which nobody can read on white.
pub(crate) const CARE: Style = AnsiColor::Magenta.on_default().bold();
pub(crate) const BAD: Style = AnsiColor::Red.on_default().bold();

/// Text in a style.
pub(crate) fn styled(style: Style, text: impl Display) -> String {
    format!("{style}{text}{style:#}")
}

/// One line to standard output. A reader that went away (`| head`) is no error.
pub(crate) fn say(line: impl Display) {
    let _ = writeln!(anstream::stdout().lock(), "{line}");
}

/// One line to standard error.
pub(crate) fn tell(line: impl Display) {
    let _ = writeln!(anstream::stderr().lock(), "{line}");
}

/// One JSON document to standard output.
pub(crate) fn say_json(document: &serde_json::Value) {
    say(format_args!("{document:#}"));
}
