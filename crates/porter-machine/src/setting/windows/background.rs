//! The colour behind the picture on the desktop.

use super::table::{Row, Table};
use super::tell::Tell;

/// See the module. Three numbers from 0 to 255.
pub static BACKGROUND: Table = Table {
    id: "background",
    title: "Colour of the desktop",
    programs: &[],
    rows: &[Row::text("colour", "Control Panel\\Colors", "Background")
        .standard("0 0 0")
        .tells(Tell::Section("Control Panel\\Colors"))],
};
