//! Windows: the folder is for administrators, the system, and its maker.

#[path = "windows/rights.rs"]
mod rights;

use rights::Rights;
use std::fs::{File, Metadata};
use std::io;
use std::os::windows::ffi::OsStrExt;
use std::path::Path;
use windows_sys::Win32::Foundation::LocalFree;
use windows_sys::Win32::Security::Authorization::{
    ConvertStringSecurityDescriptorToSecurityDescriptorW, SDDL_REVISION_1,
};
use windows_sys::Win32::Security::SECURITY_ATTRIBUTES;
use windows_sys::Win32::Storage::FileSystem::CreateDirectoryW;

/// Nothing is inherited; all rights for the system, administrators and the owner, also to what is in it
/// ([MS-DTYP] 2.5.1).
const RIGHTS: &str = "D:P(A;OICI;FA;;;SY)(A;OICI;FA;;;BA)(A;OICI;FA;;;OW)";

#[allow(unsafe_code, reason = "calls of the system's interface")]
pub(super) fn make_folder(folder: &Path) -> io::Result<()> {
    let wide = |text: &std::ffi::OsStr| text.encode_wide().chain([0]).collect::<Vec<u16>>();
    let (rights, path) = (wide(RIGHTS.as_ref()), wide(folder.as_os_str()));
    let mut descriptor = std::ptr::null_mut();
    // SAFETY: the text ends with a NUL, and the pointer outlives the call. The returned memory is freed
    // below.
    let known = unsafe {
        ConvertStringSecurityDescriptorToSecurityDescriptorW(
            rights.as_ptr(),
            SDDL_REVISION_1,
            &raw mut descriptor,
            std::ptr::null_mut(),
        )
    };
    if known == 0 {
        return Err(io::Error::last_os_error());
    }
    let attributes = SECURITY_ATTRIBUTES {
        nLength: size_of::<SECURITY_ATTRIBUTES>() as u32,
        lpSecurityDescriptor: descriptor,
        bInheritHandle: 0,
    };
    // SAFETY: the path ends with a NUL, and the descriptor is there until it is freed after the call.
    let made = unsafe { CreateDirectoryW(path.as_ptr(), &raw const attributes) };
    let cause = io::Error::last_os_error();
    // SAFETY: the system made it for us, and nobody uses it any more.
    unsafe { LocalFree(descriptor) };
    if made == 0 { Err(cause) } else { Ok(()) }
}

/// A new file in it, which must not be there. Its rights are the folder's.
pub(crate) fn new_file(path: &Path) -> io::Result<File> {
    File::create_new(path)
}

/// Nobody but those who look after the machine and us may own it or write to it.
pub(super) fn whose(folder: &Path, _found: &Metadata, _root: &Path) -> Result<(), &'static str> {
    const UNKNOWN: &str = "the system does not say who may write to it";
    if !rights::are_kept_at(folder) {
        // FAT keeps none: everything there is everybody's.
        return Ok(());
    }
    let rights = Rights::of(folder).map_err(|_| UNKNOWN)?;
    let us = rights::our_sid().map_err(|_| UNKNOWN)?;
    refuse(&rights, &us).map_or(Ok(()), Err)
}

fn refuse(rights: &Rights, us: &str) -> Option<&'static str> {
    /// The system, administrators, Windows' own installer, and the owner or maker of a thing ([MS-DTYP]
    /// 2.4.2.4).
    const TRUSTED: [&str; 5] = [
        "S-1-5-18",
        "S-1-5-32-544",
        "S-1-5-80-956008885-3418522649-1831038044-1853292631-2271478464",
        "S-1-3-4",
        "S-1-3-0",
    ];
    let is_stranger = |sid: &str| sid != us && !TRUSTED.contains(&sid);
    if is_stranger(&rights.owner) {
        return Some("it belongs to somebody else");
    }
    match &rights.writers {
        Some(writers) if !writers.iter().any(|sid| is_stranger(sid)) => None,
        _ => Some("others may write to it"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_is_used_if_nobody_but_administrators_and_we_own_it_or_may_write_to_it() {
        let rights = |owner: &str, writers: Option<&[&str]>| Rights {
            owner: owner.to_owned(),
            writers: writers.map(|writers| writers.iter().map(|sid| (*sid).to_owned()).collect()),
        };
        let us = "S-1-5-21-1-2-3-1001";
        for (owner, writers, why) in [
            ("S-1-5-32-544", Some(&["S-1-5-18", "S-1-5-32-544", "S-1-3-4"][..]), None),
            (us, Some(&[us]), None),
            ("S-1-5-21-1-2-3-1002", Some(&[us]), Some("it belongs to somebody else")),
            // Users, as ProgramData grants them.
            (us, Some(&["S-1-5-18", "S-1-5-32-545"]), Some("others may write to it")),
            // Without a list everybody may do everything.
            (us, None, Some("others may write to it")),
        ] {
            assert_eq!(refuse(&rights(owner, writers), us), why, "{owner} {writers:?}");
        }
    }

    #[test]
    fn what_porter_makes_it_takes() {
        let bench = tempfile::tempdir().unwrap();
        let folder = bench.path().join("Loyal Porter");
        make_folder(&folder).unwrap();
        let rights = Rights::of(&folder).unwrap();
        assert!(rights.owner.starts_with("S-1-5-"), "{rights:?}");
        assert!(rights.writers.as_ref().is_some_and(|writers| !writers.is_empty()), "{rights:?}");
        whose(&folder, &std::fs::metadata(&folder).unwrap(), bench.path()).unwrap();
    }
}
