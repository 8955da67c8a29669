//! Pages of a damaged file that nothing leads to any more, found by going through all of it.

use super::header::{Layout, Read, fill};
use super::page::{Page, Tree, age_of_whole};
use std::collections::BTreeMap;
use std::ops::Range;

/// Pages begin at multiples of this, in every layout.
const GRID_IN_BYTES: usize = 512;
const PIECE_IN_BYTES: usize = 1 << 20;
/// A store of 50 GB has some six million blocks; ten million take about 1 GB.
const MOST_ROWS: usize = 10_000_000;

/// A row, and the number of the page that it stands in.
type Row = (u64, Box<[u8]>);

/// The rows of all whole pages at the bottom of both trees, the newest of each key.
#[derive(Debug, Default)]
pub(super) struct LostPages {
    rows: BTreeMap<(Tree, u64), Row>,
}

impl LostPages {
    /// Goes through the file. Unreadable pieces are passed by.
    pub(super) fn find(read: Read<'_>, layout: Layout) -> Self {
        let mut found = Self::default();
        let page = layout.page_in_bytes();
        // Each piece is read with the beginning of the next, in which its last page may end.
        let mut buffer = vec![0; PIECE_IN_BYTES + page];
        let mut at = 0;
        loop {
            let filled = fill(read, at, &mut buffer).unwrap_or_default();
            for begin in (0..PIECE_IN_BYTES.min(filled)).step_by(GRID_IN_BYTES) {
                let Some(bytes) = buffer[..filled].get(begin..begin + page) else { break };
                found.take(bytes, layout);
            }
            if filled < buffer.len() || found.rows.len() > MOST_ROWS {
                return found;
            }
            at += PIECE_IN_BYTES as u64;
        }
    }

    fn take(&mut self, bytes: &[u8], layout: Layout) {
        for tree in [Tree::Nodes, Tree::Blocks] {
            let Ok(page) = Page::from_bytes(bytes, layout, tree) else { continue };
            let Some(age) = age_of_whole(bytes, layout).filter(|_| page.level == 0) else { continue };
            for row in page.rows() {
                let newest = self.rows.entry((tree, tree.key(row, layout))).or_default();
                if newest.1.is_empty() || newest.0 < age {
                    *newest = (age, row.into());
                }
            }
        }
    }

    pub(super) fn row(&self, tree: Tree, key: u64) -> Option<&[u8]> {
        self.rows.get(&(tree, key)).map(|(_, row)| &**row)
    }

    pub(super) fn rows(&self, tree: Tree, keys: Range<u64>) -> impl Iterator<Item = &[u8]> {
        self.rows.range((tree, keys.start)..(tree, keys.end)).map(|(_, (_, row))| &**row)
    }
}
