//! Windows has them in its registry, and each program reads them there when it asks for one.

use crate::data_driver::{BITS, driver_of, drivers};
use crate::setting::windows::odbc::{NAME, SOURCES, SOURCES_KEY, of_machine, values_of};
use crate::setting::windows::own::Own;
use porter_names::Facts;
use std::io;
use winreg::enums::{HKEY_LOCAL_MACHINE, KEY_SET_VALUE, RegType};
use winreg::{RegKey, RegValue};

fn software() -> io::Result<RegKey> {
    RegKey::predef(HKEY_LOCAL_MACHINE).open_subkey("SOFTWARE")
}

pub(super) fn read(name: &str, bits: &str) -> io::Result<Option<Facts>> {
    let software = software()?;
    let is = |facts: &Facts, fact: &str, value: &str| {
        facts.get(fact).is_some_and(|known| known.eq_ignore_ascii_case(value))
    };
    let mut sources = of_machine(&Own::new(&software)).into_iter().map(|source| source.facts);
    Ok(sources.find(|facts| is(facts, NAME, name) && is(facts, BITS, bits)))
}

pub(super) fn set(becomes: &Facts, root: &str) -> io::Result<()> {
    let (name, bits) = (super::fact(becomes, NAME)?, super::fact(becomes, BITS)?);
    if read(name, bits)?.is_some() {
        return Err(io::ErrorKind::AlreadyExists.into());
    }
    let software = software()?;
    let all = drivers(&Own::new(&software));
    let missing = || io::Error::other("its driver is not installed for such programs");
    let driver = driver_of(becomes, &all).ok_or_else(missing)?;
    let keys = values_of(becomes, &driver.file, root);
    if keys.is_empty() {
        return Err(io::Error::new(io::ErrorKind::InvalidData, "it has no name that a source may have"));
    }
    for values in keys {
        let (key, _) = software.create_subkey(&values.key)?;
        for value in values.values {
            let value_of_text = RegValue { bytes: value.data.into(), vtype: RegType::REG_SZ };
            key.set_raw_value(&value.name, &value_of_text)?;
        }
    }
    Ok(())
}

/// A name leads to its own key alone.
pub(super) fn remove(name: &str, root: &str) -> io::Result<()> {
    if name.is_empty() || name.contains('\\') {
        return Err(io::Error::new(io::ErrorKind::InvalidData, "it has no name that a source may have"));
    }
    let sources = software()?.open_subkey(format!("{root}{SOURCES_KEY}"))?;
    sources.open_subkey_with_flags(SOURCES, KEY_SET_VALUE)?.delete_value(name)?;
    sources.delete_subkey(name)
}
