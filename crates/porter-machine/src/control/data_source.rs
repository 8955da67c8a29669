//! The sources of data that a running Windows has for everybody (ODBC).

#[cfg(not(windows))]
#[path = "data_source/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "data_source/windows.rs"]
mod system;

use super::{Control, fact};
use crate::data_driver::{BITS, LISTS};
use crate::setting::windows::odbc::NAME;
use porter_names::Facts;
use std::io;

/// See the module. Its facts are those of `machine/setting/odbc/…` (`docs/settings.md`); the driver's file is
/// always the machine's own.
pub struct DataSources;

/// The part of the registry for programs of 64 or of 32 bits.
fn root_of(facts: &Facts) -> io::Result<&'static str> {
    let bits = fact(facts, BITS)?;
    let wrong = || io::Error::new(io::ErrorKind::InvalidData, "it is neither of 64 bits nor of 32");
    LISTS.iter().find_map(|(known, root)| (*known == bits).then_some(*root)).ok_or_else(wrong)
}

impl Control for DataSources {
    fn name(&self) -> &'static str {
        "data-source"
    }

    fn read(&self, _: &str, like: &Facts) -> io::Result<Option<Facts>> {
        system::read(fact(like, NAME)?, fact(like, BITS)?)
    }

    fn set(&self, _: &str, becomes: &Facts) -> io::Result<()> {
        system::set(becomes, root_of(becomes)?)
    }

    fn remove(&self, _: &str, made: &Facts) -> io::Result<()> {
        system::remove(fact(made, NAME)?, root_of(made)?)
    }

    fn shown(&self, _: &str, facts: &Facts) -> String {
        format!("data source {}", facts.get(NAME).map_or("", String::as_str))
    }
}
