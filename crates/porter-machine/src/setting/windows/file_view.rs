//! How files and folders are shown.

use super::table::{Row, Table, build};
use super::tell::Tell;

const ADVANCED: &str = "Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\Advanced";
const CABINET: &str = "Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\CabinetState";

const fn row(fact: &'static str, name: &'static str, standard: &'static str) -> Row {
    Row::number(fact, ADVANCED, name).standard(standard).tells(Tell::FilesShown)
}

/// See the module.
pub static FILE_VIEW: Table = Table {
    id: "file-view",
    title: "How files are shown",
    programs: &[],
    rows: &[
        // 1 shows them, 2 does not.
        row("hidden", "Hidden", "2"),
        row("hide-extensions", "HideFileExt", "1"),
        row("system-files", "ShowSuperHidden", "0"),
        row("icons-only", "IconsOnly", "0"),
        row("compressed-in-colour", "ShowCompColor", "1"),
        row("status-bar", "ShowStatusBar", "1").since(build::EIGHT),
        row("tips", "ShowInfoTip", "1"),
        row("names-as-they-are", "DontPrettyPath", "0"),
        row("hide-desktop-icons", "HideIcons", "0"),
        row("check-boxes", "AutoCheckSelect", "0").since(build::VISTA),
        row("own-process", "SeparateProcess", "0"),
        row("hide-empty-drives", "HideDrivesWithNoMedia", "1").since(build::SEVEN),
        // 1 opens the computer, 2 what was used last.
        row("opens-at", "LaunchTo", "2").since(build::TEN),
        row("tree-follows", "NavPaneExpandToCurrentFolder", "0").since(build::SEVEN),
        row("tree-shows-all", "NavPaneShowAllFolders", "0").since(build::SEVEN),
        row("compact", "UseCompactMode", "0").since(build::EIGHT),
        Row::number("full-path-in-title", CABINET, "FullPath").standard("0").tells(Tell::FilesShown),
    ],
};
