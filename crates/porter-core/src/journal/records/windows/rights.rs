//! Who owns a folder and who may write to it, as Windows keeps it.

use std::ffi::c_void;
use std::fs::OpenOptions;
use std::io;
use std::os::windows::ffi::OsStrExt;
use std::os::windows::fs::OpenOptionsExt;
use std::os::windows::io::AsRawHandle;
use std::path::Path;
use std::ptr::null_mut;
use windows_sys::Win32::Foundation::{
    CloseHandle, ERROR_SUCCESS, GENERIC_ALL, GENERIC_WRITE, HANDLE, LocalFree,
};
use windows_sys::Win32::Security::Authorization::{
    ConvertSidToStringSidW, GetNamedSecurityInfoW, SE_FILE_OBJECT,
};
use windows_sys::Win32::Security::{
    ACCESS_ALLOWED_ACE, ACL, DACL_SECURITY_INFORMATION, GetAce, GetTokenInformation, INHERIT_ONLY_ACE,
    OWNER_SECURITY_INFORMATION, PSECURITY_DESCRIPTOR, PSID, TOKEN_QUERY, TOKEN_USER, TokenUser,
};
use windows_sys::Win32::Storage::FileSystem::{
    DELETE, FILE_APPEND_DATA, FILE_DELETE_CHILD, FILE_FLAG_BACKUP_SEMANTICS, FILE_READ_ATTRIBUTES,
    FILE_WRITE_DATA, GetVolumeInformationByHandleW, WRITE_DAC, WRITE_OWNER,
};
use windows_sys::Win32::System::SystemServices::{
    ACCESS_ALLOWED_ACE_TYPE, ACCESS_DENIED_ACE_TYPE, FILE_PERSISTENT_ACLS,
};
use windows_sys::Win32::System::Threading::{GetCurrentProcess, OpenProcessToken};

/// The rights that let somebody put a file into a folder, remove one, or grant themselves the right to.
const WRITING: u32 = FILE_WRITE_DATA
    | FILE_APPEND_DATA
    | FILE_DELETE_CHILD
    | DELETE
    | WRITE_DAC
    | WRITE_OWNER
    | GENERIC_WRITE
    | GENERIC_ALL;

/// The owner of a folder and those who may write to it, as SIDs.
#[derive(Debug)]
pub(super) struct Rights {
    pub(super) owner: String,
    /// None if there is no list of rights: then everybody may write.
    pub(super) writers: Option<Vec<String>>,
}

/// Given back to the system when it is dropped.
struct Local(*mut c_void);

impl Drop for Local {
    #[allow(unsafe_code, reason = "a call of the system's interface")]
    fn drop(&mut self) {
        // SAFETY: the system made it for us, and nobody uses it any more.
        unsafe { LocalFree(self.0) };
    }
}

impl Rights {
    #[allow(unsafe_code, reason = "calls of the system's interface")]
    pub(super) fn of(folder: &Path) -> io::Result<Self> {
        let path: Vec<u16> = folder.as_os_str().encode_wide().chain([0]).collect();
        let mut owner: PSID = null_mut();
        let mut list: *mut ACL = null_mut();
        let mut descriptor: PSECURITY_DESCRIPTOR = null_mut();
        // SAFETY: the path ends with a NUL, and the pointers outlive the call. Owner and list lie in the
        // descriptor, which is freed at the end.
        let status = unsafe {
            GetNamedSecurityInfoW(
                path.as_ptr(),
                SE_FILE_OBJECT,
                OWNER_SECURITY_INFORMATION | DACL_SECURITY_INFORMATION,
                &raw mut owner,
                null_mut(),
                &raw mut list,
                null_mut(),
                &raw mut descriptor,
            )
        };
        if status != ERROR_SUCCESS {
            return Err(io::Error::from_raw_os_error(status as i32));
        }
        let _descriptor = Local(descriptor);
        let writers = if list.is_null() { None } else { Some(writers_in(list)?) };
        Ok(Self { owner: text_of(owner)?, writers })
    }
}

#[allow(unsafe_code, reason = "calls of the system's interface")]
fn writers_in(list: *const ACL) -> io::Result<Vec<String>> {
    let mut writers = Vec::new();
    // SAFETY: the list is one that the system gave us.
    for number in 0..u32::from(unsafe { (*list).AceCount }) {
        let mut row: *mut c_void = null_mut();
        // SAFETY: the list has this many rows.
        if unsafe { GetAce(list, number, &raw mut row) } == 0 {
            return Err(io::Error::last_os_error());
        }
        // SAFETY: every row begins with a header, and one of these two kinds is an ACCESS_ALLOWED_ACE as a
        // whole.
        let (kind, flags) = unsafe {
            let header = (*row.cast::<ACCESS_ALLOWED_ACE>()).Header;
            (u32::from(header.AceType), u32::from(header.AceFlags))
        };
        if kind == ACCESS_DENIED_ACE_TYPE || flags & INHERIT_ONLY_ACE != 0 {
            continue;
        }
        if kind != ACCESS_ALLOWED_ACE_TYPE {
            return Err(io::Error::other("an unknown kind of right"));
        }
        let allowed = row.cast::<ACCESS_ALLOWED_ACE>();
        // SAFETY: it is of that kind; the SID begins where its first four bytes stand in the structure.
        let (mask, sid) = unsafe { ((*allowed).Mask, (&raw mut (*allowed).SidStart).cast::<c_void>()) };
        if mask & WRITING != 0 {
            writers.push(text_of(sid)?);
        }
    }
    Ok(writers)
}

/// The SID of the person who runs us.
#[allow(unsafe_code, reason = "calls of the system's interface")]
pub(super) fn our_sid() -> io::Result<String> {
    let mut token: HANDLE = null_mut();
    // A structure with a pointer in it, and room for the longest SID behind it.
    let mut told = [0_usize; 32];
    let size = size_of_val(&told) as u32;
    let mut length = 0;
    // SAFETY: the token is closed again; the room is as long as is passed, and aligned for a pointer.
    unsafe {
        if OpenProcessToken(GetCurrentProcess(), TOKEN_QUERY, &raw mut token) == 0 {
            return Err(io::Error::last_os_error());
        }
        let ok = GetTokenInformation(token, TokenUser, told.as_mut_ptr().cast(), size, &raw mut length);
        let cause = io::Error::last_os_error();
        CloseHandle(token);
        if ok == 0 {
            return Err(cause);
        }
        text_of((*told.as_ptr().cast::<TOKEN_USER>()).User.Sid)
    }
}

#[allow(unsafe_code, reason = "calls of the system's interface")]
fn text_of(sid: PSID) -> io::Result<String> {
    let mut text: *mut u16 = null_mut();
    // SAFETY: the SID is one that the system gave us, and the text ends with a NUL.
    unsafe {
        if ConvertSidToStringSidW(sid, &raw mut text) == 0 {
            return Err(io::Error::last_os_error());
        }
        let _text = Local(text.cast());
        let length = (0..).take_while(|&at| *text.add(at) != 0).count();
        Ok(String::from_utf16_lossy(std::slice::from_raw_parts(text, length)))
    }
}

/// False if the volume that a folder is on keeps no rights. If that is unknown, it is assumed to.
#[allow(unsafe_code, reason = "a call of the system's interface")]
pub(super) fn are_kept_at(folder: &Path) -> bool {
    let mut open = OpenOptions::new();
    let open = open.access_mode(FILE_READ_ATTRIBUTES).custom_flags(FILE_FLAG_BACKUP_SEMANTICS);
    let Ok(folder) = open.open(folder) else { return true };
    let mut flags = 0;
    // SAFETY: the handle is open, and the system writes nothing but the flags.
    let told = unsafe {
        GetVolumeInformationByHandleW(
            folder.as_raw_handle(),
            null_mut(),
            0,
            null_mut(),
            null_mut(),
            &raw mut flags,
            null_mut(),
            0,
        )
    };
    told == 0 || flags & FILE_PERSISTENT_ACLS != 0
}
