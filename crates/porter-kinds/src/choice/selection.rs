//! Choosing items by account and by patterns over their ids, the same in every command.

use crate::catalogue::patterns::{PatternRefused, glob};
use globset::{GlobSet, GlobSetBuilder};
use porter_machine::{Account, Machine};
use std::collections::BTreeSet;
use time::Duration;

/// The items that were asked for. An empty selection is everything.
#[derive(Debug, Clone, Default)]
pub struct Selection {
    accounts: Vec<String>,
    only: Patterns,
    skip: Patterns,
    /// The items of a packing list, if there is one.
    listed: Option<BTreeSet<String>>,
    /// People whose items are left out.
    left_out: BTreeSet<String>,
    /// The people who used the machine lately, if that counts.
    lately: Option<BTreeSet<String>>,
}

#[derive(Debug, Clone, Default)]
struct Patterns {
    texts: Vec<String>,
    set: GlobSet,
}

/// A pattern that cannot be understood.
#[derive(Debug, thiserror::Error)]
#[error("`{pattern}` is not a pattern: {cause}")]
pub struct BadPattern {
    pattern: String,
    cause: PatternRefused,
}

impl Selection {
    /// `accounts` are ids of accounts: with any, only their items are chosen. A pattern in `only` or `skip`
    /// fits an id as a whole (`*` stands for any text, slashes too) or a beginning of it that ends before a
    /// slash: `odile`, `*/folder/music`, `odile/*`. An id that fits `skip` is never chosen. Case does not
    /// matter.
    pub fn new(accounts: &[String], only: &[String], skip: &[String]) -> Result<Self, BadPattern> {
        Ok(Self {
            accounts: accounts.to_vec(),
            only: patterns(only)?,
            skip: patterns(skip)?,
            ..Self::default()
        })
    }

    /// The same, and nothing but these items.
    #[must_use]
    pub fn with_list(self, carried: BTreeSet<String>) -> Self {
        Self { listed: Some(carried), ..self }
    }

    /// The same, without the items of people who did not use the machine in so long a time before it was last
    /// used by anybody. It is not known of everybody when that was: nobody is left out for that.
    #[must_use]
    pub fn used_within(self, machine: &Machine, time: Duration) -> Self {
        let last = machine.accounts.iter().filter_map(|account| account.last_used_utc).max();
        let is_late = |account: &&Account| match (last, account.last_used_utc) {
            (Some(last), Some(used)) => last - used <= time,
            _ => true,
        };
        let lately = machine.accounts.iter().filter(is_late).map(|account| account.id.clone()).collect();
        Self { lately: Some(lately), ..self }
    }

    /// The same, without the items of one account.
    #[must_use]
    pub fn without_account(mut self, account: &str) -> Self {
        self.left_out.insert(account.to_owned());
        self
    }

    /// True if an item is chosen.
    pub fn chooses(&self, item_id: &str, owner: Option<&str>) -> bool {
        let by_account = self.accounts.is_empty()
            || owner.is_some_and(|owner| self.accounts.iter().any(|chosen| chosen == owner));
        if owner.is_some_and(|owner| self.left_out.contains(owner)) {
            return false;
        }
        let by_pattern = self.only.texts.is_empty() || self.only.set.is_match(item_id);
        let by_list = self.listed.as_ref().is_none_or(|listed| listed.contains(item_id));
        let by_use = match (&self.lately, owner) {
            (Some(lately), Some(owner)) => lately.contains(owner),
            _ => true,
        };
        by_account && by_pattern && by_list && by_use && !self.skip.set.is_match(item_id)
    }

    /// The patterns and accounts that fit nothing: most likely typing mistakes.
    pub fn unmatched<'i>(
        &self,
        items: impl Iterator<Item = (&'i str, Option<&'i str>)> + Clone,
    ) -> Vec<String> {
        let mut unmatched: Vec<String> = self
            .accounts
            .iter()
            .filter(|chosen| !items.clone().any(|(_, owner)| owner == Some(chosen.as_str())))
            .cloned()
            .collect();
        for text in self.only.texts.iter().chain(&self.skip.texts) {
            let set = patterns(std::slice::from_ref(text)).map(|p| p.set).unwrap_or_default();
            if !items.clone().any(|(id, _)| set.is_match(id)) {
                unmatched.push(text.clone());
            }
        }
        unmatched
    }
}

fn patterns(texts: &[String]) -> Result<Patterns, BadPattern> {
    let mut set = GlobSetBuilder::new();
    for text in texts {
        let bad = |cause: PatternRefused| BadPattern { pattern: text.clone(), cause };
        let trimmed = text.trim_end_matches('/');
        for pattern in [trimmed.to_owned(), format!("{trimmed}/*")] {
            let glob = glob(&pattern, |builder| {
                builder.case_insensitive(true);
            });
            set.add(glob.map_err(bad)?);
        }
    }
    let set = set.build().map_err(|cause| BadPattern { pattern: texts.join(" "), cause: cause.into() })?;
    Ok(Patterns { texts: texts.to_vec(), set })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn texts(list: &[&str]) -> Vec<String> {
        list.iter().map(|text| (*text).to_owned()).collect()
    }

    #[test]
    fn accounts_and_patterns_choose_together_and_mistakes_are_found() {
        let items = [
            ("odile/folder/documents", Some("odile")),
            ("odile/folder/music", Some("odile")),
            ("bram/folder/music", Some("bram")),
            ("machine/folder/drive/kite-plans", None),
        ];
        let chosen = |accounts: &[&str], only: &[&str], skip: &[&str]| {
            let selection = Selection::new(&texts(accounts), &texts(only), &texts(skip)).unwrap();
            items
                .iter()
                .filter(|(id, owner)| selection.chooses(id, *owner))
                .map(|(id, _)| *id)
                .collect::<Vec<_>>()
        };
        assert_eq!(chosen(&[], &[], &[]).len(), 4);
        assert_eq!(chosen(&["bram"], &[], &[]), ["bram/folder/music"]);
        assert_eq!(chosen(&[], &["odile"], &["*/music"]), ["odile/folder/documents"]);
        assert_eq!(chosen(&[], &["Machine/*"], &[]), ["machine/folder/drive/kite-plans"]);

        let mistaken = Selection::new(&[], &texts(&["odil/*"]), &texts(&["bram"])).unwrap();
        assert_eq!(mistaken.unmatched(items.into_iter()), ["odil/*"]);
        assert!(Selection::new(&[], &texts(&["a{b"]), &[]).is_err());
    }

    #[test]
    fn braces_within_braces_end_in_an_error_not_in_a_full_stack() {
        let deep = |depth: usize| format!("{}a{}", "{".repeat(depth), "}".repeat(depth));
        assert!(Selection::new(&[], &[deep(10)], &[]).is_ok());
        // The second closes none of its braces: each `}` is quoted.
        for text in [deep(20_000), r"{\}".repeat(20_000)] {
            let refused = Selection::new(&[], &[text], &[]).unwrap_err();
            assert!(refused.to_string().ends_with("at most 64 `{`"), "{refused}");
        }
    }
}
