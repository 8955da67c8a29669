//! The steps by which Windows makes an account and removes one, for anything that takes the calls.

use super::NewAccount;
use std::io;

/// A group that every Windows has, whatever it is called in its language.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Group {
    /// Everybody who signs in.
    Users,
    /// Those who may change the system.
    Administrators,
}

/// A Windows' directory of users: a function for each of its calls.
pub trait Directory {
    /// A new account. Without a password it is disabled: Windows lets anybody sign in with an empty one.
    fn add(&self, name: &str, password: Option<&str>) -> io::Result<()>;
    /// The person's name.
    fn set_full_name(&self, name: &str, full_name: &str) -> io::Result<()>;
    /// An administrator's words.
    fn set_comment(&self, name: &str, comment: &str) -> io::Result<()>;
    /// Its password need not be changed from time to time.
    fn let_password_stay(&self, name: &str) -> io::Result<()>;
    /// Makes it a member of a group.
    fn join(&self, name: &str, group: Group) -> io::Result<()>;
    /// The folder that a first sign-in would make.
    fn make_folder(&self, name: &str) -> io::Result<()>;
    /// True if somebody has signed in, or a person's folders hold files.
    fn is_used(&self, name: &str) -> io::Result<bool>;
    /// Removes the folder, with its registry.
    fn remove_folder(&self, name: &str) -> io::Result<()>;
    /// Removes the account.
    fn remove(&self, name: &str) -> io::Result<()>;
}

/// Makes an account with all that is asked for. If a call fails, the account is removed again.
pub fn make(directory: &dyn Directory, account: &NewAccount, password: Option<&str>) -> io::Result<()> {
    let name = account.name.as_str();
    directory.add(name, password)?;
    let made = || -> io::Result<()> {
        if let Some(full_name) = &account.full_name {
            directory.set_full_name(name, full_name)?;
        }
        if let Some(comment) = &account.comment {
            directory.set_comment(name, comment)?;
        }
        if account.password_never_expires {
            directory.let_password_stay(name)?;
        }
        directory.join(name, Group::Users)?;
        if account.is_administrator {
            directory.join(name, Group::Administrators)?;
        }
        directory.make_folder(name)
    };
    made().inspect_err(|_| {
        let _ = directory.remove_folder(name);
        let _ = directory.remove(name);
    })
}

/// Removes an account that nobody has used.
pub fn remove(directory: &dyn Directory, name: &str) -> io::Result<()> {
    if directory.is_used(name)? {
        return Err(io::ErrorKind::DirectoryNotEmpty.into());
    }
    directory.remove_folder(name)?;
    directory.remove(name)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::cell::RefCell;

    /// Writes down what it is asked for, and fails at one of the calls.
    #[derive(Default)]
    struct Recording {
        calls: RefCell<Vec<String>>,
        fails_at: Option<&'static str>,
        is_used: bool,
    }

    impl Recording {
        fn call(&self, call: String) -> io::Result<()> {
            let fails = self.fails_at.is_some_and(|at| call.starts_with(at));
            self.calls.borrow_mut().push(call);
            if fails { Err(io::ErrorKind::PermissionDenied.into()) } else { Ok(()) }
        }
    }

    impl Directory for Recording {
        fn add(&self, name: &str, password: Option<&str>) -> io::Result<()> {
            self.call(format!("add {name} {}", password.unwrap_or("(disabled)")))
        }
        fn set_full_name(&self, _: &str, full_name: &str) -> io::Result<()> {
            self.call(format!("full name {full_name}"))
        }
        fn set_comment(&self, _: &str, comment: &str) -> io::Result<()> {
            self.call(format!("comment {comment}"))
        }
        fn let_password_stay(&self, _: &str) -> io::Result<()> {
            self.call("stays".to_owned())
        }
        fn join(&self, _: &str, group: Group) -> io::Result<()> {
            self.call(format!("join {group:?}"))
        }
        fn make_folder(&self, _: &str) -> io::Result<()> {
            self.call("folder".to_owned())
        }
        fn is_used(&self, _: &str) -> io::Result<bool> {
            Ok(self.is_used)
        }
        fn remove_folder(&self, _: &str) -> io::Result<()> {
            self.call("remove folder".to_owned())
        }
        fn remove(&self, name: &str) -> io::Result<()> {
            self.call(format!("remove {name}"))
        }
    }

    fn odile() -> NewAccount {
        NewAccount {
            name: "odile".to_owned(),
            full_name: Some("Odile Marchetti".to_owned()),
            comment: None,
            is_administrator: true,
            password_never_expires: true,
        }
    }

    #[test]
    fn an_account_gets_its_name_its_groups_and_its_folder() {
        let directory = Recording::default();
        make(&directory, &odile(), None).unwrap();
        let expected = [
            "add odile (disabled)",
            "full name Odile Marchetti",
            "stays",
            "join Users",
            "join Administrators",
            "folder",
        ];
        assert_eq!(*directory.calls.borrow(), expected);
    }

    #[test]
    fn an_account_that_cannot_be_made_whole_is_not_made() {
        let directory = Recording { fails_at: Some("join Administrators"), ..Recording::default() };
        assert!(make(&directory, &odile(), Some("spar")).is_err());
        let calls = directory.calls.borrow();
        assert_eq!(calls.first().map(String::as_str), Some("add odile spar"));
        assert_eq!(calls.last().map(String::as_str), Some("remove odile"));
        // Somebody else's account of that name is not touched.
        let directory = Recording { fails_at: Some("add"), ..Recording::default() };
        assert!(make(&directory, &odile(), None).is_err());
        assert_eq!(directory.calls.borrow().len(), 1);
    }

    #[test]
    fn an_account_that_somebody_used_stays() {
        let directory = Recording { is_used: true, ..Recording::default() };
        let refused = remove(&directory, "odile").unwrap_err();
        assert_eq!(refused.kind(), io::ErrorKind::DirectoryNotEmpty);
        assert!(directory.calls.borrow().is_empty());
        let directory = Recording::default();
        remove(&directory, "odile").unwrap();
        assert_eq!(*directory.calls.borrow(), ["remove folder", "remove odile"]);
    }
}
