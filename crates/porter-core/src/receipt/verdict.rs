//! What became of a thing.

use serde::{Deserialize, Serialize};
use std::ops::AddAssign;

/// What became of a thing, from the best to the gravest.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// It is where it belongs, byte for byte.
    Landed,
    /// It was not taken along, or stayed in the trunk.
    LeftBehind,
    /// Something else was there already and was kept.
    KeptExisting,
    /// It is there, and not what it was.
    Changed,
    /// It is not there.
    Missing,
}

impl Verdict {
    /// All of them, in the order in which receipts count them.
    pub const ALL: [Self; 5] =
        [Self::Landed, Self::Changed, Self::Missing, Self::KeptExisting, Self::LeftBehind];

    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Landed => "landed",
            Self::LeftBehind => "left behind",
            Self::KeptExisting => "kept existing",
            Self::Changed => "changed",
            Self::Missing => "missing",
        }
    }
}

/// A count for each verdict.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
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
}

impl ByVerdict {
    /// Adds to one of them.
    pub fn add(&mut self, verdict: Verdict, count: u64) {
        *match verdict {
            Verdict::Landed => &mut self.landed,
            Verdict::Changed => &mut self.changed,
            Verdict::Missing => &mut self.missing,
            Verdict::KeptExisting => &mut self.kept_existing,
            Verdict::LeftBehind => &mut self.left_behind,
        } += count;
    }

    /// One of them.
    pub fn of(&self, verdict: Verdict) -> u64 {
        match verdict {
            Verdict::Landed => self.landed,
            Verdict::Changed => self.changed,
            Verdict::Missing => self.missing,
            Verdict::KeptExisting => self.kept_existing,
            Verdict::LeftBehind => self.left_behind,
        }
    }
}

impl AddAssign for ByVerdict {
    fn add_assign(&mut self, more: Self) {
        for verdict in Verdict::ALL {
            self.add(verdict, more.of(verdict));
        }
    }
}
