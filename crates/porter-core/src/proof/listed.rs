//! Whether a trunk's list names every captured entry; lines lost in a damaged block leave no trace, so totals
//! are compared.

use porter_kinds::receipt::{Finding, ItemReceipt, Reason, Verdict};
use porter_names::RelativePath;
use porter_trunk::{Entry, EntryRefused, Tally, TrunkItem};
use std::collections::HashMap;

/// The entries that a trunk's list names, counted by item.
#[derive(Debug, Default)]
pub struct Listed {
    by_item: HashMap<String, Told>,
}

#[derive(Debug, Default)]
struct Told {
    entries: Tally,
    /// Lines that must not be used, and that name their item: each is a finding of its own.
    refused: u64,
}

impl Listed {
    pub(crate) fn see(&mut self, entry: &Entry) {
        self.tell(&entry.item, |told| {
            told.entries += entry.tally();
        });
    }

    pub(crate) fn see_refused(&mut self, refused: &EntryRefused) {
        if let Some(item) = &refused.item {
            self.tell(item, |told| told.refused += 1);
        }
    }

    fn tell(&mut self, item: &str, more: impl FnOnce(&mut Told)) {
        match self.by_item.get_mut(item) {
            Some(told) => more(told),
            None => more(self.by_item.entry(item.to_owned()).or_default()),
        }
    }

    /// The files of an item that are listed.
    pub(crate) fn files_of(&self, item: &TrunkItem) -> (u64, u64) {
        self.by_item.get(&item.id).map_or((0, 0), |told| (told.entries.files, told.entries.size_in_bytes))
    }

    /// Says so if entries that were captured of an item are not listed.
    pub(crate) fn missing_of(&self, item: &TrunkItem) -> Option<Reason> {
        let told = self.by_item.get(&item.id);
        let (listed, refused) = told.map_or((0, 0), |told| (told.entries.entries(), told.refused));
        let captured = item.captured.entries();
        let missing = captured.saturating_sub(listed).saturating_sub(refused);
        (missing > 0).then_some(Reason::NotListed { missing, captured })
    }

    /// Counts what was captured of an item and is not listed as missing; what is on lines that must not be
    /// used as left behind.
    pub(crate) fn note_missing(&self, item: &TrunkItem, row: &mut ItemReceipt) {
        let (files, size_in_bytes) = self.files_of(item);
        let unlisted = item.captured.files.saturating_sub(files);
        let unlisted_in_bytes = item.captured.size_in_bytes.saturating_sub(size_in_bytes);
        let Some(reason) = self.missing_of(item) else {
            row.count(Verdict::LeftBehind, unlisted, unlisted_in_bytes);
            return;
        };
        row.count(Verdict::Missing, unlisted, unlisted_in_bytes);
        row.find(Finding {
            path: RelativePath::root(),
            verdict: Verdict::Missing,
            reason,
            needs_attention: true,
            expected_at: None,
        });
    }
}

/// A line of the trunk's list that must not be used, as a finding.
pub(crate) fn refused_entry(refused: &EntryRefused) -> Finding {
    Finding {
        path: RelativePath::from_bytes(&refused.path).unwrap_or_default(),
        verdict: Verdict::LeftBehind,
        reason: Reason::EntryRefused { line: refused.line, problem: refused.problem.clone() },
        needs_attention: true,
        expected_at: None,
    }
}
