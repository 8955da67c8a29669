//! Paths as people type them, and as we show them.

use clap::builder::{OsStringValueParser, TypedValueParser};
use porter_names::RelativePath;
use std::ffi::OsString;
use std::path::{Path, PathBuf};

/// For the path arguments of all commands.
pub(crate) fn typed() -> impl TypedValueParser<Value = PathBuf> {
    OsStringValueParser::new().try_map(if cfg!(windows) { as_meant_on_windows } else { as_it_is })
}

fn as_it_is(typed: OsString) -> Result<PathBuf, HiddenQuote> {
    Ok(typed.into())
}

/// A quote that the command line took for a part of the path.
#[derive(Debug, thiserror::Error)]
#[error("a backslash before the closing quote hides the quote; leave it out: \"{before}\"")]
pub(crate) struct HiddenQuote {
    before: String,
}

/// `D:` alone means the drive, not where somebody last was on it; either slash will do; and `"C:\Old PC\"`,
/// which the command line makes `C:\Old PC"`, is understood if nothing was swallowed.
fn as_meant_on_windows(typed: OsString) -> Result<PathBuf, HiddenQuote> {
    let Some(text) = typed.to_str() else { return Ok(typed.into()) };
    let text = text.strip_suffix('"').unwrap_or(text);
    // No Windows path holds a quote.
    if let Some((before, _)) = text.split_once('"') {
        return Err(HiddenQuote { before: before.to_owned() });
    }
    let mut text = text.replace('/', "\\");
    if text.len() == 2 && text.ends_with(':') {
        text.push('\\');
    }
    Ok(text.into())
}

/// As a person would write it: without the mark that lets Windows take long paths.
pub(crate) fn shown(path: &Path) -> String {
    without_marks(&path.display().to_string())
}

/// As it can be typed: in quotes, if a shell would cut it into pieces.
pub(crate) fn quoted(path: &Path) -> String {
    let shown = shown(path);
    let is_plain = |c: char| c.is_alphanumeric() || "/\\:._-+,@%=~#".contains(c);
    match (shown.chars().all(is_plain) && !shown.is_empty() && !shown.starts_with('#'), cfg!(windows)) {
        (true, _) => shown,
        (false, true) => format!("\"{shown}\""),
        (false, false) => format!("'{}'", shown.replace('\'', "'\\''")),
    }
}

/// The same for the id of an item, which may come from a trunk: people paste what stands here.
pub(crate) fn quoted_id(id: &str) -> String {
    quoted(Path::new(&porter_names::screen::on_screen(id.as_bytes())))
}

/// The same for a sentence with paths in it.
pub(crate) fn without_marks(text: &str) -> String {
    text.replace("\\\\?\\UNC\\", "\\\\").replace("\\\\?\\", "")
}

/// So much of a path is shown; what is longer nobody reads, and it is whole in the JSON.
const LONGEST_SHOWN: usize = 260;

/// A path in a row that people read: its beginning and its end, if it is very long.
pub(crate) fn in_a_row(path: &RelativePath) -> String {
    if path.is_root() {
        return "(as a whole)".to_owned();
    }
    let whole = path.to_string();
    let length = whole.chars().count();
    if length <= LONGEST_SHOWN {
        return whole;
    }
    let begin: String = whole.chars().take(LONGEST_SHOWN / 2).collect();
    let end: String = whole.chars().skip(length - LONGEST_SHOWN / 2).collect();
    format!("{begin} \u{2026} {end}")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn windows_paths_are_taken_as_they_are_meant() {
        let meant = |typed: &str| as_meant_on_windows(typed.into()).map(|path| path.display().to_string());
        for (typed, expected) in [
            ("C:/Old PC/Users", "C:\\Old PC\\Users"),
            ("C:\\Old PC\"", "C:\\Old PC"),
            ("e:", "e:\\"),
            ("\\\\loft\\people", "\\\\loft\\people"),
            ("here", "here"),
        ] {
            assert_eq!(meant(typed).unwrap(), expected);
        }
        let swallowed = meant("C:\\Old PC\" E:\\trunk").unwrap_err().to_string();
        assert!(swallowed.ends_with("leave it out: \"C:\\Old PC\""), "{swallowed}");
        assert_eq!(quoted_id("odile/mail/apple-mail"), "odile/mail/apple-mail");
        let evil = quoted_id("odile/mail/x'; rm -rf ~ #");
        assert!(
            evil == "'odile/mail/x'\\''; rm -rf ~ #'" || cfg!(windows) && evil.starts_with('"'),
            "{evil}"
        );
        assert_eq!(shown(Path::new("\\\\?\\C:\\Old PC")), "C:\\Old PC");
        assert_eq!(shown(Path::new("\\\\?\\UNC\\loft\\people")), "\\\\loft\\people");
    }
}
