//! Windows' console draws escape sequences since Windows 10; before, its colours are set by calls. Some
//! systems that act as an older Windows take the request for escape sequences and draw them as letters, so
//! the version decides, not the answer.

use super::To;
use anstream::adapter::WinconBytes;
use anstream::{AutoStream, ColorChoice};
use anstyle::{AnsiColor, Color, Effects, Style};
use anstyle_wincon::WinconStream;
use indicatif::{ProgressDrawTarget, TermLike};
use std::io::{self, IsTerminal, Write};
use std::sync::OnceLock;
use windows_sys::Wdk::System::SystemServices::RtlGetVersion;
use windows_sys::Win32::System::SystemInformation::OSVERSIONINFOW;

/// The first build whose console draws escape sequences: Windows 10, version 1511.
const FIRST_BUILD_WITH_SEQUENCES: u32 = 10_586;

pub(super) fn write_line(to: To, line: &str) -> io::Result<()> {
    match to {
        To::Output => {
            let raw = std::io::stdout();
            let by_calls = draws_by_calls(raw.is_terminal(), AutoStream::choice(&raw));
            if by_calls { draw(&mut raw.lock(), line) } else { writeln!(anstream::stdout().lock(), "{line}") }
        }
        To::Trouble => {
            let raw = std::io::stderr();
            let by_calls = draws_by_calls(raw.is_terminal(), AutoStream::choice(&raw));
            if by_calls { draw(&mut raw.lock(), line) } else { writeln!(anstream::stderr().lock(), "{line}") }
        }
    }
}

/// Where the moving line is drawn, so often in a second at most.
pub(crate) fn moving_line(hz: u8) -> ProgressDrawTarget {
    if build() < FIRST_BUILD_WITH_SEQUENCES {
        ProgressDrawTarget::term_like_with_hz(Box::new(OldConsole), hz)
    } else {
        ProgressDrawTarget::stderr_with_hz(hz)
    }
}

/// One line, drawn again and again from its beginning: all that the moving line needs, and all that every
/// console knows.
#[derive(Debug)]
struct OldConsole;

impl OldConsole {
    fn put(text: &str) -> std::io::Result<()> {
        std::io::stderr().lock().write_all(text.as_bytes())
    }
}

impl TermLike for OldConsole {
    fn width(&self) -> u16 {
        super::terminal_columns().and_then(|columns| u16::try_from(columns).ok()).unwrap_or(79)
    }

    fn move_cursor_up(&self, _lines: usize) -> std::io::Result<()> {
        Ok(())
    }

    fn move_cursor_down(&self, _lines: usize) -> std::io::Result<()> {
        Ok(())
    }

    fn move_cursor_right(&self, _columns: usize) -> std::io::Result<()> {
        Ok(())
    }

    fn move_cursor_left(&self, _columns: usize) -> std::io::Result<()> {
        Self::put("\r")
    }

    fn write_line(&self, line: &str) -> std::io::Result<()> {
        Self::put(&format!("{line}\n"))
    }

    fn write_str(&self, text: &str) -> std::io::Result<()> {
        Self::put(text)
    }

    fn clear_line(&self) -> std::io::Result<()> {
        Self::put(&format!("\r{}\r", " ".repeat(self.width().into())))
    }

    fn flush(&self) -> std::io::Result<()> {
        std::io::stderr().lock().flush()
    }
}

fn draws_by_calls(is_console: bool, colour: ColorChoice) -> bool {
    is_console && colour != ColorChoice::Never && build() < FIRST_BUILD_WITH_SEQUENCES
}

fn draw(console: &mut (impl WinconStream + Write), line: &str) -> std::io::Result<()> {
    for (style, text) in WinconBytes::new().extract_next(line.as_bytes()) {
        let mut rest = text.as_bytes();
        while !rest.is_empty() {
            let written = console.write_colored(colour_of(style), None, rest)?;
            rest = rest.get(written.max(1)..).unwrap_or_default();
        }
    }
    console.write_colored(None, None, b"\n").map(|_| ())
}

/// The old console has 16 colours, and neither bold nor faint letters.
fn colour_of(style: Style) -> Option<AnsiColor> {
    match style.get_fg_color() {
        Some(Color::Ansi(colour)) => Some(colour.bright(true)),
        _ if style.get_effects().contains(Effects::BOLD) => Some(AnsiColor::BrightWhite),
        _ => None,
    }
}

#[allow(unsafe_code, reason = "a call of the system's interface")]
fn build() -> u32 {
    static BUILD: OnceLock<u32> = OnceLock::new();
    *BUILD.get_or_init(|| {
        let mut version = OSVERSIONINFOW {
            dwOSVersionInfoSize: size_of::<OSVERSIONINFOW>() as u32,
            ..OSVERSIONINFOW::default()
        };
        // SAFETY: the structure says how long it is, and outlives the call.
        unsafe { RtlGetVersion(&mut version) };
        version.dwBuildNumber
    })
}
