//! Accounts by Windows' own interface.

use crate::account::{AccountRecord, Origin};
use crate::library::wide;
use crate::registry::describe::{Told, WORK_OR_SCHOOL, told_of_stranger};
use std::ffi::OsString;
use std::os::windows::ffi::OsStringExt;
use std::ptr::{null, null_mut};
use time::OffsetDateTime;
use windows_sys::Win32::Foundation::{CloseHandle, LocalFree};
use windows_sys::Win32::NetworkManagement::NetManagement::{
    NetApiBufferFree, NetUserGetInfo, UF_ACCOUNTDISABLE, UF_DONT_EXPIRE_PASSWD, USER_INFO_3, USER_INFO_24,
    USER_PRIV_ADMIN,
};
use windows_sys::Win32::Security::Authorization::ConvertStringSidToSidW;
use windows_sys::Win32::Security::{
    GetTokenInformation, LookupAccountSidW, TOKEN_ELEVATION, TOKEN_QUERY, TokenElevation,
};
use windows_sys::Win32::System::Threading::{GetCurrentProcess, OpenProcessToken};

/// The name to sign in with, and who vouches for it: the machine by its name, or a domain.
#[allow(unsafe_code, reason = "calls of the system's interface")]
fn name_of_sid(sid: &str) -> Option<(String, String)> {
    let text = wide(sid);
    // As long as Windows lets names and domains be.
    let (mut name, mut domain) = ([0_u16; 257], [0_u16; 257]);
    let (mut name_length, mut domain_length) = (name.len() as u32, domain.len() as u32);
    let (mut sid, mut kind) = (null_mut(), 0);
    // SAFETY: the text ends with a NUL; the buffers are as long as is said; the SID is freed once, after its
    // last use.
    let found = unsafe {
        if ConvertStringSidToSidW(text.as_ptr(), &mut sid) == 0 {
            return None;
        }
        let found = LookupAccountSidW(
            null(),
            sid,
            name.as_mut_ptr(),
            &mut name_length,
            domain.as_mut_ptr(),
            &mut domain_length,
            &mut kind,
        );
        LocalFree(sid);
        found
    };
    let name = name.get(..name_length as usize).filter(|name| found != 0 && !name.is_empty())?;
    let domain = domain.get(..domain_length as usize).unwrap_or_default();
    Some((OsString::from_wide(name).into_string().ok()?, String::from_utf16_lossy(domain)))
}

/// The machine's facts about an account. People of a domain or with a Microsoft account may be known by their
/// name alone.
pub(super) fn told_of(sid: &str) -> Told {
    let Some((name, domain)) = name_of_sid(sid) else { return Told::default() };
    let computer = std::env::var("COMPUTERNAME").unwrap_or_default();
    if sid.starts_with(WORK_OR_SCHOOL) || !domain.eq_ignore_ascii_case(&computer) {
        let domain = Some(domain).filter(|domain| !domain.is_empty());
        return Told { name: Some(name), ..told_of_stranger(sid, domain) };
    }
    let told = told_of_local(&name).unwrap_or_default();
    Told { name: Some(name), ..told }
}

/// The address of a Microsoft account. Windows 7 has none, and does not know the question.
#[allow(unsafe_code, reason = "calls of the system's interface")]
fn address_of_microsoft_account(name: &[u16]) -> Option<String> {
    let mut buffer: *mut u8 = null_mut();
    // SAFETY: as in `told_of_local`, with level 24.
    unsafe {
        if NetUserGetInfo(null(), name.as_ptr(), 24, &mut buffer) != 0 || buffer.is_null() {
            return None;
        }
        let info = &*buffer.cast::<USER_INFO_24>();
        let address = text_at(info.usri24_internet_principal_name);
        let is_one = info.usri24_internet_identity != 0;
        NetApiBufferFree(buffer.cast());
        address.filter(|address| is_one && !address.is_empty())
    }
}

/// The machine's facts about one of its own accounts.
#[allow(unsafe_code, reason = "calls of the system's interface")]
pub(crate) fn told_of_local(name: &str) -> Option<Told> {
    let name = wide(name);
    let origin = match address_of_microsoft_account(&name) {
        Some(address) => Origin::Microsoft { address },
        None => Origin::Local,
    };
    let mut buffer: *mut u8 = null_mut();
    // SAFETY: the name ends with a NUL. On success the buffer holds what level 3 promises; it is freed once,
    // at the end.
    unsafe {
        if NetUserGetInfo(null(), name.as_ptr(), 3, &mut buffer) != 0 || buffer.is_null() {
            return None;
        }
        let info = &*buffer.cast::<USER_INFO_3>();
        let full_name = text_at(info.usri3_full_name);
        let record = AccountRecord {
            comment: text_at(info.usri3_comment).filter(|comment| !comment.is_empty()),
            password_never_expires: Some(info.usri3_flags & UF_DONT_EXPIRE_PASSWD != 0),
            origin: Some(origin),
            roaming_profile: None,
        };
        let told = Told {
            record,
            name: None,
            full_name: full_name.filter(|name| !name.is_empty()),
            is_administrator: Some(info.usri3_priv == USER_PRIV_ADMIN),
            is_disabled: Some(info.usri3_flags & UF_ACCOUNTDISABLE != 0),
            last_signed_in_utc: (info.usri3_last_logon > 0)
                .then(|| OffsetDateTime::from_unix_timestamp(info.usri3_last_logon.into()).ok())
                .flatten(),
        };
        NetApiBufferFree(buffer.cast());
        Some(told)
    }
}

/// The flags of one of them, as the interface for users has them.
#[allow(unsafe_code, reason = "calls of the system's interface")]
pub(crate) fn flags_of_local(name: &str) -> Option<u32> {
    let name = wide(name);
    let mut buffer: *mut u8 = null_mut();
    // SAFETY: as in `told_of_local`.
    unsafe {
        if NetUserGetInfo(null(), name.as_ptr(), 3, &mut buffer) != 0 || buffer.is_null() {
            return None;
        }
        let flags = (*buffer.cast::<USER_INFO_3>()).usri3_flags;
        NetApiBufferFree(buffer.cast());
        Some(flags)
    }
}

/// # Safety
///
/// `text` is null, or ends with a NUL.
#[allow(unsafe_code, reason = "reads what the system gave")]
unsafe fn text_at(text: *const u16) -> Option<String> {
    if text.is_null() {
        return None;
    }
    // SAFETY: no unit after the NUL is looked at.
    let units = unsafe {
        let length = (0..).take_while(|at| *text.add(*at) != 0).count();
        std::slice::from_raw_parts(text, length)
    };
    Some(String::from_utf16_lossy(units))
}

/// True if we run with an administrator's rights, asked for and given.
#[allow(unsafe_code, reason = "calls of the system's interface")]
pub(in super::super) fn is_administrator() -> bool {
    let mut token = null_mut();
    let mut elevation = TOKEN_ELEVATION::default();
    let mut length = 0;
    // SAFETY: the structure is as long as is said, and the token is closed once.
    unsafe {
        if OpenProcessToken(GetCurrentProcess(), TOKEN_QUERY, &mut token) == 0 {
            return false;
        }
        let size = size_of::<TOKEN_ELEVATION>() as u32;
        let known =
            GetTokenInformation(token, TokenElevation, (&raw mut elevation).cast(), size, &mut length);
        CloseHandle(token);
        known != 0 && elevation.TokenIsElevated != 0
    }
}
