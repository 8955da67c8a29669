//! The drivers of a Windows, by its print system's own interface.

use super::DriverStore;
use crate::registry::RegistryKey;
use crate::registry::printer_driver::origin_of;
use crate::spooler;
use porter_names::RelativePath;
use porter_names::host::to_host;
use std::io::{self, Read};
use std::path::Path;
use winreg::RegKey;
use winreg::enums::HKEY_LOCAL_MACHINE;

/// Setup information is not longer.
const LONGEST_INF_IN_BYTES: u64 = 8 << 20;

pub(super) struct Here;

/// As the system says to programs: a porter of 32 bits on a Windows of 64 is told of its own otherwise.
pub(super) fn processor() -> Option<&'static str> {
    let key = "SYSTEM\\CurrentControlSet\\Control\\Session Manager\\Environment";
    let name = RegKey::predef(HKEY_LOCAL_MACHINE).subkey(key)?.text("PROCESSOR_ARCHITECTURE")?;
    let known = [("AMD64", "x64"), ("x86", "x86"), ("ARM64", "arm64")];
    known.iter().find_map(|(theirs, ours)| theirs.eq_ignore_ascii_case(&name).then_some(*ours))
}

impl DriverStore for Here {
    fn origin(&self, driver: &str, environment: &str) -> io::Result<Option<String>> {
        let set = RegKey::predef(HKEY_LOCAL_MACHINE).open_subkey("SYSTEM\\CurrentControlSet")?;
        Ok(origin_of(&set, environment, driver))
    }

    fn take_in(&self, inf: &RelativePath, environment: &str) -> io::Result<String> {
        let drive = std::env::var("SystemDrive").unwrap_or_else(|_| "C:".to_owned());
        let wrong = |cause| io::Error::new(io::ErrorKind::InvalidData, cause);
        let path = to_host(Path::new(&format!("{drive}\\")), inf).map_err(wrong)?;
        spooler::take_in_package(&path, environment)
    }

    fn content(&self, inf_in_store: &str) -> io::Result<Vec<u8>> {
        let mut content = Vec::new();
        std::fs::File::open(inf_in_store)?.take(LONGEST_INF_IN_BYTES).read_to_end(&mut content)?;
        Ok(content)
    }

    fn install(&self, inf_in_store: &str, driver: &str, environment: &str) -> io::Result<()> {
        spooler::install_driver(inf_in_store, driver, environment)
    }

    fn delete(&self, driver: &str, environment: &str) -> io::Result<()> {
        spooler::delete_driver(driver, environment)
    }

    fn delete_package(&self, inf_in_store: &str, environment: &str) -> io::Result<()> {
        spooler::delete_package(inf_in_store, environment)
    }
}
