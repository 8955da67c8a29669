//! A person's account of the running system.

use super::{Control, fact};
use crate::new_account::{has_account, remove_account};
use porter_names::Facts;
use std::io;

/// See the module. Its fact is its `name`.
///
/// A restore makes accounts before it is planned, because their folders are what is planned for. It sets
/// nothing here: the journal alone has to know of it, so that an undo removes the account.
pub struct Accounts;

/// The facts of one.
pub fn facts(name: &str) -> Facts {
    Facts::from([("name".to_owned(), name.to_owned())])
}

impl Control for Accounts {
    fn name(&self) -> &'static str {
        "account"
    }

    fn read(&self, _: &str, like: &Facts) -> io::Result<Option<Facts>> {
        let name = fact(like, "name")?;
        Ok(has_account(name)?.then(|| facts(name)))
    }

    fn set(&self, _: &str, becomes: &Facts) -> io::Result<()> {
        match self.read("", becomes)? {
            Some(_) => Ok(()),
            None => Err(io::ErrorKind::NotFound.into()),
        }
    }

    fn remove(&self, _: &str, made: &Facts) -> io::Result<()> {
        remove_account(fact(made, "name")?)
    }

    fn shown(&self, _: &str, facts: &Facts) -> String {
        format!("account {}", facts.get("name").map_or("", String::as_str))
    }

    fn comes_first(&self) -> bool {
        true
    }
}
