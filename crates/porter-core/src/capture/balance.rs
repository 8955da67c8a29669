//! The account of a capture: `seen = captured + left`, item by item.

use super::CaptureError;
use super::carrier::Done;
use super::listed::listed;
use crate::events::{Conduct, Event};
use crate::meaning::Meaning;
use crate::survey::Survey;
use porter_kinds::item::Item;
use porter_trunk::{
    Content, Entry, EntryAddress, KeptState, LeftBehind, MeaningCount, Tally, TrunkError, TrunkItem,
    TrunkWriter,
};
use time::OffsetDateTime;

/// The fate of an item's entries, counted where they arrive: apart from the count of entries that were seen.
#[derive(Debug, Clone, Default)]
pub(super) struct Account {
    captured: Tally,
    left: Tally,
    /// Entries that could not be seen this time and that the trunk keeps from earlier: they count as seen,
    /// too.
    kept: Tally,
    /// Files may grow or shrink between being listed and being read.
    grown_in_bytes: i128,
}

/// Where the rows of a capture go.
pub(super) struct Rows<'a> {
    pub(super) trunk: &'a dyn TrunkWriter,
    pub(super) left_behind: &'a mut Vec<LeftBehind>,
    pub(super) counted: &'a mut Option<Meaning>,
    pub(super) item: &'a Item,
    pub(super) conduct: Conduct<'a>,
}

impl Rows<'_> {
    fn record(&mut self, entry: &Entry) -> Result<(), TrunkError> {
        if let Some(counted) = self.counted {
            counted.see(entry);
        }
        self.trunk.record(entry)
    }
}

impl Account {
    /// Records the fate of one thing, and counts it.
    pub(super) fn enter(&mut self, listed: Tally, done: Done, mut rows: Rows<'_>) -> Result<(), TrunkError> {
        if let Some(entry) = &done.entry {
            rows.record(entry)?;
            self.captured += listed;
            if let Content::File { size_in_bytes, .. } = entry.content {
                self.captured.size_in_bytes += size_in_bytes;
                self.captured.size_in_bytes -= listed.size_in_bytes;
                self.grown_in_bytes += i128::from(size_in_bytes) - i128::from(listed.size_in_bytes);
                let (item, path) = (&rows.item.id, &entry.address.path);
                rows.conduct.send(&Event::File { item, path, size_in_bytes });
            }
        }
        if let Some(earlier) = &done.earlier {
            rows.record(earlier)?;
            self.kept += earlier.tally();
        }
        let below = match done.keep_below {
            Some(folder) => self.keep_below(&folder, &mut rows)?,
            None => None,
        };
        for mut left in done.left {
            left.kept = left.kept.or(below.clone());
            rows.trunk.record_left(&left)?;
            self.left += left.tally.unwrap_or_default();
            if left.reason.needs_attention() {
                rows.conduct.send(&Event::Trouble {
                    item: &rows.item.id,
                    path: &left.volume_path,
                    code: left.reason.code(),
                });
            }
            rows.left_behind.push(left);
        }
        Ok(())
    }

    /// Goes on listing what the trunk has below a folder that cannot be looked into now.
    fn keep_below(
        &mut self,
        folder: &EntryAddress,
        rows: &mut Rows<'_>,
    ) -> Result<Option<KeptState>, TrunkError> {
        let mut kept: Option<KeptState> = None;
        let (trunk, item) = (rows.trunk, rows.item);
        trunk.each_earlier(&item.id, folder, &mut |entry| {
            rows.record(&entry)?;
            self.kept += entry.tally();
            let from_utc = entry.kept_from_utc.unwrap_or(OffsetDateTime::UNIX_EPOCH);
            let state = kept.get_or_insert(KeptState { from_utc, tally: Tally::default() });
            state.from_utc = state.from_utc.max(from_utc);
            state.tally += entry.tally();
            Ok(())
        })?;
        Ok(kept)
    }

    fn captured(&self) -> Tally {
        self.captured + self.kept
    }
}

/// `seen = captured + left`, item by item, or the capture does not count.
pub(super) fn balance(
    survey: &Survey,
    chosen: &[&Item],
    seen: &[Tally],
    accounts: &[Account],
    counted: &[Option<Meaning>],
) -> Result<Vec<TrunkItem>, CaptureError> {
    let mut rows = chosen.iter().zip(seen).zip(accounts.iter().zip(counted));
    let mut items = Vec::with_capacity(survey.items.len());
    for row in &survey.items {
        let item = &row.item;
        let (seen, captured, left, meaning) = if row.chosen {
            let Some(((_, seen), (account, counted))) = rows.next() else { continue };
            let mut seen = *seen;
            let size = i128::from(seen.size_in_bytes) + account.grown_in_bytes;
            seen.size_in_bytes = u64::try_from(size).unwrap_or(u64::MAX);
            seen += account.kept;
            if seen != account.captured() + account.left {
                return Err(CaptureError::NotAccountedFor { item: item.id.clone() });
            }
            (seen, account.captured(), account.left, counted.clone())
        } else {
            (row.seen(), Tally::default(), row.seen(), Meaning::of(item))
        };
        let mut counts = meaning.map(|meaning| meaning.counts).unwrap_or_default();
        counts.extend(item.counts.iter().map(|(name, captured)| MeaningCount {
            name: name.clone(),
            files: Vec::new(),
            captured: *captured,
        }));
        items.push(TrunkItem { seen, captured, left, counts, ..listed(item, row.chosen) });
    }
    Ok(items)
}

#[cfg(test)]
#[allow(clippy::panic, reason = "a test that cannot go on fails")]
mod tests {
    use super::*;
    use crate::survey::ItemSurvey;

    fn item(id: &str) -> Item {
        let item = Item::new(id.to_owned(), "folder", None, id.to_owned());
        Item { counts: vec![("plans".to_owned(), 7)], ..item }
    }

    fn survey(rows: Vec<(Item, bool, Tally)>) -> Survey {
        let row = |(item, chosen, to_capture): (Item, bool, Tally)| ItemSurvey {
            item,
            chosen,
            to_capture,
            to_leave: Tally::default(),
            too_large_for_fat32: 0,
            newest_utc: None,
            cautions: Vec::new(),
        };
        let items = rows.into_iter().map(row).collect();
        Survey { accounts: Vec::new(), items, not_covered: Vec::new(), cautions: Vec::new() }
    }

    fn files(files: u64, size_in_bytes: u64) -> Tally {
        Tally { files, size_in_bytes, ..Tally::default() }
    }

    #[test]
    fn a_capture_counts_only_if_every_entry_that_was_seen_is_captured_or_left() {
        let kites = item("machine/folder/kites");
        let survey = survey(vec![
            (kites.clone(), true, files(3, 30)),
            (item("machine/folder/old"), false, files(5, 50)),
        ]);
        let balanced =
            |seen: Tally, account: Account| balance(&survey, &[&kites], &[seen], &[account], &[None]);
        let whole = || Account { captured: files(2, 20), left: files(1, 10), ..Account::default() };
        for (what, seen, account, adds_up) in [
            ("all of it", files(3, 30), whole(), true),
            ("a file too few", files(4, 30), whole(), false),
            ("a byte too few", files(3, 31), whole(), false),
            ("a file too many", files(2, 20), whole(), false),
            ("one that grew by two bytes", files(3, 28), Account { grown_in_bytes: 2, ..whole() }, true),
            ("one that shrank by two", files(3, 32), Account { grown_in_bytes: -2, ..whole() }, true),
            (
                "one that stays as an earlier capture read it",
                files(3, 30),
                Account { kept: files(1, 5), ..whole() },
                true,
            ),
            ("a folder that nobody counted", Tally { folders: 1, ..files(3, 30) }, whole(), false),
        ] {
            match balanced(seen, account) {
                Ok(items) => {
                    assert!(adds_up, "{what}");
                    let [kites, old] = &items[..] else { panic!("{what}") };
                    assert_eq!(kites.seen, kites.captured + kites.left, "{what}");
                    assert_eq!((kites.counts[0].name.as_str(), kites.counts[0].captured), ("plans", 7));
                    // Entries that were not chosen are left, all of them.
                    assert_eq!((old.captured, old.left, old.chosen), (Tally::default(), files(5, 50), false));
                }
                Err(CaptureError::NotAccountedFor { item }) => {
                    assert!(!adds_up, "{what}");
                    assert_eq!(item, "machine/folder/kites");
                }
                Err(other) => panic!("{what}: {other}"),
            }
        }
    }
}
