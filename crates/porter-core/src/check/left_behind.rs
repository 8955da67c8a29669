//! Entries that are missing on purpose: left at the capture, not chosen, or for a person to set up.

use crate::proof::refused_entry;
use porter_kinds::receipt::{Finding, ItemReceipt, Reason, Verdict};
use porter_names::RelativePath;
use porter_trunk::{LeftReason, Trunk, TrunkError, TrunkItem};
use std::collections::HashMap;

/// Calls an item *kept* if all of it stays in the trunk on purpose: then it has not landed. A person's folder
/// that holds nothing but an old registry is not missed.
pub(super) fn call_kept_if_nothing_landed(row: &mut ItemReceipt) {
    let is_held = row.counts.iter().all(|count| count.landed == 0)
        && row
            .findings
            .iter()
            .any(|finding| matches!(finding.reason, Reason::Held { .. } | Reason::NoSuchProgram { .. }));
    let is_missed = row.kind != "folder" || row.account.is_none();
    if is_held && is_missed && row.files.landed == 0 && row.verdict == Verdict::Landed {
        row.verdict = Verdict::KeptInTrunk;
    }
}

/// Marks an item as left out on purpose: at the capture, or else now.
pub(super) fn leave_out(row: &mut ItemReceipt, item: &TrunkItem) {
    let (left, verdict, reason) = if item.chosen {
        (item.captured, Verdict::KeptInTrunk, Reason::NotChosenNow)
    } else {
        (item.seen, Verdict::NotChosen, Reason::NotChosenAtCapture)
    };
    row.count(verdict, left.files, left.size_in_bytes);
    row.verdict = verdict;
    row.find(Finding {
        path: RelativePath::root(),
        verdict,
        reason,
        needs_attention: false,
        expected_at: None,
    });
}

/// Adds the entries that the capture left behind: they are part of the truth, whichever way the trunk is
/// checked. `told_by_entries`: each entry was looked for on its own, and incomplete ones are reported with
/// it.
pub(super) fn note_left_behind(
    trunk: &dyn Trunk,
    items: &mut [ItemReceipt],
    general: &mut Vec<Finding>,
    told_by_entries: bool,
) -> Result<(), TrunkError> {
    let at: HashMap<String, usize> = items.iter().enumerate().map(|(at, row)| (row.id.clone(), at)).collect();
    for left in trunk.left()? {
        let left = match left {
            Ok(left) => left,
            Err(refused) => {
                general.push(refused_entry(&refused));
                continue;
            }
        };
        let Some(at) = left.item.as_ref().and_then(|item| at.get(item)) else { continue };
        if told_by_entries && matches!(left.reason, LeftReason::Incomplete { .. }) {
            continue;
        }
        let tally = left.tally.unwrap_or_default();
        let verdict = Verdict::of_left(&left.reason);
        items[*at].count(verdict, tally.files, tally.size_in_bytes);
        items[*at].find(Finding {
            path: left.volume_path,
            verdict,
            needs_attention: left.reason.needs_attention(),
            reason: Reason::LeftAtCapture { left: left.reason, kept: left.kept },
            expected_at: None,
        });
    }
    Ok(())
}
