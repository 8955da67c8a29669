//! The parts of a running system that can be read and set: each is a file below.
//!
//! A restore sets a control, its journal records the value before and after, and an undo puts the value
//! before back if the control still has the value after.

pub mod account;
pub mod account_picture;
pub mod data_source;
pub mod installed_font;
pub mod printer_driver;
pub mod printing;
pub mod registry_key;
pub mod registry_value;
pub mod scheduled_task;
pub mod session;
pub mod shared_folder;
pub mod system_setting;
pub mod wifi_network;

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

    /// The same with a word that stands in no fact, because a journal would show it.
    fn set_with(&self, owner: &str, becomes: &Facts, secret: &str) -> io::Result<()> {
        let _ = secret;
        self.set(owner, becomes)
    }

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

    /// True for what other things of a restore land in: it is set before them, and taken back after them.
    fn comes_first(&self) -> bool {
        false
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

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::Mutex;

    static TOLD: Mutex<Vec<(String, usize)>> = Mutex::new(Vec::new());

    /// Only hears what it is told of.
    struct Hearing(&'static str);

    impl Control for Hearing {
        fn name(&self) -> &'static str {
            self.0
        }

        fn read(&self, _: &str, _: &Facts) -> io::Result<Option<Facts>> {
            Ok(None)
        }

        fn set(&self, _: &str, _: &Facts) -> io::Result<()> {
            Ok(())
        }

        fn remove(&self, _: &str, _: &Facts) -> io::Result<()> {
            Ok(())
        }

        fn shown(&self, owner: &str, _: &Facts) -> String {
            owner.to_owned()
        }

        fn tell(&self, owner: &str, done: &[&Facts]) {
            TOLD.lock().unwrap().push((format!("{} of {owner}", self.0), done.len()));
        }
    }

    #[test]
    fn each_control_is_told_once_for_each_owner_of_all_that_was_set() {
        let (one, other): (&'static dyn Control, &'static dyn Control) = (&Hearing("a"), &Hearing("b"));
        let mut done = Done::default();
        for (control, owner) in [(one, "odile"), (other, "odile"), (one, "bram"), (one, "odile")] {
            done.note(control, owner, &Facts::new());
        }
        assert!(TOLD.lock().unwrap().is_empty(), "nobody is told before the end");
        done.tell();
        let expected = [("a of odile", 2), ("b of odile", 1), ("a of bram", 1)];
        let expected = expected.map(|(whose, number)| (whose.to_owned(), number));
        assert_eq!(*TOLD.lock().unwrap(), expected);
    }
}
