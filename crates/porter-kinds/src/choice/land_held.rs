//! Entries that stay in the trunk by the rules, and land because somebody asked for it.

use crate::choice::{BadPattern, Selection};
use porter_names::screen::on_screen;
use porter_trunk::Entry;

/// Patterns over items and what is in them: `machine/folder/shared-data/kite-ledger`,
/// `odile/folder/home/NTUSER.DAT`.
#[derive(Debug, Default)]
pub struct LandHeld {
    texts: Vec<String>,
    selection: Option<Selection>,
}

impl LandHeld {
    /// A pattern fits as in a [`Selection`]: a whole id, or the beginning of one, before a slash. Behind the
    /// id of an item a path in it may stand.
    pub fn new(texts: &[String]) -> Result<Self, BadPattern> {
        let selection = if texts.is_empty() { None } else { Some(Selection::new(&[], texts, &[])?) };
        Ok(Self { texts: texts.to_vec(), selection })
    }

    /// As they were given.
    pub fn texts(&self) -> &[String] {
        &self.texts
    }

    /// Takes the patterns of another run. A text that is not a pattern fits nothing.
    pub fn add(&mut self, texts: Vec<String>) {
        let texts = [std::mem::take(&mut self.texts), texts].concat();
        *self = Self::new(&texts).unwrap_or_default();
    }

    /// True if an entry was asked for.
    pub fn wants(&self, entry: &Entry) -> bool {
        let Some(selection) = &self.selection else { return false };
        let path = on_screen(entry.address.path.as_bytes());
        selection.chooses(&format!("{}/{path}", entry.item), None)
    }

    /// True if an item was asked for as a whole.
    pub fn wants_item(&self, id: &str) -> bool {
        self.selection.as_ref().is_some_and(|selection| selection.chooses(id, None))
    }

    /// The patterns that fit no item and nothing in one.
    pub fn unmatched<'i>(&self, items: impl Iterator<Item = &'i str> + Clone) -> Vec<String> {
        let begins = |text: &str, id: &str| {
            let (text, id) = (text.to_lowercase(), id.to_lowercase());
            text == id || text.starts_with(&format!("{id}/")) || id.starts_with(&format!("{text}/"))
        };
        let is_unmatched =
            |text: &&String| !text.contains('*') && !items.clone().any(|id| begins(text.as_str(), id));
        self.texts.iter().filter(is_unmatched).cloned().collect()
    }
}
