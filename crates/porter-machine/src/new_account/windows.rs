//! Windows makes accounts through its interface for users, and their folders when they first sign in, or when
//! it is asked to.
#![allow(unsafe_code, reason = "calls of the system's interface")]

use super::NewAccount;
use super::directory::{self, Directory, Group};
use crate::here::told_of_local;
use crate::layout::Family;
use crate::library::{is_wine, wide};
use std::io;
use std::path::{Path, PathBuf};
use std::ptr::{null, null_mut};
use windows_sys::Win32::NetworkManagement::NetManagement::{
    LOCALGROUP_MEMBERS_INFO_0, NetLocalGroupAddMembers, NetUserAdd, NetUserDel, NetUserSetInfo,
    UF_ACCOUNTDISABLE, UF_DONT_EXPIRE_PASSWD, UF_NORMAL_ACCOUNT, UF_PASSWD_NOTREQD, UF_SCRIPT, USER_INFO_1,
    USER_INFO_1007, USER_INFO_1008, USER_INFO_1011, USER_PRIV_USER,
};
use windows_sys::Win32::Security::Authorization::ConvertSidToStringSidW;
use windows_sys::Win32::Security::{
    CreateWellKnownSid, LookupAccountNameW, LookupAccountSidW, PSID, SID_NAME_USE,
    WinBuiltinAdministratorsSid, WinBuiltinUsersSid,
};
use windows_sys::Win32::UI::Shell::{CreateProfile, DeleteProfileW};
use windows_sys::core::PWSTR;
use winreg::RegKey;
use winreg::enums::HKEY_LOCAL_MACHINE;

/// No SID is longer (`SECURITY_MAX_SID_SIZE`).
const LONGEST_SID_IN_BYTES: usize = 68;
const PROFILES: &str = "SOFTWARE\\Microsoft\\Windows NT\\CurrentVersion\\ProfileList";
/// A person's folders, as Windows makes them in each home.
const FOLDERS: [&str; 6] = ["Desktop", "Documents", "Downloads", "Pictures", "Music", "Videos"];

pub(super) fn makes_accounts_of(family: Family, is_mounted: bool) -> bool {
    family == Family::Windows && !is_mounted
}

pub(super) fn make(
    _mounted_at: Option<&Path>,
    account: &NewAccount,
    password: Option<&str>,
) -> io::Result<()> {
    if is_wine() {
        let why = "this is not a Windows but Wine, which keeps no accounts";
        return Err(io::Error::new(io::ErrorKind::Unsupported, why));
    }
    directory::make(&OfWindows, account, password)
}

pub(super) fn has(name: &str) -> io::Result<bool> {
    Ok(told_of_local(name).is_some())
}

pub(super) fn remove(name: &str) -> io::Result<()> {
    directory::remove(&OfWindows, name)
}

struct OfWindows;

impl Directory for OfWindows {
    fn add(&self, name: &str, password: Option<&str>) -> io::Result<()> {
        let (mut wide_name, mut wide_password) = (wide(name), wide(password.unwrap_or_default()));
        let flags = if password.is_some() { 0 } else { UF_PASSWD_NOTREQD | UF_ACCOUNTDISABLE };
        let info = USER_INFO_1 {
            usri1_name: wide_name.as_mut_ptr(),
            usri1_password: wide_password.as_mut_ptr(),
            usri1_password_age: 0,
            usri1_priv: USER_PRIV_USER,
            usri1_home_dir: null_mut(),
            usri1_comment: null_mut(),
            usri1_flags: UF_SCRIPT | UF_NORMAL_ACCOUNT | flags,
            usri1_script_path: null_mut(),
        };
        // SAFETY: the structure is of level 1, and its texts end with a NUL and live until the call is over.
        let done = unsafe { NetUserAdd(null(), 1, (&raw const info).cast(), null_mut()) };
        // No copy of the password stays.
        wide_password.fill(0);
        result("NetUserAdd", done)
    }

    fn set_full_name(&self, name: &str, full_name: &str) -> io::Result<()> {
        let mut text = wide(full_name);
        let info = USER_INFO_1011 { usri1011_full_name: text.as_mut_ptr() };
        set_info(name, 1011, (&raw const info).cast())
    }

    fn set_comment(&self, name: &str, comment: &str) -> io::Result<()> {
        let mut text = wide(comment);
        let info = USER_INFO_1007 { usri1007_comment: text.as_mut_ptr() };
        set_info(name, 1007, (&raw const info).cast())
    }

    fn let_password_stay(&self, name: &str) -> io::Result<()> {
        let flags = crate::here::flags_of_local(name).ok_or(io::ErrorKind::NotFound)?;
        let info = USER_INFO_1008 { usri1008_flags: flags | UF_DONT_EXPIRE_PASSWD };
        set_info(name, 1008, (&raw const info).cast())
    }

    fn join(&self, name: &str, group: Group) -> io::Result<()> {
        /// `ERROR_MEMBER_IN_ALIAS`.
        const IS_IN_IT: u32 = 1378;
        let mut sid = sid_of(name)?;
        let member = LOCALGROUP_MEMBERS_INFO_0 { lgrmi0_sid: sid.as_mut_ptr().cast() };
        let group = name_of_group(group)?;
        // SAFETY: the group's name ends with a NUL, and the member lives until the call is over.
        let done =
            unsafe { NetLocalGroupAddMembers(null(), group.as_ptr(), 0, (&raw const member).cast(), 1) };
        if done == IS_IN_IT { Ok(()) } else { result("NetLocalGroupAddMembers", done) }
    }

    fn make_folder(&self, name: &str) -> io::Result<()> {
        let (mut sid, wide_name) = (text_sid_of(name)?, wide(name));
        let mut path = [0_u16; 1024];
        // SAFETY: the texts end with a NUL; the path's buffer is as long as is said.
        let done = unsafe {
            CreateProfile(sid.as_mut_ptr(), wide_name.as_ptr(), path.as_mut_ptr(), path.len() as u32)
        };
        if done >= 0 { Ok(()) } else { result("CreateProfile", done.cast_unsigned() & 0xffff) }
    }

    fn is_used(&self, name: &str) -> io::Result<bool> {
        if told_of_local(name).is_some_and(|told| told.last_signed_in_utc.is_some()) {
            return Ok(true);
        }
        let Some(home) = folder_of(name)? else { return Ok(false) };
        for folder in FOLDERS {
            if holds_files(&home.join(folder))? {
                return Ok(true);
            }
        }
        Ok(false)
    }

    fn remove_folder(&self, name: &str) -> io::Result<()> {
        let sid = text_sid_of(name)?;
        // SAFETY: the text ends with a NUL.
        match unsafe { DeleteProfileW(sid.as_ptr(), null(), null()) } {
            0 => Err(last_error("DeleteProfile")),
            _ => Ok(()),
        }
    }

    fn remove(&self, name: &str) -> io::Result<()> {
        let name = wide(name);
        // SAFETY: the name ends with a NUL.
        result("NetUserDel", unsafe { NetUserDel(null(), name.as_ptr()) })
    }
}

fn set_info(name: &str, level: u32, info: *const u8) -> io::Result<()> {
    let name = wide(name);
    let mut wrong_field = 0;
    // SAFETY: the structure is of that level, and its texts end with a NUL and live until the call is over.
    result("NetUserSetInfo", unsafe {
        NetUserSetInfo(null(), name.as_ptr(), level, info.cast(), &mut wrong_field)
    })
}

fn sid_of(name: &str) -> io::Result<[u8; LONGEST_SID_IN_BYTES]> {
    let name = wide(name);
    let mut sid = [0_u8; LONGEST_SID_IN_BYTES];
    let (mut sid_length, mut domain_length, mut kind): (u32, u32, SID_NAME_USE) = (sid.len() as u32, 256, 0);
    let mut domain = [0_u16; 256];
    // SAFETY: the buffers are as long as is said.
    let found = unsafe {
        LookupAccountNameW(
            null(),
            name.as_ptr(),
            sid.as_mut_ptr().cast(),
            &mut sid_length,
            domain.as_mut_ptr(),
            &mut domain_length,
            &mut kind,
        )
    };
    if found == 0 { Err(last_error("LookupAccountName")) } else { Ok(sid) }
}

/// As text, with a NUL at its end.
fn text_sid_of(name: &str) -> io::Result<Vec<u16>> {
    let mut sid = sid_of(name)?;
    let mut text: PWSTR = null_mut();
    // SAFETY: the text ends with a NUL, and is freed after its last use.
    unsafe {
        if ConvertSidToStringSidW(sid.as_mut_ptr().cast(), &mut text) == 0 {
            return Err(last_error("ConvertSidToStringSid"));
        }
        let units = (0..).take_while(|at| *text.add(*at) != 0).count();
        let copy = std::slice::from_raw_parts(text, units + 1).to_vec();
        windows_sys::Win32::Foundation::LocalFree(text.cast());
        Ok(copy)
    }
}

/// The group's name in this Windows' language, with a NUL at its end.
fn name_of_group(group: Group) -> io::Result<Vec<u16>> {
    let kind = match group {
        Group::Users => WinBuiltinUsersSid,
        Group::Administrators => WinBuiltinAdministratorsSid,
    };
    let mut group_sid = [0_u8; LONGEST_SID_IN_BYTES];
    let (mut name, mut domain) = ([0_u16; 256], [0_u16; 256]);
    let (mut sid_length, mut name_length, mut domain_length, mut use_of): (u32, u32, u32, SID_NAME_USE) =
        (group_sid.len() as u32, 256, 256, 0);
    let sid: PSID = group_sid.as_mut_ptr().cast();
    // SAFETY: the buffers are as long as is said.
    let found = unsafe {
        CreateWellKnownSid(kind, null_mut(), sid, &mut sid_length) != 0
            && LookupAccountSidW(
                null(),
                sid,
                name.as_mut_ptr(),
                &mut name_length,
                domain.as_mut_ptr(),
                &mut domain_length,
                &mut use_of,
            ) != 0
    };
    if !found {
        return Err(last_error("LookupAccountSid"));
    }
    Ok(name.get(..=name_length as usize).unwrap_or(&name).to_vec())
}

/// By the list of profiles.
fn folder_of(name: &str) -> io::Result<Option<PathBuf>> {
    let sid = text_sid_of(name)?;
    let sid = String::from_utf16_lossy(&sid);
    let key = format!("{PROFILES}\\{}", sid.trim_end_matches('\0'));
    let Ok(key) = RegKey::predef(HKEY_LOCAL_MACHINE).open_subkey(key) else { return Ok(None) };
    let path = key.get_value::<String, _>("ProfileImagePath")?;
    let drive = std::env::var("SystemDrive").unwrap_or_else(|_| "C:".to_owned());
    Ok(Some(PathBuf::from(path.replace("%SystemDrive%", &drive))))
}

/// True if a file is in the folder, however deep, but Windows' own `desktop.ini`.
fn holds_files(folder: &Path) -> io::Result<bool> {
    let rows = match std::fs::read_dir(folder) {
        Ok(rows) => rows,
        Err(cause) if cause.kind() == io::ErrorKind::NotFound => return Ok(false),
        Err(cause) => return Err(cause),
    };
    for row in rows {
        let row = row?;
        let kind = row.file_type()?;
        if kind.is_dir() {
            if holds_files(&row.path())? {
                return Ok(true);
            }
        } else if kind.is_file() && !row.file_name().eq_ignore_ascii_case("desktop.ini") {
            return Ok(true);
        }
    }
    Ok(false)
}

fn result(doing: &str, code: u32) -> io::Result<()> {
    if code == 0 {
        return Ok(());
    }
    let cause = io::Error::from_raw_os_error(code.cast_signed());
    Err(io::Error::new(cause.kind(), format!("{doing}: {cause}")))
}

fn last_error(doing: &str) -> io::Error {
    let cause = io::Error::last_os_error();
    io::Error::new(cause.kind(), format!("{doing}: {cause}"))
}
