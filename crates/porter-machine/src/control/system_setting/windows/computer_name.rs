//! The name of the PC: `SetComputerNameEx`. It counts from the next start on.

use super::wrong;
use crate::computer_name::fits;
use crate::layout::Family;
use crate::library::wide;
use std::io;
use windows_sys::Win32::System::SystemInformation::{ComputerNamePhysicalDnsHostname, SetComputerNameExW};
use winreg::RegKey;
use winreg::enums::HKEY_LOCAL_MACHINE;

const NAME: &str = "SYSTEM\\CurrentControlSet\\Control\\ComputerName\\ComputerName";
const NETWORK: &str = "SYSTEM\\CurrentControlSet\\Services\\Tcpip\\Parameters";

/// The one from the next start on.
pub(super) fn read() -> io::Result<Option<String>> {
    let name: String = RegKey::predef(HKEY_LOCAL_MACHINE).open_subkey(NAME)?.get_value("ComputerName")?;
    Ok(Some(name))
}

#[allow(unsafe_code, reason = "a call of the system's interface")]
pub(super) fn set(name: &str) -> io::Result<()> {
    if !fits(name, Family::Windows) {
        return Err(wrong(format!("Windows takes no name like `{name}`")));
    }
    let network = RegKey::predef(HKEY_LOCAL_MACHINE).open_subkey(NETWORK);
    let domain: String = network.and_then(|key| key.get_value("Domain")).unwrap_or_default();
    if !domain.is_empty() {
        return Err(wrong(format!("the PC is a member of {domain}: its administrator has to rename it")));
    }
    let name = wide(name);
    // SAFETY: the name ends with a NUL.
    match unsafe { SetComputerNameExW(ComputerNamePhysicalDnsHostname, name.as_ptr()) } {
        0 => Err(io::Error::last_os_error()),
        _ => Ok(()),
    }
}
