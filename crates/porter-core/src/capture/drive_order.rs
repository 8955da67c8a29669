//! The order in which files are read: where the volume knows where they lie on its drive, that of the drive.
//! A drive that spins reads so without seeking, and one that fails is not driven from end to end.

use crate::walk::Sight;
use porter_kinds::catalogue::Fate;
use porter_kinds::part::Part;
use porter_source::{EntryKind, Volume};
use porter_trunk::Tally;

/// Files that are put in order at a time take some 50 MB of memory.
const MOST_WAITING: usize = 100_000;

/// One thing that was seen: the part it belongs to, and its weight.
pub(super) type Seen<'m> = (&'m Part, Sight<'m>, Tally);

/// Holds files back until they can be handed over in the order of the drive.
pub(super) struct DriveOrder<'m> {
    volume: &'m dyn Volume,
    waiting: Vec<(u64, Seen<'m>)>,
}

impl<'m> DriveOrder<'m> {
    pub(super) fn new(volume: &'m dyn Volume) -> Self {
        Self { volume, waiting: Vec::new() }
    }

    /// Hands on what was seen, or keeps it for later. Folders come before what is in them, as they were seen.
    /// False if no more is wanted.
    pub(super) fn pass(&mut self, seen: Seen<'m>, hand_over: &mut dyn FnMut(Seen<'m>) -> bool) -> bool {
        let begins_at = match &seen.1 {
            Sight::Entry { spot, metadata, fate }
                if metadata.kind == EntryKind::File && matches!(fate, Fate::Carry | Fate::Hold(_)) =>
            {
                self.volume.begins_at_in_bytes(&spot.on_volume)
            }
            _ => None,
        };
        let Some(begins_at) = begins_at else { return hand_over(seen) };
        self.waiting.push((begins_at, seen));
        self.waiting.len() < MOST_WAITING || self.flush(hand_over)
    }

    /// Hands over what waits. False if no more is wanted.
    pub(super) fn flush(&mut self, hand_over: &mut dyn FnMut(Seen<'m>) -> bool) -> bool {
        self.waiting.sort_by_key(|(begins_at, _)| *begins_at);
        self.waiting.drain(..).all(|(_, seen)| hand_over(seen))
    }
}
