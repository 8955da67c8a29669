//! Names as they may be shown: no name may move the cursor, change colours, or turn the reading direction.

use std::borrow::Cow;
use std::fmt::Write;

/// Text that is safe on a terminal and on a page.
///
/// Control characters and the Unicode characters that reorder or hide text are written as `\u{…}`, bytes that
/// are not UTF-8 as `\x…`. For people; it cannot be turned back into the exact name.
pub fn on_screen(name: &[u8]) -> String {
    let mut shown = String::with_capacity(name.len());
    for chunk in name.utf8_chunks() {
        for c in chunk.valid().chars() {
            if steers(c) {
                // Writing to a String cannot fail.
                let _ = write!(shown, "\\u{{{:x}}}", c as u32);
            } else {
                shown.push(c);
            }
        }
        for byte in chunk.invalid() {
            let _ = write!(shown, "\\x{byte:02x}");
        }
    }
    shown
}

/// A text that we put together and styled ourselves, whatever is in it: what chooses a style stays (`SGR` of
/// ECMA-48, `ESC [ … m`), line ends and tabs stay, and all else that steers is written out as in
/// [`on_screen`].
pub fn styled_on_screen(text: &str) -> Cow<'_, str> {
    let stays = |c: char| c == '\n' || c == '\t' || !steers(c);
    if text.chars().all(stays) {
        return Cow::Borrowed(text);
    }
    let mut shown = String::with_capacity(text.len() + 16);
    let mut rest = text;
    while let Some(c) = rest.chars().next() {
        let style = rest.strip_prefix("\u{1b}[").and_then(|inside| {
            let length = inside.find(|c: char| !c.is_ascii_digit() && c != ';')?;
            inside[length..].starts_with('m').then_some(2 + length + 1)
        });
        let (this, after) = rest.split_at(style.unwrap_or(c.len_utf8()));
        if style.is_some() || stays(c) {
            shown.push_str(this);
        } else {
            shown.push_str(&on_screen(this.as_bytes()));
        }
        rest = after;
    }
    Cow::Owned(shown)
}

fn steers(c: char) -> bool {
    c.is_control() || reorders_or_hides(c)
}

/// Bidirectional controls, zero-width characters and separators that a terminal may take as a new line.
/// (U+200D joins emoji and U+FE0F picks their colour form: both are kept.)
fn reorders_or_hides(c: char) -> bool {
    matches!(c, '\u{200b}' | '\u{200c}' | '\u{200e}' | '\u{200f}' | '\u{2028}'..='\u{202e}'
        | '\u{2060}'..='\u{206f}' | '\u{feff}' | '\u{fff9}'..='\u{fffb}' | '\u{e0000}'..='\u{e007f}')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_that_steers_a_terminal_gets_through() {
        assert_eq!(on_screen(b"a\x1b[2Jb\r\n"), "a\\u{1b}[2Jb\\u{d}\\u{a}");
        assert_eq!(on_screen("gpj.\u{202e}exe".as_bytes()), "gpj.\\u{202e}exe");
        assert_eq!(on_screen(b"ok\xff\xfe"), "ok\\xff\\xfe");
        assert_eq!(on_screen("Café 🪁 👩‍🔧".as_bytes()), "Café 🪁 👩‍🔧");
        let styled = "\u{1b}[1;35mCare\u{1b}[0m\tof\nCafé 👩‍🔧";
        assert_eq!(styled_on_screen(styled), styled);
        let steers = "a\u{1b}[2J\u{1b}[31\u{1b}]0;x\u{7}\u{1b}[;\u{202e}\r\u{1b}[";
        let shown = "a\\u{1b}[2J\\u{1b}[31\\u{1b}]0;x\\u{7}\\u{1b}[;\\u{202e}\\u{d}\\u{1b}[";
        assert_eq!(styled_on_screen(steers), shown);
    }
}
