//! The fate of a thing.

use porter_trunk::LeftReason;
use serde::{Deserialize, Serialize};
use std::ops::AddAssign;

/// The fate of a thing, from the best to the gravest.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// It is where it belongs, byte for byte.
    Landed,
    /// A rule leaves it: programs or the system make it again.
    NotNeeded,
    /// Somebody chose not to capture it.
    NotChosen,
    /// It was captured, and stays in the trunk on purpose.
    KeptInTrunk,
    /// Something else was there already and was kept.
    KeptExisting,
    /// It could not be read when it was to be captured.
    NotRead,
    /// It should have landed, and did not.
    LeftBehind,
    /// It is there, and not what it was.
    Changed,
    /// It is not there.
    Missing,
}

impl Verdict {
    /// All of them, in the order in which receipts count them.
    pub const ALL: [Self; 9] = [
        Self::Landed,
        Self::Changed,
        Self::Missing,
        Self::KeptExisting,
        Self::LeftBehind,
        Self::NotRead,
        Self::KeptInTrunk,
        Self::NotChosen,
        Self::NotNeeded,
    ];

    /// The verdict on something that a capture left.
    pub fn of_left(reason: &LeftReason) -> Self {
        match reason {
            LeftReason::Rule { .. } | LeftReason::NotCovered { .. } => Self::NotNeeded,
            LeftReason::NotChosen { .. } => Self::NotChosen,
            _ => Self::NotRead,
        }
    }

    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Landed => "landed",
            Self::NotNeeded => "not needed",
            Self::NotChosen => "not chosen",
            Self::KeptInTrunk => "kept in the trunk",
            Self::KeptExisting => "kept existing",
            Self::NotRead => "not read",
            Self::LeftBehind => "left behind",
            Self::Changed => "changed",
            Self::Missing => "missing",
        }
    }
}

/// A count for each verdict. Receipts of earlier versions know five of them.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct ByVerdict {
    /// See [`Verdict::Landed`].
    pub landed: u64,
    /// See [`Verdict::Changed`].
    pub changed: u64,
    /// See [`Verdict::Missing`].
    pub missing: u64,
    /// See [`Verdict::KeptExisting`].
    pub kept_existing: u64,
    /// See [`Verdict::LeftBehind`].
    pub left_behind: u64,
    /// See [`Verdict::NotRead`].
    pub not_read: u64,
    /// See [`Verdict::KeptInTrunk`].
    pub kept_in_trunk: u64,
    /// See [`Verdict::NotChosen`].
    pub not_chosen: u64,
    /// See [`Verdict::NotNeeded`].
    pub not_needed: u64,
}

impl ByVerdict {
    /// Adds to one of them.
    pub fn add(&mut self, verdict: Verdict, count: u64) {
        let number = self.at(verdict);
        *number = number.saturating_add(count);
    }

    /// Takes away from one of them.
    pub fn subtract(&mut self, verdict: Verdict, count: u64) {
        let number = self.at(verdict);
        *number = number.saturating_sub(count);
    }

    fn at(&mut self, verdict: Verdict) -> &mut u64 {
        match verdict {
            Verdict::Landed => &mut self.landed,
            Verdict::Changed => &mut self.changed,
            Verdict::Missing => &mut self.missing,
            Verdict::KeptExisting => &mut self.kept_existing,
            Verdict::LeftBehind => &mut self.left_behind,
            Verdict::NotRead => &mut self.not_read,
            Verdict::KeptInTrunk => &mut self.kept_in_trunk,
            Verdict::NotChosen => &mut self.not_chosen,
            Verdict::NotNeeded => &mut self.not_needed,
        }
    }

    /// One of them.
    pub fn of(&self, verdict: Verdict) -> u64 {
        *self.clone().at(verdict)
    }
}

impl AddAssign for ByVerdict {
    fn add_assign(&mut self, more: Self) {
        for verdict in Verdict::ALL {
            self.add(verdict, more.of(verdict));
        }
    }
}
