//! The balance: the old machine's files by their fate, in numbers that add up.

use super::{ByVerdict, Receipt};
use std::ops::{Add, AddAssign};

/// Files and their bytes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Amount {
    /// Files.
    pub files: u64,
    /// Their lengths, added up.
    pub size_in_bytes: u64,
}

impl Amount {
    /// An amount of this many files and bytes.
    pub const fn new(files: u64, size_in_bytes: u64) -> Self {
        Self { files, size_in_bytes }
    }

    /// Subtracts, but never below zero.
    fn less(self, other: Self) -> Self {
        Self::new(
            self.files.saturating_sub(other.files),
            self.size_in_bytes.saturating_sub(other.size_in_bytes),
        )
    }
}

impl Add for Amount {
    type Output = Self;
    fn add(self, more: Self) -> Self {
        Self::new(
            self.files.saturating_add(more.files),
            self.size_in_bytes.saturating_add(more.size_in_bytes),
        )
    }
}

impl AddAssign for Amount {
    fn add_assign(&mut self, more: Self) {
        *self = *self + more;
    }
}

/// A person's files by fate; each file is in exactly one row.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Balance {
    /// They are where they belong, and a restore put them there; of a trunk alone: they are whole in it.
    pub landed: Amount,
    /// They are where they belong, and were there before.
    pub there_already: Amount,
    /// They landed, and somebody has worked on them since.
    pub worked_on: Amount,
    /// They stay in the trunk on purpose.
    pub kept_in_trunk: Amount,
    /// They should have landed, and are not there, or not as they were.
    pub left_behind: Amount,
    /// A rule leaves them: caches and the like.
    pub not_needed: Amount,
    /// Somebody chose not to capture them.
    pub not_chosen: Amount,
    /// They could not be read.
    pub not_read: Amount,
}

impl Balance {
    /// The balance of all items of a receipt.
    pub fn of(receipt: &Receipt) -> Self {
        let (mut files, mut bytes) = <(ByVerdict, ByVerdict)>::default();
        let (mut there_already, mut worked_on) = <(Amount, Amount)>::default();
        for item in &receipt.items {
            files += item.files;
            bytes += item.bytes;
            there_already += item.there_already;
            worked_on += item.worked_on;
        }
        Self::from_numbers(&files, &bytes, there_already, worked_on)
    }

    fn from_numbers(files: &ByVerdict, bytes: &ByVerdict, there_already: Amount, worked_on: Amount) -> Self {
        let amount = |of: fn(&ByVerdict) -> u64| Amount::new(of(files), of(bytes));
        Self {
            landed: amount(|of| of.landed).less(there_already),
            there_already,
            worked_on,
            kept_in_trunk: amount(|of| of.kept_in_trunk),
            left_behind: amount(|of| of.left_behind)
                + amount(|of| of.kept_existing)
                + amount(|of| of.changed).less(worked_on)
                + amount(|of| of.missing),
            not_needed: amount(|of| of.not_needed),
            not_chosen: amount(|of| of.not_chosen),
            not_read: amount(|of| of.not_read),
        }
    }

    /// The files that the trunk was to take: `landed + there already + worked on since + kept in the trunk +
    /// left behind`.
    pub fn carried(&self) -> Amount {
        self.landed + self.there_already + self.worked_on + self.kept_in_trunk + self.left_behind
    }

    /// All of it: `carried + not needed + not chosen + could not be read`.
    pub fn on_old_machine(&self) -> Amount {
        self.carried() + self.not_needed + self.not_chosen + self.not_read
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::receipt::Verdict;

    fn balance(files: &[(Verdict, u64)], there_already: u64, worked_on: u64) -> Balance {
        let (mut by_files, mut by_bytes) = <(ByVerdict, ByVerdict)>::default();
        for (verdict, number) in files {
            by_files.add(*verdict, *number);
            by_bytes.add(*verdict, number * 10);
        }
        let amount = |files: u64| Amount::new(files, files * 10);
        Balance::from_numbers(&by_files, &by_bytes, amount(there_already), amount(worked_on))
    }

    #[test]
    fn each_file_is_in_one_row_and_the_rows_add_up() {
        let all: Vec<(Verdict, u64)> = Verdict::ALL.into_iter().zip(1..).collect();
        let sum: u64 = all.iter().map(|(_, number)| number).sum();
        // One of the two changed files was worked on, and the landed one was there already.
        let balance = balance(&all, 1, 1);
        assert_eq!(balance.on_old_machine(), Amount::new(sum, sum * 10));
        assert_eq!((balance.landed.files, balance.there_already.files, balance.worked_on.files), (0, 1, 1));
        let number =
            |verdict: Verdict| all.iter().find(|(known, _)| *known == verdict).map_or(0, |(_, n)| *n);
        assert_eq!(balance.not_read.files, number(Verdict::NotRead));
        assert_eq!(balance.not_chosen.files, number(Verdict::NotChosen));
        assert_eq!(balance.kept_in_trunk.files, number(Verdict::KeptInTrunk));
        let bad = [Verdict::LeftBehind, Verdict::KeptExisting, Verdict::Changed, Verdict::Missing];
        assert_eq!(balance.left_behind.files, bad.into_iter().map(number).sum::<u64>() - 1);
        assert_eq!(
            balance.carried().files
                + balance.not_needed.files
                + balance.not_chosen.files
                + balance.not_read.files,
            sum
        );
    }

    #[test]
    fn numbers_that_a_stranger_wrote_neither_run_over_nor_below_nothing() {
        let balance = balance(
            &[(Verdict::Landed, u64::MAX / 10), (Verdict::NotNeeded, u64::MAX / 10)],
            u64::MAX / 10,
            5,
        );
        assert_eq!(balance.landed.files, 0);
        assert_eq!(
            balance.left_behind.files, 0,
            "what was worked on is taken from what changed, of which there is none"
        );
        assert!(balance.on_old_machine().size_in_bytes >= balance.carried().size_in_bytes);
    }
}
