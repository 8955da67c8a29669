//! Windows shares folders by its interface for networks; what is shared stands in its registry.
#![allow(unsafe_code, reason = "calls of the system's interface")]

use super::Sharing;
use crate::library::{done, is_wine, lazily, wide};
use crate::registry::RegistryKey;
use crate::shared_folder::{NAME, of_machine};
use porter_names::Facts;
use std::io;
use std::path::Path;
use std::ptr::{null, null_mut};
use windows_sys::Win32::Storage::FileSystem::SHARE_INFO_502;
use winreg::RegKey;
use winreg::enums::HKEY_LOCAL_MACHINE;

lazily!("netapi32.dll" {
    fn NetShareAdd(server: *const u16, level: u32, share: *const u8, wrong_field: *mut u32) -> u32;
    fn NetShareDel(server: *const u16, name: *const u16, reserved: u32) -> u32;
});

pub(super) struct Here;

impl Sharing for Here {
    fn present(&self, name: &str) -> io::Result<Option<Facts>> {
        let set = RegKey::predef(HKEY_LOCAL_MACHINE).subkey("SYSTEM\\CurrentControlSet");
        let set = set.ok_or(io::ErrorKind::NotFound)?;
        let is_it = |facts: &Facts| facts.get(NAME).is_some_and(|known| known.eq_ignore_ascii_case(name));
        Ok(of_machine(&set).into_iter().map(|share| share.facts).find(is_it))
    }

    fn add(&self, name: &str, folder: &str, comment: &str, descriptor: &[u8]) -> io::Result<()> {
        /// As many as want to, at once.
        const EVERYBODY: u32 = u32::MAX;
        if is_wine() {
            let why = "this is not a Windows but Wine, which shares no folders";
            return Err(io::Error::new(io::ErrorKind::Unsupported, why));
        }
        if !Path::new(folder).is_dir() {
            return Err(io::Error::new(io::ErrorKind::NotFound, format!("the folder {folder} is not there")));
        }
        let (mut name, mut folder, mut comment) = (wide(name), wide(folder), wide(comment));
        let mut descriptor = descriptor.to_vec();
        let share = SHARE_INFO_502 {
            shi502_netname: name.as_mut_ptr(),
            shi502_remark: comment.as_mut_ptr(),
            shi502_max_uses: EVERYBODY,
            shi502_path: folder.as_mut_ptr(),
            shi502_security_descriptor: descriptor.as_mut_ptr().cast(),
            // The rest is for other levels, and for shares with one password.
            ..SHARE_INFO_502::default()
        };
        // SAFETY: the structure is of level 502, its texts end with a NUL, and all lives until the end.
        done("NetShareAdd", unsafe { NetShareAdd(null(), 502, (&raw const share).cast(), null_mut()) })
    }

    fn end(&self, name: &str) -> io::Result<()> {
        let name = wide(name);
        // SAFETY: the name ends with a NUL.
        done("NetShareDel", unsafe { NetShareDel(null(), name.as_ptr(), 0) })
    }
}
