//! The taskbar and the start menu, as far as they are plain values. Pinned programs are not.

use super::table::{Row, Table, build};
use super::tell::Tell;

const ADVANCED: &str = "Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\Advanced";
const SEARCH: &str = "Software\\Microsoft\\Windows\\CurrentVersion\\Search";

const fn row(fact: &'static str, name: &'static str, standard: &'static str, since: u32) -> Row {
    Row::number(fact, ADVANCED, name).standard(standard).since(since).tells(Tell::Section("TraySettings"))
}

/// See the module.
pub static TASKBAR: Table = Table {
    id: "taskbar",
    title: "Taskbar and start menu",
    programs: &[],
    rows: &[
        // 0 always, 1 when it is full, 2 never.
        row("groups-buttons", "TaskbarGlomLevel", "0", build::SEVEN),
        row("small-icons", "TaskbarSmallIcons", "0", build::SEVEN),
        // 0 left, 1 in the middle.
        row("in-the-middle", "TaskbarAl", "1", build::ELEVEN),
        row("widgets", "TaskbarDa", "1", build::ELEVEN),
        row("task-view-button", "ShowTaskViewButton", "1", build::TEN),
        row("on-all-screens", "MMTaskbarEnabled", "1", build::EIGHT),
        row("animations", "TaskbarAnimations", "1", build::VISTA),
        row("start-remembers-programs", "Start_TrackProgs", "1", build::VISTA),
        row("start-remembers-documents", "Start_TrackDocs", "1", build::VISTA),
        // 0 hidden, 1 a button, 2 a box.
        Row::number("search", SEARCH, "SearchboxTaskbarMode")
            .standard("2")
            .since(build::TEN)
            .tells(Tell::Section("TraySettings")),
    ],
};
