//! The screen saver.

use super::table::{Row, Table};
use super::tell::{Spi, Tell};

const DESKTOP: &str = "Control Panel\\Desktop";

/// See the module. A program without a value is none at all, whatever `active` says.
pub static SCREEN_SAVER: Table = Table {
    id: "screen-saver",
    title: "Screen saver",
    programs: &["program"],
    rows: &[
        Row::text("program", DESKTOP, "SCRNSAVE.EXE"),
        Row::text("seconds", DESKTOP, "ScreenSaveTimeOut").tells(Tell::Spi(Spi::ScreenSaverTime)),
        Row::text("active", DESKTOP, "ScreenSaveActive")
            .standard("1")
            .tells(Tell::Spi(Spi::ScreenSaverActive)),
        Row::text("asks-for-password", DESKTOP, "ScreenSaverIsSecure"),
    ],
};
