//! Writing to the terminal. Colour only helps, and is left out where it is not wanted (`NO_COLOR`, no
//! terminal).

#[cfg(unix)]
#[path = "screen/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "screen/windows.rs"]
mod system;

pub(crate) use system::moving_line;

use anstream::adapter::strip_str;
use anstyle::{RgbColor, Style};
use porter_names::screen::styled_on_screen;
use std::fmt::Display;
use std::io::{self, ErrorKind, IsTerminal, Write};
use std::sync::{Mutex, PoisonError};
use unicode_width::UnicodeWidthStr;

pub(crate) const BOLD: Style = Style::new().bold();
pub(crate) const FAINT: Style = FAINT_COLOUR.on_default();
pub(crate) const GOOD: Style = GOOD_COLOUR.on_default();
pub(crate) const CARE: Style = CARE_COLOUR.on_default().bold();
pub(crate) const BAD: Style = BAD_COLOUR.on_default().bold();
// Each can be read on white and on black, at 4.5 to 1 (WCAG 2.1, 1.4.3): what a terminal calls green or
// yellow often cannot.
const FAINT_COLOUR: RgbColor = RgbColor(0x76, 0x76, 0x76);
const GOOD_COLOUR: RgbColor = RgbColor(0x00, 0x89, 0x00);
pub(crate) const CARE_COLOUR: RgbColor = RgbColor(0xcf, 0x00, 0xcf);
const BAD_COLOUR: RgbColor = RgbColor(0xee, 0x00, 0x00);

/// Text in a style.
pub(crate) fn styled(style: Style, text: impl Display) -> String {
    format!("{style}{text}{style:#}")
}

/// Where a line goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum To {
    /// Standard output.
    Output,
    /// Standard error.
    Trouble,
}

/// One line to standard output, broken where a line ends.
pub(crate) fn say(line: impl Display) {
    write(To::Output, columns(), &line.to_string());
}

/// One line to standard error, broken where a terminal ends.
pub(crate) fn tell(line: impl Display) {
    let columns = if std::io::stderr().is_terminal() { terminal_columns() } else { None };
    write(To::Trouble, columns, &line.to_string());
}

/// Why standard output did not take all of the result. A reader that went away (`| head`) had enough, and
/// that is not an error.
pub(crate) fn output_failed() -> Option<io::Error> {
    note(io::stdout().flush());
    FAILED.lock().unwrap_or_else(PoisonError::into_inner).take()
}

static FAILED: Mutex<Option<io::Error>> = Mutex::new(None);

fn note(written: io::Result<()>) {
    if let Err(cause) = written
        && cause.kind() != ErrorKind::BrokenPipe
    {
        FAILED.lock().unwrap_or_else(PoisonError::into_inner).get_or_insert(cause);
    }
}

fn write_line(to: To, line: &str) {
    let written = system::write_line(to, line);
    // If standard error is lost, there is no place for a message.
    if to == To::Output {
        note(written);
    }
}

/// How wide a line on standard output may be: what the terminal has room for, or else what the variable
/// `COLUMNS` says. None if neither is.
pub(crate) fn columns() -> Option<usize> {
    if std::io::stdout().is_terminal() {
        return terminal_columns();
    }
    std::env::var("COLUMNS").ok()?.parse().ok().filter(|columns| (20..10_000).contains(columns))
}

/// One less than there are: the old console of Windows breaks a line that only just fits.
fn terminal_columns() -> Option<usize> {
    terminal_size::terminal_size().map(|(width, _)| usize::from(width.0).saturating_sub(1))
}

/// Whatever names, labels and reasons are in a line, none steers the terminal.
fn write(to: To, columns: Option<usize>, line: &str) {
    let line = &*styled_on_screen(line);
    match columns {
        Some(columns) => {
            line.lines().for_each(|line| write_line(to, &broken(line, columns)));
            if line.is_empty() {
                write_line(to, "");
            }
        }
        None => write_line(to, line),
    }
}

/// Breaks a line between words, so that no part is wider than `width`; what is continued begins below the
/// column that is broken. Styles take no room, and go on.
fn broken(line: &str, width: usize) -> String {
    let width_of = |text: &str| strip_str(text).to_string().width();
    if width_of(line) <= width {
        return line.to_owned();
    }
    // A column begins after two spaces or more.
    let mut column = line.len() - line.trim_start_matches(' ').len();
    let mut whole = String::new();
    let mut used = 0;
    let mut spaces = String::new();
    for word in line.split_inclusive(' ') {
        let letters = word.trim_end_matches(' ');
        if letters.is_empty() {
            spaces.push_str(word);
            continue;
        }
        let room = width_of(letters);
        if spaces.len() >= 2 && used + spaces.len() < width * 2 / 3 {
            column = used + spaces.len();
        }
        if used > column && used + spaces.len() + room > width {
            whole.push('\n');
            whole.push_str(&" ".repeat(column));
            used = column;
        } else {
            whole.push_str(&spaces);
            used += spaces.len();
        }
        spaces.clear();
        whole.push_str(letters);
        used += room;
        spaces.push_str(&word[letters.len()..]);
    }
    whole
}

/// One JSON document to standard output.
pub(crate) fn say_json(document: &serde_json::Value) {
    write_line(To::Output, &format!("{document:#}"));
}

/// Asks a question on a terminal, and returns the answer without the spaces around it.
pub(crate) fn ask(question: &str) -> String {
    let _ = write!(std::io::stderr(), "{question}");
    let mut answer = String::new();
    let _ = std::io::stdin().read_line(&mut answer);
    answer.trim().to_owned()
}

/// True only for a clear yes.
pub(crate) fn confirmed(question: &str) -> bool {
    tell("");
    matches!(ask(&format!("{question} [y/N] ")).to_ascii_lowercase().as_str(), "y" | "yes")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_colour_can_be_read_on_white_and_on_black() {
        let linear = |part: u8| {
            let part = f64::from(part) / 255.0;
            if part <= 0.04045 { part / 12.92 } else { ((part + 0.055) / 1.055).powf(2.4) }
        };
        for RgbColor(red, green, blue) in [FAINT_COLOUR, GOOD_COLOUR, CARE_COLOUR, BAD_COLOUR] {
            let luminance = 0.2126 * linear(red) + 0.7152 * linear(green) + 0.0722 * linear(blue);
            let (on_white, on_black) = (1.05 / (luminance + 0.05), (luminance + 0.05) / 0.05);
            assert!(on_white >= 4.5 && on_black >= 4.5, "{red} {green} {blue}: {on_white} {on_black}");
        }
    }

    #[test]
    fn a_line_is_broken_below_its_last_column() {
        let line = "  ! links  what a link leads to is carried only if it lies in an item itself";
        assert_eq!(
            broken(line, 40),
            "  ! links  what a link leads to is\n           carried only if it lies in an\n           item itself"
        );
        assert_eq!(broken(line, 100), line);
        let styled = format!("{}  12 files", styled(BOLD, "bram"));
        assert_eq!(broken(&styled, 14), styled, "styles take no room");
        assert_eq!(broken("C:\\a-path-without-any-space", 10), "C:\\a-path-without-any-space");
    }
}
