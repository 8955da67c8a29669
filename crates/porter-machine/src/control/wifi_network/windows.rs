//! Windows' service for wireless networks, by its own interface (since Vista).
#![allow(unsafe_code, reason = "calls of the system's interface")]

use super::Wireless;
use crate::library::{done, lazily, wide};
use std::ffi::c_void;
use std::io;
use std::ptr::{null, null_mut};
use windows_sys::Win32::Foundation::{ERROR_FILE_NOT_FOUND, ERROR_NOT_FOUND, HANDLE};
use windows_sys::Win32::NetworkManagement::WiFi::{WLAN_INTERFACE_INFO_LIST, WLAN_PROFILE_GET_PLAINTEXT_KEY};
use windows_sys::core::GUID;

lazily!("wlanapi.dll" {
    fn WlanOpenHandle(version: u32, reserved: *const c_void, negotiated: *mut u32, client: *mut HANDLE) -> u32;
    fn WlanCloseHandle(client: HANDLE, reserved: *const c_void) -> u32;
    fn WlanEnumInterfaces(
        client: HANDLE,
        reserved: *const c_void,
        list: *mut *mut WLAN_INTERFACE_INFO_LIST,
    ) -> u32;
    fn WlanFreeMemory(memory: *const c_void) -> ();
    fn WlanGetProfile(
        client: HANDLE,
        card: *const GUID,
        name: *const u16,
        reserved: *const c_void,
        profile: *mut *mut u16,
        flags: *mut u32,
        access: *mut u32,
    ) -> u32;
    fn WlanSetProfile(
        client: HANDLE,
        card: *const GUID,
        flags: u32,
        profile: *const u16,
        who_may: *const u16,
        replaces: i32,
        reserved: *const c_void,
        why_not: *mut u32,
    ) -> u32;
    fn WlanDeleteProfile(client: HANDLE, card: *const GUID, name: *const u16, reserved: *const c_void) -> u32;
});

pub(super) struct Here;

impl Wireless for Here {
    fn profile(&self, name: &str) -> io::Result<Option<Vec<u8>>> {
        let service = Service::open()?;
        for card in service.cards()? {
            if let Some(profile) = service.profile(&card, name)? {
                return Ok(Some(profile.into_bytes()));
            }
        }
        Ok(None)
    }

    fn add(&self, name: &str, profile: &str) -> io::Result<()> {
        let service = Service::open()?;
        let cards = service.cards()?;
        for (at, card) in cards.iter().enumerate() {
            if let Err(cause) = service.add(card, profile) {
                for earlier in &cards[..at] {
                    let _ = service.remove(earlier, name);
                }
                return Err(cause);
            }
        }
        Ok(())
    }

    fn remove(&self, name: &str) -> io::Result<()> {
        let service = Service::open()?;
        service.cards()?.iter().try_for_each(|card| service.remove(card, name))
    }
}

/// The service, while somebody speaks to it.
struct Service(HANDLE);

impl Service {
    fn open() -> io::Result<Self> {
        /// Since Vista.
        const VERSION: u32 = 2;
        let (mut negotiated, mut client) = (0, null_mut());
        // SAFETY: two values are written back.
        done("WlanOpenHandle", unsafe { WlanOpenHandle(VERSION, null(), &mut negotiated, &mut client) })?;
        Ok(Self(client))
    }

    /// The wireless cards. Fails if there is none.
    fn cards(&self) -> io::Result<Vec<GUID>> {
        let mut list = null_mut();
        // SAFETY: the call gives a list, which is given back once.
        let cards = unsafe {
            done("WlanEnumInterfaces", WlanEnumInterfaces(self.0, null(), &mut list))?;
            let Some(rows) = list.as_ref() else { return Err(io::ErrorKind::InvalidData.into()) };
            let first = rows.InterfaceInfo.as_ptr();
            let cards = (0..rows.dwNumberOfItems as usize).map(|at| (*first.add(at)).InterfaceGuid).collect();
            WlanFreeMemory(list.cast());
            cards
        };
        let none = || io::Error::new(io::ErrorKind::NotFound, "this machine has no wireless card");
        Some(cards).filter(|cards: &Vec<GUID>| !cards.is_empty()).ok_or_else(none)
    }

    fn profile(&self, card: &GUID, name: &str) -> io::Result<Option<String>> {
        let name = wide(name);
        let (mut profile, mut flags, mut access) = (null_mut(), WLAN_PROFILE_GET_PLAINTEXT_KEY, 0);
        // SAFETY: the name ends with a NUL; so does the text that the call gives, which is given back once.
        unsafe {
            let code =
                WlanGetProfile(self.0, card, name.as_ptr(), null(), &mut profile, &mut flags, &mut access);
            if matches!(code, Some(ERROR_NOT_FOUND | ERROR_FILE_NOT_FOUND)) {
                return Ok(None);
            }
            done("WlanGetProfile", code)?;
            if profile.is_null() {
                return Err(io::ErrorKind::InvalidData.into());
            }
            let length = (0..).take_while(|at| *profile.add(*at) != 0).count();
            let text = String::from_utf16_lossy(std::slice::from_raw_parts(profile, length));
            WlanFreeMemory(profile.cast());
            Ok(Some(text))
        }
    }

    fn add(&self, card: &GUID, profile: &str) -> io::Result<()> {
        let profile = wide(profile);
        let mut why_not = 0;
        // SAFETY: the profile ends with a NUL; a number is written back.
        let code =
            unsafe { WlanSetProfile(self.0, card, 0, profile.as_ptr(), null(), 0, null(), &mut why_not) };
        done("WlanSetProfile", code)
            .map_err(|cause| io::Error::new(cause.kind(), format!("{cause} (reason {why_not:#x})")))
    }

    fn remove(&self, card: &GUID, name: &str) -> io::Result<()> {
        let name = wide(name);
        // SAFETY: the name ends with a NUL.
        match unsafe { WlanDeleteProfile(self.0, card, name.as_ptr(), null()) } {
            Some(ERROR_NOT_FOUND) => Ok(()),
            code => done("WlanDeleteProfile", code),
        }
    }
}

impl Drop for Service {
    fn drop(&mut self) {
        // SAFETY: it is closed once.
        unsafe { WlanCloseHandle(self.0, null()) };
    }
}
