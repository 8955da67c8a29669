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

#[cfg(all(test, unix))]
mod tests {
    use super::*;

    #[test]
    fn accounts_of_the_system_are_known_and_not_removed_whatever_a_journal_says() {
        assert_eq!(Accounts.read("", &facts("root")).unwrap(), Some(facts("root")));
        assert_eq!(Accounts.read("", &facts("nobody of that name")).unwrap(), None);
        assert!(Accounts.set("", &facts("nobody of that name")).is_err(), "a journal makes no accounts");
        for own in ["root", "daemon"] {
            let refused = Accounts.remove("", &facts(own)).unwrap_err();
            assert_eq!(refused.kind(), io::ErrorKind::PermissionDenied, "{own}");
        }
        // One that is gone already is no trouble.
        assert!(Accounts.remove("", &facts("nobody of that name")).is_ok());
        assert!(Accounts.read("", &Facts::new()).is_err(), "a journal's line without a name");
    }
}
