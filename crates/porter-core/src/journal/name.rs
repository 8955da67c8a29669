//! The names of journals, and their order: `restore-TIME-NUMBER-TRUNK.jsonl`.
//!
//! The time is that of the machine's clock, which can be set back between two restores, and a second is long
//! enough for several. So a new journal comes after all that are there: at the latest time among them if the
//! clock says less, and with the next number.

use porter_trunk::TrunkId;
use std::path::Path;
use time::OffsetDateTime;

/// The place of a journal among the others of a machine.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct JournalName {
    /// As `2026-11-26T080000Z`, which is ordered as the times are.
    second: String,
    number: u32,
}

impl JournalName {
    /// None for a file that is not a journal.
    pub(crate) fn of(path: &Path) -> Option<Self> {
        const SHAPE: &[u8] = b"0000-00-00T000000Z";
        let name = path.file_name()?.to_str()?.strip_prefix("restore-")?.strip_suffix(".jsonl")?;
        let (second, rest) = name.split_at_checked(SHAPE.len())?;
        let fits =
            |(byte, shape): (u8, &u8)| if *shape == b'0' { byte.is_ascii_digit() } else { byte == *shape };
        let number = rest.strip_prefix('-')?.split('-').next()?.parse().ok()?;
        second.bytes().zip(SHAPE).all(fits).then(|| Self { second: second.to_owned(), number })
    }

    /// The name that comes after all of `there`, for a restore that begins now.
    pub(crate) fn after(there: impl Iterator<Item = Self>, started_utc: OffsetDateTime) -> Self {
        let second = format!(
            "{:04}-{:02}-{:02}T{:02}{:02}{:02}Z",
            started_utc.year(),
            u8::from(started_utc.month()),
            started_utc.day(),
            started_utc.hour(),
            started_utc.minute(),
            started_utc.second()
        );
        match there.max().filter(|latest| latest.second >= second) {
            Some(latest) => latest.next(),
            None => Self { second, number: 1 },
        }
    }

    /// The one that follows.
    pub(crate) fn next(self) -> Self {
        Self { number: self.number.saturating_add(1), ..self }
    }

    pub(crate) fn file_name(&self, trunk_id: &TrunkId) -> String {
        format!("restore-{}-{:02}-{}.jsonl", self.second, self.number, trunk_id.short())
    }
}
