//! Where on a machine restored things may be: a trunk or a journal is no reason to touch anything else.

use crate::catalogue::patterns::PathPattern;
use crate::catalogue::{Catalogue, Find};
use porter_machine::{Machine, Place};
use porter_names::{RelativePath, fold};

/// The places of a machine that things are restored to.
pub struct LandingPlaces<'m> {
    machine: &'m Machine,
    catalogue: &'m Catalogue,
    records: Option<RelativePath>,
}

/// Why nothing is put at a path, or taken from it.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NoLandingPlace {
    /// The journals are there: their lines decide what an undo does.
    #[error("porter keeps its own records there")]
    OwnRecords,
    /// No person's and no rule's.
    #[error("{0}")]
    OfTheSystem(String),
}

impl<'m> LandingPlaces<'m> {
    /// Those of a machine, by the rules in force.
    pub fn new(machine: &'m Machine, catalogue: &'m Catalogue) -> Self {
        Self { machine, catalogue, records: machine.records_folder() }
    }

    /// Says why nothing may be put at a path below the machine's root.
    pub fn refuse(&self, at: &RelativePath) -> Result<(), NoLandingPlace> {
        match self.refuse_without_rule(at) {
            Err(NoLandingPlace::OfTheSystem(_)) if self.is_of_a_rule(at) => Ok(()),
            refused => refused,
        }
    }

    /// The same for what no rule here speaks of.
    pub fn refuse_without_rule(&self, at: &RelativePath) -> Result<(), NoLandingPlace> {
        if self.records.as_ref().is_some_and(|records| is_in(at, records)) {
            return Err(NoLandingPlace::OwnRecords);
        }
        if self.is_in_a_place(at) {
            return Ok(());
        }
        let of_the_system = |why: &str| Err(NoLandingPlace::OfTheSystem(why.to_owned()));
        let Some(first) = at.steps().next() else {
            return of_the_system("it is the root of the drive");
        };
        match self.catalogue.not_covered_by_name(&as_the_system_reads(first)) {
            Some(why) => of_the_system(why),
            None => Ok(()),
        }
    }

    /// True for a folder that things may be put into, or that one of those lies in: its time may be set.
    pub fn leads_to_one(&self, folder: &RelativePath) -> bool {
        let own_records = || self.records.as_ref().is_some_and(|records| is_in(folder, records));
        folder.is_root()
            || self.refuse(folder).is_ok()
            || (!own_records()
                && (self.machine.all_places().any(|place| is_in(&place.path, folder))
                    || self.leads_to_a_rule(folder)))
    }

    /// True for what lies in a person's own places.
    pub fn is_personal(&self, at: &RelativePath) -> bool {
        let places = self.machine.accounts.iter().flat_map(|account| account.places.values());
        places.into_iter().any(|place| is_in(at, &place.path))
    }

    fn is_in_a_place(&self, at: &RelativePath) -> bool {
        let shared = self.machine.places.iter();
        let shared = shared.filter(|(place, _)| !matches!(place, Place::SharedData | Place::DriveRoot));
        self.is_personal(at) || shared.into_iter().any(|(_, place)| is_in(at, &place.path))
    }

    /// Where rules look outside of people's places.
    fn finds(&self) -> impl Iterator<Item = &'m Find> {
        let rules = self.catalogue.rules.iter().filter(|rule| !rule.is_personal());
        rules.flat_map(|rule| rule.finds_on(self.machine.layout.family))
    }

    /// True for a folder that what a rule names lies in: `usr/local` of the fonts of the whole machine.
    fn leads_to_a_rule(&self, folder: &RelativePath) -> bool {
        self.finds().any(|find| {
            let place = self.machine.place(None, find.place);
            let named = find.path.as_ref().and_then(PathPattern::literal);
            let at = place.zip(named).and_then(|(place, below)| place.path.join_path(&below).ok());
            at.is_some_and(|at| is_in(&at, folder))
        })
    }

    /// True for what a rule names outside of people's places: the fonts of the whole machine.
    fn is_of_a_rule(&self, at: &RelativePath) -> bool {
        self.finds().any(|find| {
            let place = self.machine.place(None, find.place);
            let below = place.and_then(|place| at.below(&place.path));
            below.is_some_and(|below| find.path.is_some() && find.begins(&below))
        })
    }
}

/// A name as Windows and others take it: case does not count there, nor do dots and spaces at the end.
fn as_the_system_reads(name: &[u8]) -> Vec<u8> {
    let end = name.iter().rposition(|byte| !matches!(byte, b'.' | b' ')).map_or(0, |last| last + 1);
    fold::folded(&name[..end])
}

/// True if a path is a folder, or below it, in whatever spelling.
fn is_in(at: &RelativePath, folder: &RelativePath) -> bool {
    let mut steps = at.steps();
    let same = |step: &[u8], other: Option<&[u8]>| {
        other.is_some_and(|other| as_the_system_reads(step) == as_the_system_reads(other))
    };
    folder.steps().all(|step| same(step, steps.next()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_is_the_same_in_every_spelling_that_a_system_takes_for_it() {
        let path = |text: &str| RelativePath::from_bytes(text.as_bytes()).unwrap();
        let records = path("ProgramData/Loyal Porter");
        for at in [
            "ProgramData/Loyal Porter",
            "programdata/LOYAL PORTER/x.jsonl",
            "ProgramData./Loyal Porter. ./a/b",
        ] {
            assert!(is_in(&path(at), &records), "{at}");
        }
        for at in ["ProgramData", "ProgramData/Loyal Porters", "Users/ProgramData/Loyal Porter", ""] {
            assert!(!is_in(&path(at), &records), "{at}");
        }
    }
}
