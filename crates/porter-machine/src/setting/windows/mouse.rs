//! How the mouse moves, clicks and scrolls.

use super::table::{Row, Table, build};
use super::tell::{Spi, Tell};

const MOUSE_KEY: &str = "Control Panel\\Mouse";
const DESKTOP: &str = "Control Panel\\Desktop";
const ACCELERATION: Tell = Tell::Spi(Spi::MouseAcceleration);

/// See the module.
pub static MOUSE: Table = Table {
    id: "mouse",
    title: "Mouse",
    programs: &[],
    rows: &[
        Row::text("swap-buttons", MOUSE_KEY, "SwapMouseButtons")
            .standard("0")
            .tells(Tell::Spi(Spi::MouseButtons)),
        Row::text("double-click-speed", MOUSE_KEY, "DoubleClickSpeed")
            .standard("500")
            .tells(Tell::Spi(Spi::DoubleClickTime)),
        Row::text("double-click-width", MOUSE_KEY, "DoubleClickWidth").standard("4"),
        Row::text("double-click-height", MOUSE_KEY, "DoubleClickHeight").standard("4"),
        Row::text("sensitivity", MOUSE_KEY, "MouseSensitivity")
            .standard("10")
            .tells(Tell::Spi(Spi::MouseSpeed)),
        Row::text("acceleration", MOUSE_KEY, "MouseSpeed").standard("1").tells(ACCELERATION),
        Row::text("threshold-1", MOUSE_KEY, "MouseThreshold1").standard("6").tells(ACCELERATION),
        Row::text("threshold-2", MOUSE_KEY, "MouseThreshold2").standard("10").tells(ACCELERATION),
        Row::text("trails", MOUSE_KEY, "MouseTrails").standard("0").tells(Tell::Spi(Spi::MouseTrails)),
        Row::text("snaps-to-button", MOUSE_KEY, "SnapToDefaultButton")
            .standard("0")
            .tells(Tell::Spi(Spi::SnapToButton)),
        Row::text("hover-time", MOUSE_KEY, "MouseHoverTime").standard("400").tells(Tell::Spi(Spi::HoverTime)),
        // These two are beside the desktop's own.
        Row::text("wheel-lines", DESKTOP, "WheelScrollLines").standard("3").tells(Tell::Spi(Spi::WheelLines)),
        Row::text("wheel-letters", DESKTOP, "WheelScrollChars")
            .standard("3")
            .since(build::VISTA)
            .tells(Tell::Spi(Spi::WheelLetters)),
        Row::number("wheel-turns-what-is-below", DESKTOP, "MouseWheelRouting")
            .standard("2")
            .since(build::TEN),
    ],
};
