//! The magnifier, and which aids begin with the session.

use super::table::{Row, Table, build};

const MAGNIFIER_KEY: &str = "Software\\Microsoft\\ScreenMagnifier";

/// See the module. `RunningState` beside these is a state, and is never carried.
pub static MAGNIFIER: Table = Table {
    id: "magnifier",
    title: "Magnifier and aids at sign-in",
    programs: &[],
    rows: &[
        Row::number("percent", MAGNIFIER_KEY, "Magnification").standard("200").since(build::SEVEN),
        Row::number("inverted", MAGNIFIER_KEY, "Invert").standard("0").since(build::VISTA),
        // 1 docked, 2 full screen, 3 a lens.
        Row::number("mode", MAGNIFIER_KEY, "MagnificationMode").standard("2").since(build::SEVEN),
        Row::text(
            "begin-with-session",
            "Software\\Microsoft\\Windows NT\\CurrentVersion\\Accessibility",
            "Configuration",
        )
        .standard("")
        .since(build::EIGHT),
    ],
};
