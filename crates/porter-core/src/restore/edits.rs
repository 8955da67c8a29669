//! Files of the new machine that get another content, such as a program's list of profiles.

use super::RestoreError;
use super::land::{Home, NotLanded, Place, land_bytes};
use super::plan::{Plan, Refused};
use super::report::RestoreReport;
use super::runner::Runner;
use crate::host;
use crate::journal::{JournalLine, PathField};
use porter_names::RelativePath;
use porter_trunk::{ContentHash, Tally};

impl Runner<'_> {
    /// Writes the files of the machine that get other content: the old files are set aside. One that cannot
    /// be written is reported, and keeps its content.
    pub(super) fn edit(&self, plan: &Plan, report: &mut RestoreReport) -> Result<(), RestoreError> {
        let mut lines = Vec::new();
        for (at, to) in &plan.beside_edits {
            lines.push(JournalLine::SetAside { at: PathField(at.clone()), to: PathField(to.clone()) });
        }
        for (edit, aside) in &plan.edits {
            lines.push(JournalLine::Edit {
                item: edit.item.clone(),
                at: PathField(edit.at.clone()),
                aside: aside.clone().map(PathField),
                blake3: ContentHash::of(&edit.content),
            });
        }
        self.see_written(&lines)?;
        for (at, to) in &plan.beside_edits {
            if let (Ok(from), Ok(aside)) = (self.reach(at), self.reach(to))
                && host::rename_without_replacing(&from, &aside).is_ok()
            {
                report.set_aside.push((at.clone(), to.clone()));
            }
        }
        for (edit, aside) in &plan.edits {
            let written = (|| {
                let folder = edit.at.parent().unwrap_or_default();
                let owner = self.owner_in(&folder);
                let home = Home::open(self.reach_folder(&folder).map_err(NotLanded::Refused)?, owner)?;
                // In the open folder, as its waiting file is.
                let in_home = |at: &RelativePath| self.path_in(&home, at.name().unwrap_or_default());
                let path = in_home(&edit.at).map_err(NotLanded::Refused)?;
                let aside = aside.as_ref().map(in_home).transpose().map_err(NotLanded::Refused)?;
                let place = Place { home: &home, target: &path, set_aside: aside.as_deref(), same_as: None };
                land_bytes(&edit.content, edit.is_private, &place, self.mark)
            })();
            match written {
                Ok(()) => {
                    report.written += Tally::file(edit.content.len() as u64);
                    report.set_aside.extend(aside.clone().map(|to| (edit.at.clone(), to)));
                }
                Err(NotLanded::Refused(reason)) => report.refused.push(Refused {
                    item: Some(edit.item.clone()),
                    key: None,
                    path: edit.at.clone(),
                    reason,
                    needs_attention: true,
                }),
                Err(NotLanded::Stopped) => return Err(RestoreError::Cancelled),
                Err(NotLanded::VolumeFailed(cause)) => {
                    let path = self.target.root().to_path_buf();
                    return Err(RestoreError::Volume { path, cause });
                }
            }
        }
        Ok(())
    }
}
