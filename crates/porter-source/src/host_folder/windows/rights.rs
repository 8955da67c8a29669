//! The rights that an administrator has and has to ask for.

use std::ptr::{null, null_mut};
use std::sync::Once;
use windows_sys::Win32::Foundation::{CloseHandle, HANDLE};
use windows_sys::Win32::Security::{
    AdjustTokenPrivileges, LUID_AND_ATTRIBUTES, LookupPrivilegeValueW, SE_PRIVILEGE_ENABLED,
    TOKEN_ADJUST_PRIVILEGES, TOKEN_PRIVILEGES,
};
use windows_sys::Win32::System::Threading::{GetCurrentProcess, OpenProcessToken};

/// Reading whatever its owner keeps to themselves, and giving back what was read.
const RIGHTS: [&str; 2] = ["SeBackupPrivilege", "SeRestorePrivilege"];

/// Asks for all of it, once. A person who is not an administrator does not get it, and reads what they may.
pub(crate) fn use_rights() {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| RIGHTS.iter().for_each(|right| ask_for(right)));
}

#[allow(unsafe_code, reason = "calls of the system's interface")]
fn ask_for(right: &str) {
    let name: Vec<u16> = right.encode_utf16().chain([0]).collect();
    let mut token: HANDLE = null_mut();
    let mut wanted = TOKEN_PRIVILEGES {
        PrivilegeCount: 1,
        Privileges: [LUID_AND_ATTRIBUTES { Attributes: SE_PRIVILEGE_ENABLED, ..Default::default() }],
    };
    // SAFETY: the name ends with a NUL, everything pointed to outlives its call, and the token is closed
    // once.
    unsafe {
        if OpenProcessToken(GetCurrentProcess(), TOKEN_ADJUST_PRIVILEGES, &mut token) == 0 {
            return;
        }
        if LookupPrivilegeValueW(null(), name.as_ptr(), &mut wanted.Privileges[0].Luid) != 0 {
            AdjustTokenPrivileges(token, 0, &wanted, 0, null_mut(), null_mut());
        }
        CloseHandle(token);
    }
}
