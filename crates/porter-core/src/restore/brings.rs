//! Files that are made while the restore runs, such as the mailboxes of another mail program: each is made
//! aside, written to the journal with the proof of its content, and only then given its name.

use super::RestoreError;
use super::land::{NotLanded, not_written};
use super::plan::{Plan, Refused};
use super::report::RestoreReport;
use super::runner::Runner;
use crate::host;
use crate::journal::waiting::{remove_waiting_folder, waiting_name};
use crate::journal::{JournalLine, PathField};
use porter_kinds::bringing::{Bring, Brought, BroughtFile};
use porter_kinds::receipt::Reason;
use porter_names::RelativePath;
use porter_source::Reached;
use porter_trunk::{Tally, name_with_mark};
use std::collections::BTreeSet;
use std::fs::{self, File};
use std::io;
use std::path::Path;
use time::OffsetDateTime;

/// A file with its way down: all that is decided before its lines are written.
struct Landing<'b> {
    file: &'b BroughtFile,
    aside: Option<RelativePath>,
    /// Files that belong to what is there, and their new names.
    beside: Vec<(RelativePath, RelativePath)>,
}

impl Runner<'_> {
    /// Makes and lands all of it. A file that cannot land is reported, and what is there keeps its name.
    pub(super) fn bring(&self, plan: &Plan, report: &mut RestoreReport) -> Result<(), RestoreError> {
        for bring in plan.changes.brings() {
            self.make_folders(&bring.at)?;
            let line = JournalLine::Bring { item: bring.item.clone(), at: PathField(bring.at.clone()) };
            self.see_written(&[line])?;
            let not_made = |detail: String| {
                refused(bring, &bring.at, Reason::LettersNotBrought { into: bring.into.clone(), detail })
            };
            let folder = match self.reach_folder(&bring.at) {
                Ok(folder) => folder,
                Err(reason) => {
                    report.refused.push(refused(bring, &bring.at, reason));
                    continue;
                }
            };
            let aside = folder.join(waiting_name(self.mark));
            if let Err(cause) = fs::create_dir(&aside) {
                report.refused.push(not_made(cause.to_string()));
                continue;
            }
            let go_on = || !self.conduct.is_stopped();
            let brought = (bring.make)(self.trunk, &aside, &go_on);
            let landed = match brought {
                Ok(brought) => self.land_brought(bring, brought, plan.planned_utc, report),
                Err(_) if self.conduct.is_stopped() => Err(RestoreError::Cancelled),
                Err(detail) => {
                    report.refused.push(not_made(detail));
                    Ok(())
                }
            };
            remove_waiting_folder(&aside);
            landed?;
        }
        Ok(())
    }

    fn land_brought(
        &self,
        bring: &Bring,
        brought: Brought,
        today: OffsetDateTime,
        report: &mut RestoreReport,
    ) -> Result<(), RestoreError> {
        let folders: BTreeSet<RelativePath> =
            brought.files.iter().filter_map(|file| file.at.parent()).collect();
        for folder in &folders {
            self.make_folders(folder)?;
        }
        let mut lines: Vec<JournalLine> =
            folders.iter().filter_map(|folder| self.folder_was(folder)).collect();
        let mut all = Vec::new();
        for file in &brought.files {
            let landing = Landing {
                file,
                aside: self.is_there(&file.at).then(|| self.name_aside(&file.at, today)),
                beside: file
                    .set_aside_too
                    .iter()
                    .map(|at| (at.clone(), self.name_aside(at, today)))
                    .collect(),
            };
            for (at, to) in &landing.beside {
                lines.push(JournalLine::SetAside { at: PathField(at.clone()), to: PathField(to.clone()) });
            }
            lines.push(JournalLine::Edit {
                item: bring.item.clone(),
                at: PathField(file.at.clone()),
                aside: landing.aside.clone().map(PathField),
                blake3: file.blake3,
            });
            all.push(landing);
        }
        let of_letters = brought.letters.iter().cloned().flat_map(|letters| letters.in_pieces());
        let item = || bring.item.clone();
        self.see_written(&lines)?;
        let mut all_landed = true;
        for landing in &all {
            match self.give_name_to(landing) {
                Ok(size_in_bytes) => {
                    report.written += Tally::file(size_in_bytes);
                    let of_file = landing.aside.clone().map(|to| (landing.file.at.clone(), to));
                    report.set_aside.extend(of_file.into_iter().chain(landing.beside.iter().cloned()));
                }
                Err(NotLanded::Refused(reason)) => {
                    all_landed = false;
                    report.refused.push(refused(bring, &landing.file.at, reason));
                }
                Err(NotLanded::Stopped) => return Err(RestoreError::Cancelled),
                Err(NotLanded::VolumeFailed(cause)) => {
                    return Err(RestoreError::Volume { path: landing.file.made.clone(), cause });
                }
            }
        }
        // Written once they are there: a line of letters is a promise.
        if all_landed {
            let lines: Vec<JournalLine> =
                of_letters.map(|letters| JournalLine::Letters { item: item(), letters }).collect();
            self.see_written(&lines)?;
            report.letters.extend(brought.letters.into_iter().map(|letters| (item(), letters)));
        }
        report.flaws.extend(brought.flaws.into_iter().map(|flaw| (item(), flaw)));
        Ok(())
    }

    /// Returns the size of the file.
    fn give_name_to(&self, landing: &Landing<'_>) -> Result<u64, NotLanded> {
        let Landing { file, aside, beside } = landing;
        let reach = |at: &RelativePath| self.reach(at).map_err(NotLanded::Refused);
        let (made, target) = (&file.made, reach(&file.at)?);
        let folder = file.at.parent().unwrap_or_default();
        let opened = File::open(made).map_err(not_written)?;
        let size_in_bytes = opened.metadata().map_err(not_written)?.len();
        if let Ok(there) = fs::symlink_metadata(&target) {
            opened.set_permissions(there.permissions()).map_err(not_written)?;
        }
        // On some systems only what is open for writing is flushed.
        File::options().append(true).open(made).and_then(|file| file.sync_all()).map_err(not_written)?;
        drop(opened);
        host::set_folder_owner(made, self.owner_in(&folder));
        host::copy_marks(&target, made);
        for (at, to) in beside {
            host::rename_without_replacing(&reach(at)?, &reach(to)?).map_err(not_written)?;
        }
        if let Some(aside) = aside {
            host::rename_without_replacing(&target, &reach(aside)?).map_err(not_written)?;
        }
        let named = host::rename_without_replacing(made, &target);
        if let (Err(_), Some(aside)) = (&named, aside) {
            // The present file keeps its name.
            let _ = host::rename_without_replacing(&reach(aside)?, &target);
        }
        named.map_err(not_written)?;
        Ok(size_in_bytes)
    }

    fn is_there(&self, at: &RelativePath) -> bool {
        self.reach(at).is_ok_and(|path| fs::symlink_metadata(&path).is_ok())
    }

    /// A free name with the date. It begins with a dot, so that no mail program takes it for a folder.
    fn name_aside(&self, at: &RelativePath, today: OffsetDateTime) -> RelativePath {
        let name = [b".", at.name().unwrap_or_default()].concat();
        let date = today.date();
        let mark = format!(" (set aside {:04}-{:02}-{:02}", date.year(), u8::from(date.month()), date.day());
        let folder = at.parent().unwrap_or_default();
        let mut number = 1;
        loop {
            let end = if number == 1 { ")".to_owned() } else { format!(" {number})") };
            let free = folder.join(&name_with_mark(&name, &format!("{mark}{end}"))).unwrap_or_default();
            if !self.is_there(&free) {
                return free;
            }
            number += 1;
        }
    }

    /// Makes a folder and those above it that are not there, each written down before.
    fn make_folders(&self, at: &RelativePath) -> Result<(), RestoreError> {
        let mut missing = Vec::new();
        let mut now = Some(at.clone());
        while let Some(folder) = now.filter(|folder| !folder.is_root() && !self.is_there(folder)) {
            now = folder.parent();
            missing.push(folder);
        }
        let Some(above) = missing.last().and_then(RelativePath::parent) else { return Ok(()) };
        let mut lines: Vec<JournalLine> = self.folder_was(&above).into_iter().collect();
        lines.extend(missing.iter().rev().map(|at| JournalLine::Folder { at: PathField(at.clone()) }));
        self.see_written(&lines)?;
        for folder in missing.iter().rev() {
            let made = self.make_awaited(folder).map_err(not_written);
            if let Err(NotLanded::VolumeFailed(cause)) = made {
                let path = self.target.host_path(folder).unwrap_or_default();
                return Err(RestoreError::Volume { path, cause });
            }
        }
        Ok(())
    }

    fn folder_was(&self, at: &RelativePath) -> Option<JournalLine> {
        let modified = modified(&self.reach(at).ok()?).ok()?;
        Some(JournalLine::FolderWas { at: PathField(at.clone()), modified_utc: modified })
    }
}

fn modified(path: &Reached) -> io::Result<OffsetDateTime> {
    let path: &Path = path.as_ref();
    Ok(fs::symlink_metadata(path)?.modified()?.into())
}

fn refused(bring: &Bring, at: &RelativePath, reason: Reason) -> Refused {
    Refused { item: Some(bring.item.clone()), key: None, path: at.clone(), reason, needs_attention: true }
}
