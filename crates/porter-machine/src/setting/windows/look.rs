//! Light or dark, and the colour of frames.

use super::table::{Row, Table, build};
use super::tell::Tell;

const PERSONALIZE: &str = "Software\\Microsoft\\Windows\\CurrentVersion\\Themes\\Personalize";
const FRAMES: &str = "Software\\Microsoft\\Windows\\DWM";
const COLOURS: Tell = Tell::Section("ImmersiveColorSet");

/// See the module.
pub static LOOK: Table = Table {
    id: "look",
    title: "Light or dark, and colours",
    programs: &[],
    rows: &[
        Row::number("programs-light", PERSONALIZE, "AppsUseLightTheme")
            .standard("1")
            .since(build::TEN)
            .tells(COLOURS),
        Row::number("system-light", PERSONALIZE, "SystemUsesLightTheme")
            .standard("1")
            .since(build::TEN_1903)
            .tells(COLOURS),
        Row::number("transparent", PERSONALIZE, "EnableTransparency")
            .standard("1")
            .since(build::TEN)
            .tells(COLOURS),
        Row::number("colour-on-taskbar", PERSONALIZE, "ColorPrevalence")
            .standard("0")
            .since(build::TEN)
            .tells(COLOURS),
        Row::number("colour-on-frames", FRAMES, "ColorPrevalence")
            .standard("0")
            .since(build::TEN)
            .tells(COLOURS),
        Row::number("accent", FRAMES, "AccentColor").since(build::TEN).tells(COLOURS),
    ],
};
