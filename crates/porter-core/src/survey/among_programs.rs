//! Folders of programs in which people's work is: old programs keep their databases beside themselves.

use porter_machine::Machine;
use porter_machine::layout::Family;
use porter_names::{RelativePath, fold};
use porter_source::EntryKind;
use std::collections::VecDeque;
use time::{Duration, OffsetDateTime};

/// At the root of the drive, in the languages of Windows 2000 and XP too.
const FOLDERS: [&str; 6] =
    ["Program Files", "Program Files (x86)", "Programme", "Archivos de programa", "Programmi", "Programas"];
/// Programs that come with the system and that it changes on its own.
const OF_THE_SYSTEM: [&str; 8] = [
    "Common Files",
    "Internet Explorer",
    "Windows",
    "Microsoft",
    "WindowsApps",
    "ModifiableWindowsApps",
    "Uninstall Information",
    "Reference Assemblies",
];
/// How files of documents and databases end.
const WORK: [&str; 30] = [
    "doc", "docx", "xls", "xlsx", "ppt", "pptx", "odt", "ods", "rtf", "csv", "pst", "mbox", "mdb", "accdb",
    "mdf", "ldf", "fdb", "gdb", "dbf", "db3", "sqlite", "sqlite3", "sdf", "btr", "edb", "myd", "ibd", "qbw",
    "frm", "ledger",
];
/// The number of folders looked at in each program, the upper ones first. It is limited because this is a
/// caution, not a capture, and a drive may be slow.
const MOST_FOLDERS_EACH: usize = 40;
const MOST_FOLDERS: usize = 1500;
const DEEPEST: usize = 5;

/// The folders of programs that hold a document or a database which changed in the year before the machine
/// was last used.
pub(super) fn folders_with_work(machine: &Machine) -> Vec<String> {
    let last = machine.accounts.iter().filter_map(|account| account.last_used_utc).max();
    let Some(last) = last.filter(|_| machine.layout.family == Family::Windows) else { return Vec::new() };
    let since = last - Duration::days(365);
    let mut looker = machine.looker();
    let mut looked_at = 0;
    let mut found = Vec::new();
    for row in machine.at_root.iter().filter(|row| row.metadata.kind == EntryKind::Folder) {
        if !FOLDERS.iter().any(|name| fold::same_name(name.as_bytes(), &row.name)) {
            continue;
        }
        let Ok(folder) = RelativePath::root().join(&row.name) else { continue };
        for program in looker.list(&folder).to_vec() {
            let begins =
                |known: &&str| fold::folded(&program.name).starts_with(&fold::folded(known.as_bytes()));
            if program.metadata.kind != EntryKind::Folder || OF_THE_SYSTEM.iter().any(begins) {
                continue;
            }
            if let Ok(at) = folder.join(&program.name)
                && holds_work(machine, &at, since, &mut looked_at)
            {
                found.push(at.to_string());
            }
        }
    }
    found
}

fn holds_work(
    machine: &Machine,
    folder: &RelativePath,
    since: OffsetDateTime,
    looked_at: &mut usize,
) -> bool {
    let mut pending = VecDeque::from([(folder.clone(), 0)]);
    let mut here = 0;
    while let Some((at, depth)) = pending.pop_front() {
        (here, *looked_at) = (here + 1, *looked_at + 1);
        if here > MOST_FOLDERS_EACH || *looked_at > MOST_FOLDERS {
            return false;
        }
        for row in machine.volume.list(&at).unwrap_or_default().into_iter().flatten() {
            match row.metadata.kind {
                EntryKind::File
                    if is_work(&row.name) && row.metadata.modified_utc.is_some_and(|at| at > since) =>
                {
                    return true;
                }
                EntryKind::Folder if depth < DEEPEST => {
                    pending.extend(at.join(&row.name).ok().map(|below| (below, depth + 1)));
                }
                _ => {}
            }
        }
    }
    false
}

fn is_work(name: &[u8]) -> bool {
    let ending = name.rsplit(|byte| *byte == b'.').next().filter(|ending| ending.len() < name.len());
    ending.is_some_and(|ending| WORK.iter().any(|known| known.as_bytes().eq_ignore_ascii_case(ending)))
}
