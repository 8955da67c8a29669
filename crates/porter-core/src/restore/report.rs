//! The report of a finished restore.

use super::plan::{Action, Due, Refused};
use crate::events::{Conduct, Event};
use porter_kinds::receipt::letters_brought::LettersBrought;
use porter_names::RelativePath;
use porter_trunk::{Content, Tally};
use std::path::PathBuf;

/// The outcome of a restore.
#[derive(Debug)]
pub struct RestoreReport {
    /// The files that were written.
    pub written: Tally,
    /// The files that were already present, byte for byte.
    pub identical: Tally,
    /// The files that were set aside, with their dated names.
    pub set_aside: Vec<(RelativePath, RelativePath)>,
    /// Entries that landed under another name than their own.
    pub renamed: Vec<(RelativePath, RelativePath)>,
    /// Entries that did not land.
    pub refused: Vec<Refused>,
    /// How many values of people's registries were set.
    pub registry_values: u64,
    /// Parts of the running system that were set, but for registries: printers.
    pub controls_set: u64,
    /// The letters that were brought into mail programs, by item.
    pub letters: Vec<(String, LettersBrought)>,
    /// Parts of items that could not be read for that, in words.
    pub flaws: Vec<(String, String)>,
    /// The record of it all on the machine; none for a take.
    pub journal: Option<PathBuf>,
}

impl RestoreReport {
    pub(super) fn note_landed(&mut self, due: &Due<'_>, conduct: Conduct<'_>) {
        if due.step.renamed {
            self.renamed.push((due.entry.address.path.clone(), due.at.clone()));
        }
        match due.step.action {
            Action::Identical | Action::FolderMade => return,
            Action::SetAside(_) => self.set_aside.extend(due.aside().map(|aside| (due.at.clone(), aside))),
            Action::Create | Action::Beside => {}
        }
        if let Content::File { size_in_bytes, .. } = due.entry.content {
            self.written += Tally::file(size_in_bytes);
            conduct.send(&Event::File { item: &due.entry.item, path: &due.at, size_in_bytes });
        } else {
            self.written += Tally::LINK;
        }
    }
}
