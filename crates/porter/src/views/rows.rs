//! Rows of items that fit the width there is: names are cut first, then dates are left out; sizes stay.

use super::numbers::{count, date, padded, size};
use crate::screen::columns;
use porter_names::screen::on_screen;
use time::OffsetDateTime;
use unicode_width::UnicodeWidthStr;

/// Where nobody says how wide a line may be.
const WITHOUT_TERMINAL: usize = 100;
/// `1,234,567 files`, and the spaces before.
const FILES: usize = 15;
/// `999.9 MB`, and the spaces before.
const SIZE: usize = 10;
/// `2026-10-30`, and the spaces before.
const DATE: usize = 12;
/// A name that is cut shorter says nothing.
const SHORTEST_NAME: usize = 18;

/// How many columns a row may have.
pub(crate) fn width() -> usize {
    columns().unwrap_or(WITHOUT_TERMINAL)
}

/// The id of an item below a heading that names its owner: `folder/documents`.
pub(crate) fn without_owner<'i>(id: &'i str, owner: Option<&str>) -> &'i str {
    let owner = owner.unwrap_or("machine");
    id.strip_prefix(owner).and_then(|rest| rest.strip_prefix('/')).unwrap_or(id)
}

/// The columns that rows of items have room for.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Rows {
    name: usize,
    with_date: bool,
}

impl Rows {
    /// For names with at most this many columns, in rows that begin with this many others.
    pub(crate) fn new(longest: usize, before: usize, has_dates: bool) -> Self {
        let left = width().saturating_sub(before + FILES + SIZE);
        let with_date = has_dates && left >= DATE + longest.min(SHORTEST_NAME + 8);
        let room = if with_date { left - DATE } else { left };
        Self { name: longest.min(room.max(SHORTEST_NAME)), with_date }
    }

    /// The row without what stands before it.
    pub(crate) fn row(
        self,
        name: &str,
        files: u64,
        size_in_bytes: u64,
        newest: Option<OffsetDateTime>,
    ) -> String {
        let mut row = format!("{}{}", self.name(name), amount(files, size_in_bytes));
        if let (true, Some(at)) = (self.with_date, newest) {
            row.push_str("  ");
            row.push_str(&date(at));
        }
        row
    }

    /// A name, cut or filled up.
    pub(crate) fn name(self, name: &str) -> String {
        padded(&shortened(name, self.name), self.name)
    }
}

/// `   1,234 files   12.3 MB`.
pub(crate) fn amount(files: u64, size_in_bytes: u64) -> String {
    let noun = if files == 1 { "file" } else { "files" };
    format!("  {:>7} {noun:<5} {:>9}", count(files), size(size_in_bytes))
}

/// A path or id that is cut in the middle, by steps, if it is wider than there is room.
pub(crate) fn shortened(path: &str, most: usize) -> String {
    let path = on_screen(path.as_bytes());
    if path.width() <= most {
        return path;
    }
    let steps: Vec<&str> = path.split('/').collect();
    let Some((last, above)) = steps.split_last() else { return path };
    // As many steps of the beginning as there is room for.
    for kept in (1..above.len().max(1)).rev() {
        let cut = format!("{}/\u{2026}/{last}", above[..kept].join("/"));
        if cut.width() <= most {
            return cut;
        }
    }
    let cut = format!("\u{2026}/{last}");
    if above.is_empty() || cut.width() > most { cut_in_the_middle(last, most) } else { cut }
}

/// A name without steps: its beginning and its end.
fn cut_in_the_middle(name: &str, most: usize) -> String {
    let room = most.saturating_sub(1);
    let begin = taken(name.chars(), room / 2);
    let end: String = taken(name.chars().rev(), room - room / 2).chars().rev().collect();
    format!("{begin}\u{2026}{end}")
}

fn taken(letters: impl Iterator<Item = char>, most: usize) -> String {
    let mut text = String::new();
    for letter in letters {
        text.push(letter);
        if text.width() > most {
            text.pop();
            break;
        }
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_too_wide_is_cut_by_steps_and_then_by_letters() {
        let path = "Users/odile/Documents/Kites/2026/Job 001 - notes.txt";
        for (most, expected) in [
            (60, path),
            (50, "Users/odile/Documents/Kites/\u{2026}/Job 001 - notes.txt"),
            (30, "Users/\u{2026}/Job 001 - notes.txt"),
            (22, "\u{2026}/Job 001 - notes.txt"),
            (11, "Job 0\u{2026}s.txt"),
        ] {
            assert_eq!(shortened(path, most), expected);
            assert!(shortened(path, most).width() <= most);
        }
        assert_eq!(shortened("\u{51e7}\u{51e7}\u{51e7}\u{51e7}", 5), "\u{51e7}\u{2026}\u{51e7}");
        assert_eq!(without_owner("odile/folder/music", Some("odile")), "folder/music");
        assert_eq!(without_owner("machine/network/hosts", None), "network/hosts");
    }
}
