//! Files and folders that wait for their names: a restore makes them aside, and those that a run left waiting
//! when it was cut off belong to nobody.

use super::backwards::Backwards;
use super::line::JournalLine;
use super::runs::Run;
use crate::host;
use porter_source::HostTree;
use std::collections::HashSet;
use std::fs;
use std::io;
use std::path::Path;
use std::sync::atomic::{AtomicU64, Ordering};

/// The beginning of the names of a run's waiting files: after a power failure it shows whose they were.
pub(crate) fn waiting_prefix(mark: &str) -> String {
    format!(".porter-{mark}-")
}

/// A name for a file or folder of a run that nothing else has.
pub(crate) fn waiting_name(mark: &str) -> String {
    static NUMBER: AtomicU64 = AtomicU64::new(0);
    format!("{}{}.part", waiting_prefix(mark), NUMBER.fetch_add(1, Ordering::Relaxed))
}

/// Removes a waiting folder, and the files and folders in it; nobody but us puts anything else there. Says
/// whether there was one.
pub(crate) fn remove_waiting_folder(path: &Path) -> bool {
    // After it became what it was made for, there is none.
    let Ok(rows) = fs::read_dir(path) else { return false };
    for row in rows.flatten() {
        // Files that are unpacked for letters lie one folder deeper.
        if row.file_type().is_ok_and(|kind| kind.is_dir()) {
            for below in fs::read_dir(row.path()).into_iter().flatten().flatten() {
                let _ = host::remove_file(&below.path());
            }
            let _ = fs::remove_dir(row.path());
        } else {
            let _ = host::remove_file(&row.path());
        }
    }
    fs::remove_dir(path).is_ok()
}

/// Removes the files of a run that was cut off which still wait for their names, and the folders that do.
pub fn sweep(run: &Run, target: &HostTree) -> io::Result<()> {
    if run.finished_utc.is_some() || run.mark.is_empty() {
        return Ok(());
    }
    let prefix = waiting_prefix(&run.mark);
    let mut looked_into = HashSet::new();
    for line in Backwards::open(&run.journal)? {
        let folder = match serde_json::from_slice(&line?) {
            // A file waits beside its place, and a folder that lands whole beside its own.
            Ok(JournalLine::Land { at, .. } | JournalLine::Edit { at, .. }) => {
                at.0.parent().unwrap_or_default()
            }
            Ok(JournalLine::Bring { at, .. }) => at.0,
            _ => continue,
        };
        for folder in [folder.parent(), Some(folder)].into_iter().flatten() {
            // A link in the way was put there by somebody else.
            if looked_into.insert(folder.clone())
                && let Ok(path) = target.reach_folder(&folder)
            {
                sweep_folder(&path, &prefix);
            }
        }
    }
    Ok(())
}

fn sweep_folder(path: &Path, prefix: &str) {
    let was = fs::metadata(path).and_then(|found| found.modified()).ok();
    let mut swept = false;
    for row in fs::read_dir(path).into_iter().flatten().flatten() {
        if row.file_name().to_string_lossy().starts_with(prefix) {
            swept |= if row.file_type().is_ok_and(|kind| kind.is_dir()) {
                remove_waiting_folder(&row.path())
            } else {
                host::remove_file(&row.path()).is_ok()
            };
        }
    }
    if let Some(was) = was.filter(|_| swept) {
        let _ = host::set_folder_time(path, was);
    }
}
