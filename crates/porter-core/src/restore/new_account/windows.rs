//! Windows makes accounts through its interface for users, and their folders when they first sign in, or when
//! it is asked to.
#![allow(unsafe_code, reason = "calls of the system's interface")]

use super::NotMade;
use porter_machine::layout::Family;
use std::path::Path;
use std::ptr::{null, null_mut};
use windows_sys::Win32::NetworkManagement::NetManagement::{
    LOCALGROUP_MEMBERS_INFO_0, NetLocalGroupAddMembers, NetUserAdd, UF_PASSWD_NOTREQD, UF_SCRIPT,
    USER_INFO_1, USER_PRIV_USER,
};
use windows_sys::Win32::Security::Authorization::ConvertSidToStringSidW;
use windows_sys::Win32::Security::{
    CreateWellKnownSid, LookupAccountNameW, LookupAccountSidW, PSID, SID_NAME_USE, WinBuiltinUsersSid,
};
use windows_sys::Win32::UI::Shell::CreateProfile;
use windows_sys::core::PWSTR;

/// No SID is longer (`SECURITY_MAX_SID_SIZE`).
const LONGEST_SID_IN_BYTES: usize = 68;

pub(super) fn makes_accounts_of(family: Family, is_mounted: bool) -> bool {
    family == Family::Windows && !is_mounted
}

pub(super) fn make(_mounted_at: Option<&Path>, name: &str) -> Result<(), NotMade> {
    let refused = |doing: &str, code: u32| {
        let cause = std::io::Error::from_raw_os_error(code.cast_signed());
        NotMade::Refused { name: name.to_owned(), detail: format!("{doing}: {cause}") }
    };
    let mut wide = wide(name);
    let mut no_password = [0_u16];
    let info = USER_INFO_1 {
        usri1_name: wide.as_mut_ptr(),
        usri1_password: no_password.as_mut_ptr(),
        usri1_password_age: 0,
        usri1_priv: USER_PRIV_USER,
        usri1_home_dir: null_mut(),
        usri1_comment: null_mut(),
        usri1_flags: UF_SCRIPT | UF_PASSWD_NOTREQD,
        usri1_script_path: null_mut(),
    };
    // SAFETY: the structure is of level 1, and its texts end with a NUL and live until the call is over.
    let done = unsafe { NetUserAdd(null(), 1, (&raw const info).cast(), null_mut()) };
    if done != 0 {
        return Err(refused("NetUserAdd", done));
    }
    let mut sid = [0_u8; LONGEST_SID_IN_BYTES];
    let (mut sid_length, mut domain_length, mut kind): (u32, u32, SID_NAME_USE) = (sid.len() as u32, 256, 0);
    let mut domain = [0_u16; 256];
    // SAFETY: the buffers are as long as is said.
    let found = unsafe {
        LookupAccountNameW(
            null(),
            wide.as_ptr(),
            sid.as_mut_ptr().cast(),
            &mut sid_length,
            domain.as_mut_ptr(),
            &mut domain_length,
            &mut kind,
        )
    };
    if found == 0 {
        return Err(refused("LookupAccountName", last_error()));
    }
    join_users(sid.as_mut_ptr().cast()).map_err(|code| refused("NetLocalGroupAddMembers", code))?;
    make_folder(sid.as_mut_ptr().cast(), &wide).map_err(|code| refused("CreateProfile", code))
}

/// Everybody who signs in is in the group of users, whatever it is called in this language.
fn join_users(sid: PSID) -> Result<(), u32> {
    /// `ERROR_MEMBER_IN_ALIAS`.
    const IS_IN_IT: u32 = 1378;
    let mut group_sid = [0_u8; LONGEST_SID_IN_BYTES];
    let (mut name, mut domain) = ([0_u16; 256], [0_u16; 256]);
    let (mut sid_length, mut name_length, mut domain_length, mut kind): (u32, u32, u32, SID_NAME_USE) =
        (group_sid.len() as u32, 256, 256, 0);
    let member = LOCALGROUP_MEMBERS_INFO_0 { lgrmi0_sid: sid };
    // SAFETY: the buffers are as long as is said, and the member lives until the call is over.
    let done = unsafe {
        if CreateWellKnownSid(WinBuiltinUsersSid, null_mut(), group_sid.as_mut_ptr().cast(), &mut sid_length)
            == 0
            || LookupAccountSidW(
                null(),
                group_sid.as_mut_ptr().cast(),
                name.as_mut_ptr(),
                &mut name_length,
                domain.as_mut_ptr(),
                &mut domain_length,
                &mut kind,
            ) == 0
        {
            return Err(last_error());
        }
        NetLocalGroupAddMembers(null(), name.as_ptr(), 0, (&raw const member).cast(), 1)
    };
    if done == 0 || done == IS_IN_IT { Ok(()) } else { Err(done) }
}

/// The folder that a first sign-in would make.
fn make_folder(sid: PSID, name: &[u16]) -> Result<(), u32> {
    let mut text: PWSTR = null_mut();
    let mut path = [0_u16; 1024];
    // SAFETY: the text is freed after its last use; the path's buffer is as long as is said.
    let done = unsafe {
        if ConvertSidToStringSidW(sid, &mut text) == 0 {
            return Err(last_error());
        }
        let done = CreateProfile(text, name.as_ptr(), path.as_mut_ptr(), path.len() as u32);
        windows_sys::Win32::Foundation::LocalFree(text.cast());
        done
    };
    if done >= 0 { Ok(()) } else { Err(done.cast_unsigned() & 0xffff) }
}

fn wide(text: &str) -> Vec<u16> {
    text.encode_utf16().chain([0]).collect()
}

fn last_error() -> u32 {
    std::io::Error::last_os_error().raw_os_error().unwrap_or_default().cast_unsigned()
}
