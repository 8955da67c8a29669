//! Where a program of the running Windows is installed, as it registers itself (*App Paths*).

use std::path::PathBuf;

/// The program of this name, such as `outlook.exe`. None if none is registered; on other systems always.
#[cfg(windows)]
pub fn registered_program(name: &str) -> Option<PathBuf> {
    use winreg::RegKey;
    use winreg::enums::{HKEY_CURRENT_USER, HKEY_LOCAL_MACHINE};
    let key = format!(r"Software\Microsoft\Windows\CurrentVersion\App Paths\{name}");
    [HKEY_CURRENT_USER, HKEY_LOCAL_MACHINE].into_iter().find_map(|root| {
        let path: String = RegKey::predef(root).open_subkey(&key).ok()?.get_value("").ok()?;
        let path = PathBuf::from(path.trim_matches('"'));
        path.is_file().then_some(path)
    })
}

/// See above.
#[cfg(not(windows))]
pub fn registered_program(_name: &str) -> Option<PathBuf> {
    None
}
