//! Names as they may be shown: no name may move the cursor, change colours, or turn the reading direction.

use std::fmt::Write;

/// Text that is safe on a terminal and on a page.
///
/// Control characters and the Unicode characters that reorder or hide text are written as `\u{…}`, bytes that
/// are no UTF-8 as `\x…`. For people; it cannot be turned back into the exact name.
pub fn on_screen(name: &[u8]) -> String {
    let mut shown = String::with_capacity(name.len());
    for chunk in name.utf8_chunks() {
        for c in chunk.valid().chars() {
            if c.is_control() || reorders_or_hides(c) {
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
    }
}
