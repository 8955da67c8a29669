//! The parts of a running system that can be read and set: each is a file below.
//!
//! A restore sets a control, its journal records the value before and after, and an undo puts the value
//! before back if the control still has the value after.

pub mod printing;
pub mod registry_key;
pub mod registry_value;
pub mod session;
pub mod system_setting;

use porter_names::{Facts, RelativePath};
use std::io;

/// A part of the running system. Facts identify it, and hold its name and its value alike.
pub trait Control: Sync {
    /// Its name in a journal.
    fn name(&self) -> &'static str;

    /// The present state of the thing that `like` names; none if it does not exist. Fails if that cannot be
    /// known.
    fn read(&self, owner: &str, like: &Facts) -> io::Result<Option<Facts>>;

    /// Makes it what `becomes` says.
    fn set(&self, owner: &str, becomes: &Facts) -> io::Result<()>;

    /// Removes what was made; fails with `DirectoryNotEmpty` if something else is in it by now.
    fn remove(&self, owner: &str, made: &Facts) -> io::Result<()>;

    /// Where it is, in words for a person.
    fn shown(&self, owner: &str, facts: &Facts) -> String;

    /// True if two states are the same to a person.
    fn is_same(&self, one: &Facts, other: &Facts) -> bool {
        one == other
    }

    /// After a run: tells the running session of all that was set or removed.
    fn tell(&self, owner: &str, done: &[&Facts]) {
        let _ = (owner, done);
    }

    /// True for what only holds other things: it is made for them, and not counted.
    fn is_container(&self) -> bool {
        false
    }

    /// The key of a registry that a carry rule has to name before a journal's line about it is believed; none
    /// for controls that are not in a registry.
    fn registry_key<'f>(&self, facts: &'f Facts) -> Option<&'f str> {
        let _ = facts;
        None
    }
}

impl std::fmt::Debug for dyn Control {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}

/// The controls that a run has set, to be told of at its end: a message for each value of a setting would
/// have every window drawn again and again.
#[derive(Default)]
pub struct Done(Vec<(&'static dyn Control, String, Facts)>);

impl Done {
    /// One more.
    pub fn note(&mut self, control: &'static dyn Control, owner: &str, facts: &Facts) {
        self.0.push((control, owner.to_owned(), facts.clone()));
    }

    /// Tells of all of them, each control once for each owner.
    pub fn tell(self) {
        let mut told: Vec<(&str, &str)> = Vec::new();
        for (control, owner, _) in &self.0 {
            if told.contains(&(control.name(), owner)) {
                continue;
            }
            told.push((control.name(), owner));
            let is_of_both =
                |row: &&(&dyn Control, String, Facts)| row.0.name() == control.name() && row.1 == *owner;
            let facts: Vec<&Facts> = self.0.iter().filter(is_of_both).map(|(.., facts)| facts).collect();
            control.tell(owner, &facts);
        }
    }
}

/// The same as [`Control::shown`], where paths are shown.
pub fn shown_as_path(control: &dyn Control, owner: &str, facts: &Facts) -> RelativePath {
    RelativePath::from_bytes(control.shown(owner, facts).trim_end_matches('/').as_bytes()).unwrap_or_default()
}

/// A fact that a control cannot do without.
fn fact<'f>(facts: &'f Facts, name: &str) -> io::Result<&'f str> {
    let missing = || io::Error::new(io::ErrorKind::InvalidData, format!("`{name}` is not given"));
    facts.get(name).map(String::as_str).ok_or_else(missing)
}
