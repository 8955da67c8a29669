//! The drivers of printers that a running Windows has. One is installed from a package whose files lie on the
//! machine: the system takes it into its store, where it proves the package's signature, and from there into
//! the print system.

#[cfg(not(windows))]
#[path = "printer_driver/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "printer_driver/windows.rs"]
mod system;

use super::{Control, fact};
use crate::registry::printer_driver::environment_of;
use porter_names::{Facts, RelativePath};
use porter_trunk::ContentHash;
use std::io;

/// See the module. Its facts are [`DRIVER`], [`PROCESSOR`], [`INF`], [`BLAKE3`] and, if the package was not
/// in the store before, [`PACKAGE_ADDED`].
pub struct PrinterDrivers;

/// The fact that names the driver.
pub const DRIVER: &str = "driver";
/// The fact that says for which processor: `x64`, `x86` or `arm64`.
pub const PROCESSOR: &str = "processor";
/// The fact that says where the package's setup information lies, below the root of the system's drive.
pub const INF: &str = "inf";
/// The fact that has the BLAKE3 hash of the setup information.
pub const BLAKE3: &str = "blake3";
/// The fact that says that an undo removes the package from the store, too.
pub const PACKAGE_ADDED: &str = "package-added";

/// The print system of a Windows, as far as its drivers go: a function for each of its calls. An environment
/// is the print system's name for a kind of processor: `Windows x64`.
pub trait DriverStore {
    /// The path of the setup information that a driver came from, empty for one without; none if there is no
    /// such driver.
    fn origin(&self, driver: &str, environment: &str) -> io::Result<Option<String>>;
    /// Takes the package of a setup information into the store, if the system trusts its signature, and
    /// returns the path of the setup information there.
    fn take_in(&self, inf: &RelativePath, environment: &str) -> io::Result<String>;
    /// The content of a setup information in the store.
    fn content(&self, inf_in_store: &str) -> io::Result<Vec<u8>>;
    /// Installs a driver from the store.
    fn install(&self, inf_in_store: &str, driver: &str, environment: &str) -> io::Result<()>;
    /// Removes a driver that no printer uses.
    fn delete(&self, driver: &str, environment: &str) -> io::Result<()>;
    /// Removes a package from the store.
    fn delete_package(&self, inf_in_store: &str, environment: &str) -> io::Result<()>;
}

/// The kind of processor that the running Windows is for, whatever porter itself was built for; none
/// elsewhere.
pub fn processor() -> Option<&'static str> {
    system::processor()
}

fn environment(facts: &Facts) -> io::Result<&'static str> {
    let wrong = || io::Error::new(io::ErrorKind::InvalidData, "there is no such processor");
    environment_of(fact(facts, PROCESSOR)?).ok_or_else(wrong)
}

fn read(store: &dyn DriverStore, like: &Facts) -> io::Result<Option<Facts>> {
    let origin = store.origin(fact(like, DRIVER)?, environment(like)?)?;
    Ok(origin.map(|_| like.clone()))
}

fn set(store: &dyn DriverStore, becomes: &Facts) -> io::Result<()> {
    let (driver, environment) = (fact(becomes, DRIVER)?, environment(becomes)?);
    let wrong = |cause| io::Error::new(io::ErrorKind::InvalidData, cause);
    let inf = RelativePath::from_bytes(fact(becomes, INF)?.as_bytes()).map_err(wrong)?;
    if store.origin(driver, environment)?.is_some() {
        return Err(io::ErrorKind::AlreadyExists.into());
    }
    let in_store = store.take_in(&inf, environment)?;
    let install = || {
        // Somebody may have put another one in its place after it landed.
        if ContentHash::of(&store.content(&in_store)?).to_string() != fact(becomes, BLAKE3)? {
            return Err(io::Error::other("the store has other setup information than the trunk"));
        }
        store.install(&in_store, driver, environment)?;
        match store.origin(driver, environment)? {
            Some(_) => Ok(()),
            None => Err(io::Error::other("the print system does not know it afterwards")),
        }
    };
    let installed = install();
    if installed.is_err() && becomes.contains_key(PACKAGE_ADDED) {
        let _ = store.delete_package(&in_store, environment);
    }
    installed
}

/// The package goes after the driver that came from it.
fn remove(store: &dyn DriverStore, made: &Facts) -> io::Result<()> {
    let (driver, environment) = (fact(made, DRIVER)?, environment(made)?);
    let Some(in_store) = store.origin(driver, environment)? else { return Ok(()) };
    // The facts of a journal may be anybody's: only the driver that was installed is removed.
    if ContentHash::of(&store.content(&in_store)?).to_string() != fact(made, BLAKE3)? {
        return Err(io::Error::other("a driver of that name came from elsewhere since"));
    }
    store.delete(driver, environment)?;
    if made.contains_key(PACKAGE_ADDED) {
        store.delete_package(&in_store, environment)?;
    }
    Ok(())
}

impl Control for PrinterDrivers {
    fn name(&self) -> &'static str {
        "printer-driver"
    }

    fn read(&self, _: &str, like: &Facts) -> io::Result<Option<Facts>> {
        read(&system::Here, like)
    }

    fn set(&self, _: &str, becomes: &Facts) -> io::Result<()> {
        set(&system::Here, becomes)
    }

    fn remove(&self, _: &str, made: &Facts) -> io::Result<()> {
        remove(&system::Here, made)
    }

    fn shown(&self, _: &str, facts: &Facts) -> String {
        format!("driver {}", facts.get(DRIVER).map_or("", String::as_str))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::cell::RefCell;

    const INF_IN_STORE: &str = "C:\\store\\sail200.inf";
    const SAIL: &[u8] = b"[Version]\nClass=Printer\n";

    /// A print system that writes down what it is asked to do. It may take a package for another one, trust
    /// none, or be closed to a driver.
    #[derive(Default)]
    struct Recording {
        done: RefCell<Vec<String>>,
        has: RefCell<bool>,
        trusts_none: bool,
        takes_none: bool,
        other: bool,
    }

    impl DriverStore for Recording {
        fn origin(&self, _: &str, _: &str) -> io::Result<Option<String>> {
            Ok(self.has.borrow().then(|| INF_IN_STORE.to_owned()))
        }

        fn take_in(&self, inf: &RelativePath, environment: &str) -> io::Result<String> {
            self.done.borrow_mut().push(format!("take in {inf} for {environment}"));
            if self.trusts_none { Err(io::Error::other("0x800b0109")) } else { Ok(INF_IN_STORE.to_owned()) }
        }

        fn content(&self, _: &str) -> io::Result<Vec<u8>> {
            Ok(if self.other { b"another".to_vec() } else { SAIL.to_vec() })
        }

        fn install(&self, inf: &str, driver: &str, _: &str) -> io::Result<()> {
            self.done.borrow_mut().push(format!("install {driver} from {inf}"));
            *self.has.borrow_mut() = !self.takes_none;
            Ok(())
        }

        fn delete(&self, driver: &str, _: &str) -> io::Result<()> {
            self.done.borrow_mut().push(format!("delete {driver}"));
            *self.has.borrow_mut() = false;
            Ok(())
        }

        fn delete_package(&self, inf: &str, _: &str) -> io::Result<()> {
            self.done.borrow_mut().push(format!("delete {inf}"));
            Ok(())
        }
    }

    fn laser() -> Facts {
        let hash = ContentHash::of(SAIL).to_string();
        let facts = [
            (DRIVER, "Laser"),
            (PROCESSOR, "x64"),
            (INF, "Users/Public/Documents/sail200.inf"),
            (BLAKE3, &hash),
            (PACKAGE_ADDED, "yes"),
        ];
        facts.map(|(name, value)| (name.to_owned(), value.to_owned())).into()
    }

    #[test]
    fn a_driver_comes_by_way_of_the_store_and_goes_with_its_package() {
        let system = Recording::default();
        set(&system, &laser()).unwrap();
        assert_eq!(read(&system, &laser()).unwrap(), Some(laser()));
        assert_eq!(set(&system, &laser()).unwrap_err().kind(), io::ErrorKind::AlreadyExists);
        remove(&system, &laser()).unwrap();
        let expected = [
            "take in Users/Public/Documents/sail200.inf for Windows x64",
            "install Laser from C:\\store\\sail200.inf",
            "delete Laser",
            "delete C:\\store\\sail200.inf",
        ];
        assert_eq!(*system.done.borrow(), expected);
        assert_eq!(read(&system, &laser()).unwrap(), None);
    }

    #[test]
    fn what_the_system_does_not_trust_or_another_put_there_is_not_installed() {
        let untrusted = Recording { trusts_none: true, ..Recording::default() };
        assert!(set(&untrusted, &laser()).is_err());
        assert_eq!(untrusted.done.borrow().len(), 1, "nothing is installed or deleted");
        let exchanged = Recording { other: true, ..Recording::default() };
        assert!(set(&exchanged, &laser()).is_err());
        assert_eq!(exchanged.done.borrow()[1..], ["delete C:\\store\\sail200.inf"]);
        let closed = Recording { takes_none: true, ..Recording::default() };
        assert!(set(&closed, &laser()).unwrap_err().to_string().contains("does not know it"));
        // A driver that came from elsewhere since, and facts of a hostile journal.
        let updated = Recording { has: true.into(), other: true, ..Recording::default() };
        assert!(remove(&updated, &laser()).is_err());
        assert!(updated.done.borrow().is_empty());
        for (name, value) in [(PROCESSOR, "Windows x64\\.."), (INF, "../x.inf")] {
            let mut facts = laser();
            facts.insert(name.to_owned(), value.to_owned());
            let system = Recording::default();
            assert!(set(&system, &facts).is_err(), "{value}");
            assert!(system.done.borrow().is_empty(), "{value}");
        }
    }
}
