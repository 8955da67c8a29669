//! An item's meaning, such as its number of bookmarks, counted in the files that landed.

use crate::meaning::Meaning;
use porter_kinds::receipt::{CountReceipt, Finding, ItemReceipt, Reason, Verdict};
use porter_names::RelativePath;
use porter_trunk::{Entry, TrunkItem};

/// The part of an item's meaning that landed.
pub(super) struct LandedMeaning {
    in_trunk: Meaning,
    on_machine: Meaning,
    is_held: bool,
}

impl LandedMeaning {
    /// None if nothing of an item is counted or needed.
    pub fn of(item: &TrunkItem) -> Option<Self> {
        let meaning = Meaning::of_trunk(item)?;
        Some(Self { in_trunk: meaning.clone(), on_machine: meaning, is_held: false })
    }

    pub fn see(&mut self, entry: &Entry, verdict: Verdict) {
        self.in_trunk.see(entry);
        self.is_held |= entry.held.is_some();
        if verdict == Verdict::Landed {
            self.on_machine.see(entry);
        }
    }

    /// Adds it to the receipt, unless the meaning stays in the trunk on purpose.
    pub fn note(self, item: &TrunkItem, row: &mut ItemReceipt) {
        if self.is_held {
            return;
        }
        let by_files = item.counts.iter().filter(|count| !count.files.is_empty());
        let counts = by_files.zip(&self.on_machine.counts);
        row.counts = counts
            .map(|(then, now)| CountReceipt {
                name: then.name.clone(),
                captured: then.captured,
                landed: now.captured,
            })
            .collect();
        // Without its program none of it landed, and none of it was to.
        let has_program = !row.findings.iter().any(|row| matches!(row.reason, Reason::NoSuchProgram { .. }));
        if !self.on_machine.has_what_it_needs && has_program {
            let was_so = !self.in_trunk.has_what_it_needs;
            row.find(Finding {
                path: RelativePath::root(),
                verdict: Verdict::Changed,
                reason: Reason::LacksWhatItNeeds { needs: item.needs.clone(), was_so },
                needs_attention: true,
                expected_at: None,
            });
        }
    }
}
