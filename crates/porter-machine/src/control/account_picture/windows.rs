//! Windows names a picture for each size in its registry, where mostly the system alone may write.

use super::Pictures;
use std::io;
use winreg::RegKey;
use winreg::enums::HKEY_LOCAL_MACHINE;

const USERS: &str = "SOFTWARE\\Microsoft\\Windows\\CurrentVersion\\AccountPicture\\Users";
/// The sizes that Windows 10 names; earlier ones know some of them.
const SIZES: [u32; 9] = [32, 40, 48, 64, 96, 192, 208, 240, 1080];

pub(super) struct Here;

fn value_of(size: u32) -> String {
    format!("Image{size}")
}

impl Pictures for Here {
    fn named(&self, sid: &str) -> io::Result<Option<String>> {
        let machine = RegKey::predef(HKEY_LOCAL_MACHINE);
        match machine.open_subkey(format!("{USERS}\\{sid}")) {
            Ok(key) => Ok(SIZES.iter().rev().find_map(|size| key.get_value(value_of(*size)).ok())),
            Err(cause) if cause.kind() == io::ErrorKind::NotFound => Ok(None),
            Err(cause) => Err(cause),
        }
    }

    fn name(&self, sid: &str, path: &str) -> io::Result<()> {
        let machine = RegKey::predef(HKEY_LOCAL_MACHINE);
        let (key, _) = machine.create_subkey(format!("{USERS}\\{sid}"))?;
        SIZES.iter().try_for_each(|size| key.set_value(value_of(*size), &path))
    }

    fn forget(&self, sid: &str) -> io::Result<()> {
        let machine = RegKey::predef(HKEY_LOCAL_MACHINE);
        let writing = winreg::enums::KEY_SET_VALUE;
        let key = machine.open_subkey_with_flags(format!("{USERS}\\{sid}"), writing)?;
        for size in SIZES {
            match key.delete_value(value_of(size)) {
                Err(cause) if cause.kind() != io::ErrorKind::NotFound => return Err(cause),
                _ => {}
            }
        }
        Ok(())
    }
}
