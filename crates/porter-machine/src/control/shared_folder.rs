//! A folder of the running Windows that other machines may use.

#[cfg(not(windows))]
#[path = "shared_folder/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "shared_folder/windows.rs"]
mod system;

use super::{Control, fact};
use crate::shared_folder::{COMMENT, FOLDER, NAME, is_same, rights_of};
use porter_formats::security_descriptor::with_rights;
use porter_names::Facts;
use std::io;

/// See the module. Its facts are those of a shared folder (`docs/settings.md`), with the numbers of those who
/// have rights.
pub struct SharedFolders;

/// The calls of a Windows that shares folders.
pub trait Sharing {
    /// The share of that name as it is.
    fn present(&self, name: &str) -> io::Result<Option<Facts>>;
    /// Shares a folder.
    fn add(&self, name: &str, folder: &str, comment: &str, descriptor: &[u8]) -> io::Result<()>;
    /// Ends a share; the folder stays.
    fn end(&self, name: &str) -> io::Result<()>;
}

/// Shares a folder that no share of that name has, and asks again. One that came out otherwise is ended.
fn share(sharing: &dyn Sharing, becomes: &Facts) -> io::Result<()> {
    let (name, folder) = (fact(becomes, NAME)?, fact(becomes, FOLDER)?);
    if sharing.present(name)?.is_some() {
        return Err(io::ErrorKind::AlreadyExists.into());
    }
    let rights = rights_of(becomes);
    let wrong = || io::Error::new(io::ErrorKind::InvalidData, "nobody would have a right to it");
    let descriptor =
        with_rights(&rights).filter(|_| rights.iter().any(|right| !right.is_denied)).ok_or_else(wrong)?;
    sharing.add(name, folder, becomes.get(COMMENT).map_or("", String::as_str), &descriptor)?;
    match sharing.present(name) {
        Ok(Some(now)) if is_same(&now, becomes) => Ok(()),
        _ => {
            let _ = sharing.end(name);
            Err(io::Error::other("it was shared otherwise than it should be, and is not shared any more"))
        }
    }
}

/// Ends a share that is still as it was made.
fn unshare(sharing: &dyn Sharing, made: &Facts) -> io::Result<()> {
    let name = fact(made, NAME)?;
    match sharing.present(name)? {
        Some(now) if is_same(&now, made) => sharing.end(name),
        Some(_) => Err(io::ErrorKind::DirectoryNotEmpty.into()),
        None => Ok(()),
    }
}

impl Control for SharedFolders {
    fn name(&self) -> &'static str {
        "shared-folder"
    }

    fn read(&self, _: &str, like: &Facts) -> io::Result<Option<Facts>> {
        system::Here.present(fact(like, NAME)?)
    }

    fn set(&self, _: &str, becomes: &Facts) -> io::Result<()> {
        share(&system::Here, becomes)
    }

    fn remove(&self, _: &str, made: &Facts) -> io::Result<()> {
        unshare(&system::Here, made)
    }

    fn shown(&self, _: &str, facts: &Facts) -> String {
        format!("shared folder {}", facts.get(NAME).map_or("", String::as_str))
    }

    fn is_same(&self, one: &Facts, other: &Facts) -> bool {
        is_same(one, other)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::cell::RefCell;

    /// Writes down what it is asked for.
    #[derive(Default)]
    struct Recording {
        calls: RefCell<Vec<String>>,
        there: RefCell<Option<Facts>>,
        /// Windows leaves out what it does not know.
        forgets: bool,
    }

    impl Sharing for Recording {
        fn present(&self, _: &str) -> io::Result<Option<Facts>> {
            Ok(self.there.borrow().clone())
        }

        fn add(&self, name: &str, folder: &str, comment: &str, descriptor: &[u8]) -> io::Result<()> {
            self.calls.borrow_mut().push(format!("add {name} {folder} {comment} {}", descriptor.len()));
            let mut facts = plans();
            if self.forgets {
                facts.remove("read");
            }
            *self.there.borrow_mut() = Some(facts);
            Ok(())
        }

        fn end(&self, name: &str) -> io::Result<()> {
            self.calls.borrow_mut().push(format!("end {name}"));
            *self.there.borrow_mut() = None;
            Ok(())
        }
    }

    fn plans() -> Facts {
        let facts = [
            ("name", "plans"),
            ("folder", "C:\\Kite Plans"),
            ("comment", "for all"),
            ("full", "S-1-5-32-544"),
            ("read", "S-1-1-0"),
        ];
        facts.map(|(name, value)| (name.to_owned(), value.to_owned())).into()
    }

    #[test]
    fn a_folder_is_shared_with_its_rights_or_not_at_all() {
        let sharing = Recording::default();
        share(&sharing, &plans()).unwrap();
        assert_eq!(*sharing.calls.borrow(), ["add plans C:\\Kite Plans for all 72"]);
        // One of that name that is there stays as it is.
        assert_eq!(share(&sharing, &plans()).unwrap_err().kind(), io::ErrorKind::AlreadyExists);
        unshare(&sharing, &plans()).unwrap();
        assert_eq!(sharing.calls.borrow().last().map(String::as_str), Some("end plans"));
        unshare(&sharing, &plans()).unwrap();

        let forgetful = Recording { forgets: true, ..Recording::default() };
        assert!(share(&forgetful, &plans()).is_err() && forgetful.there.borrow().is_none());
        let mut nobody = plans();
        nobody.retain(|name, _| !["full", "read"].contains(&name.as_str()));
        assert!(share(&Recording::default(), &nobody).is_err());
        // Somebody has changed it since.
        let changed = Recording::default();
        *changed.there.borrow_mut() = Some(nobody);
        assert_eq!(unshare(&changed, &plans()).unwrap_err().kind(), io::ErrorKind::DirectoryNotEmpty);
    }
}
