//! How large text is, whatever the screen.

use super::table::{Row, Table, build};

const ACCESSIBILITY: &str = "Software\\Microsoft\\Accessibility";

/// See the module.
pub static TEXT_SIZE: Table = Table {
    id: "text-size",
    title: "Size of text and pointer",
    programs: &[],
    rows: &[
        Row::number("percent", ACCESSIBILITY, "TextScaleFactor").standard("100").since(build::TEN_1809),
        Row::number("pointer-size", ACCESSIBILITY, "CursorSize").standard("1").since(build::TEN_1903),
        Row::number("pointer-kind", ACCESSIBILITY, "CursorType").standard("0").since(build::TEN_1903),
        Row::number("pointer-colour", ACCESSIBILITY, "CursorColor").since(build::TEN_1903),
    ],
};
