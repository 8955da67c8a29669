//! Windows lists its processes in one call.

use windows_sys::Win32::Foundation::{CloseHandle, INVALID_HANDLE_VALUE};
use windows_sys::Win32::System::Diagnostics::ToolHelp::{
    CreateToolhelp32Snapshot, PROCESSENTRY32W, Process32FirstW, Process32NextW, TH32CS_SNAPPROCESS,
};

#[allow(unsafe_code, reason = "calls of the system's interface")]
pub(super) fn names() -> Vec<String> {
    let mut names = Vec::new();
    let mut row =
        PROCESSENTRY32W { dwSize: size_of::<PROCESSENTRY32W>() as u32, ..PROCESSENTRY32W::default() };
    // SAFETY: the row says how long it is, and the handle is closed once, after its last use.
    unsafe {
        let picture = CreateToolhelp32Snapshot(TH32CS_SNAPPROCESS, 0);
        if picture == INVALID_HANDLE_VALUE {
            return names;
        }
        let mut more = Process32FirstW(picture, &mut row);
        while more != 0 {
            let length = row.szExeFile.iter().position(|unit| *unit == 0).unwrap_or(row.szExeFile.len());
            names.push(String::from_utf16_lossy(&row.szExeFile[..length]));
            more = Process32NextW(picture, &mut row);
        }
        CloseHandle(picture);
    }
    names
}
