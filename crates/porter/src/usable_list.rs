//! A trunk's list with damaged stretches: what is left of it is used, and never taken for all.

use crate::failure::{Failure, MENDS_THE_LIST, Outcome};
use crate::screen::{CARE, styled, tell};
use porter_kinds::value_kinds::has_only_values;
use porter_names::RelativePath;
use porter_trunk::{Entry, Trunk, TrunkError, TrunkItem};
use std::cell::Cell;

/// The usable part of a trunk's list, and whether that is less than all of it.
pub(crate) struct UsableList<'t> {
    trunk: &'t dyn Trunk,
    is_damaged: Cell<bool>,
}

impl<'t> UsableList<'t> {
    pub(crate) const fn of(trunk: &'t dyn Trunk) -> Self {
        Self { trunk, is_damaged: Cell::new(false) }
    }

    pub(crate) fn entries(&self) -> Result<impl Iterator<Item = Entry>, TrunkError> {
        Ok(self.trunk.entries()?.filter_map(|entry| {
            self.is_damaged.set(self.is_damaged.get() || entry.is_err());
            entry.ok()
        }))
    }

    /// Fails if an item has no entry at, or below, a path.
    pub(crate) fn require(&self, item: &TrunkItem, below: &RelativePath) -> Result<(), Failure> {
        let fits = |entry: Entry| entry.item == item.id && entry.address.path.is_within(below);
        if self.entries()?.any(fits) {
            return Ok(());
        }
        if self.is_damaged.get() {
            return Err(Failure::new(
                format!(
                    "the trunk's list is damaged, and what is left of it tells of no `{}/{below}`",
                    item.id
                ),
                MENDS_THE_LIST,
            ));
        }
        Err(nothing_there(item, below))
    }

    /// Whether the rows that were shown are all there are.
    pub(crate) fn outcome(&self) -> Outcome {
        if self.is_damaged.get() {
            let what = "! Part of the trunk's list is damaged: what that tells of is not shown.";
            tell(styled(CARE, what));
            tell(MENDS_THE_LIST);
        }
        Outcome::attention_if(self.is_damaged.get() || !self.trunk.flaws().is_empty())
    }
}

/// The path is not in the item.
fn nothing_there(item: &TrunkItem, below: &RelativePath) -> Failure {
    if has_only_values(&item.kind) {
        return Failure::wrong_use(
            format!("`{}` is a setting: it has values, and no files", item.id),
            format!("`porter look TRUNK {}` shows them.", item.id),
        );
    }
    Failure::wrong_use(
        format!("`{}` holds no `{below}`", item.id),
        format!("`porter look TRUNK {}` shows what it holds.", item.id),
    )
}
