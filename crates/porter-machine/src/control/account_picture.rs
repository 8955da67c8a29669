//! The picture of an account of the running Windows.

#[cfg(not(windows))]
#[path = "account_picture/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "account_picture/windows.rs"]
mod system;

use super::{Control, fact};
use crate::account_picture::{FOLDER, is_sid};
use porter_names::Facts;
use std::io;

/// See the module. Its facts are `sid`, whose it is, and `file`, the name of the picture in that person's
/// folder of pictures.
pub struct AccountPictures;

const SID: &str = "sid";
const FILE: &str = "file";

/// The registry of a Windows, as far as it names pictures.
pub trait Pictures {
    /// The path that is named for the largest size; none if there is no picture.
    fn named(&self, sid: &str) -> io::Result<Option<String>>;
    /// Names a path for every size.
    fn name(&self, sid: &str, path: &str) -> io::Result<()>;
    /// Names none.
    fn forget(&self, sid: &str) -> io::Result<()>;
}

/// The facts of one.
pub fn facts(sid: &str, file: &str) -> Facts {
    [(SID, sid), (FILE, file)].map(|(name, value)| (name.to_owned(), value.to_owned())).into()
}

/// Whose it is, and its path as Windows writes it. The facts of a journal may be anybody's.
fn place_of(facts: &Facts) -> io::Result<(&str, String)> {
    let (sid, file) = (fact(facts, SID)?, fact(facts, FILE)?);
    let is_name = !file.is_empty() && !file.contains(['\\', '/', ':', '\0']) && !file.contains("..");
    if !is_sid(sid) || !is_name {
        return Err(io::Error::new(io::ErrorKind::InvalidData, "these are no facts of a picture"));
    }
    Ok((sid, format!("C:\\{}\\{sid}\\{file}", FOLDER.replace('/', "\\"))))
}

fn present(pictures: &dyn Pictures, like: &Facts) -> io::Result<Option<Facts>> {
    let (sid, _) = place_of(like)?;
    let named = pictures.named(sid)?;
    let name_of = |path: String| path.rsplit('\\').next().unwrap_or_default().to_owned();
    Ok(named.map(|path| facts(sid, &name_of(path))))
}

fn set(pictures: &dyn Pictures, becomes: &Facts) -> io::Result<()> {
    let (sid, path) = place_of(becomes)?;
    pictures.name(sid, &path)?;
    match pictures.named(sid)? {
        Some(named) if named == path => Ok(()),
        _ => Err(io::Error::other("the system names another picture")),
    }
}

impl Control for AccountPictures {
    fn name(&self) -> &'static str {
        "account-picture"
    }

    fn read(&self, _: &str, like: &Facts) -> io::Result<Option<Facts>> {
        present(&system::Here, like)
    }

    fn set(&self, _: &str, becomes: &Facts) -> io::Result<()> {
        set(&system::Here, becomes)
    }

    fn remove(&self, _: &str, made: &Facts) -> io::Result<()> {
        system::Here.forget(place_of(made)?.0)
    }

    fn shown(&self, _: &str, facts: &Facts) -> String {
        format!("picture of the account {}", facts.get(SID).map_or("", String::as_str))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::cell::RefCell;

    /// A registry with one person, which may be closed to everybody but the system.
    #[derive(Default)]
    struct Recording(RefCell<Option<String>>, bool);

    impl Pictures for Recording {
        fn named(&self, _: &str) -> io::Result<Option<String>> {
            Ok(self.0.borrow().clone())
        }

        fn name(&self, _: &str, path: &str) -> io::Result<()> {
            if self.1 {
                return Err(io::ErrorKind::PermissionDenied.into());
            }
            *self.0.borrow_mut() = Some(path.to_owned());
            Ok(())
        }

        fn forget(&self, _: &str) -> io::Result<()> {
            *self.0.borrow_mut() = None;
            Ok(())
        }
    }

    #[test]
    fn a_picture_is_named_in_its_persons_folder_and_nowhere_else() {
        let (open, closed) = (Recording::default(), Recording(RefCell::default(), true));
        let odile = facts("S-1-5-21-1-2-3-1001", "from LOFT-PC.jpg");
        set(&open, &odile).unwrap();
        let path = "C:\\Users\\Public\\AccountPictures\\S-1-5-21-1-2-3-1001\\from LOFT-PC.jpg";
        assert_eq!(open.0.borrow().as_deref(), Some(path));
        assert_eq!(present(&open, &odile).unwrap(), Some(odile.clone()));
        assert_eq!(set(&closed, &odile).unwrap_err().kind(), io::ErrorKind::PermissionDenied);
        for (sid, file) in [
            ("S-1-5-21\\..", "a.jpg"),
            ("", "a.jpg"),
            ("S-1-", "a.jpg"),
            ("S-1-5", "..\\a.jpg"),
            ("S-1-5", "C:a.jpg"),
            ("S-1-5", ""),
        ] {
            assert!(set(&open, &facts(sid, file)).is_err(), "{sid} {file}");
        }
    }
}
