//! How keys repeat, and how the caret looks.

use super::table::{Row, Table};
use super::tell::{Spi, Tell};

const KEYBOARD: &str = "Control Panel\\Keyboard";
const DESKTOP: &str = "Control Panel\\Desktop";
const TOGGLE: &str = "Keyboard Layout\\Toggle";

/// See the module.
pub static TYPING: Table = Table {
    id: "typing",
    title: "Typing",
    programs: &[],
    rows: &[
        Row::text("delay", KEYBOARD, "KeyboardDelay").standard("1").tells(Tell::Spi(Spi::KeyboardDelay)),
        Row::text("speed", KEYBOARD, "KeyboardSpeed").standard("31").tells(Tell::Spi(Spi::KeyboardSpeed)),
        Row::text("caret-blink-time", DESKTOP, "CursorBlinkRate").standard("530"),
        Row::number("caret-width", DESKTOP, "CaretWidth").standard("1").tells(Tell::Spi(Spi::CaretWidth)),
        // Keys that switch between layouts: 1 Alt and Shift, 2 Ctrl and Shift, 3 none, 4 the key below Esc.
        Row::text("switch-keys", TOGGLE, "Hotkey").standard("1"),
        Row::text("switch-language-keys", TOGGLE, "Language Hotkey").standard("1"),
        Row::text("switch-layout-keys", TOGGLE, "Layout Hotkey").standard("2"),
    ],
};
