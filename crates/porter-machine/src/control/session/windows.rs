//! `SystemParametersInfo` and `WM_SETTINGCHANGE`. The values stand in the registry already, and a call writes
//! the same once more: without that it would be for this session alone. A session that does not take a call
//! takes them at the next sign-in, so that no failure is an error.

use crate::library::{lazily, wide};
use crate::registry::running;
use crate::setting::windows::tell::{Spi, Tell};
use std::ffi::c_void;
use std::ptr::{null, null_mut};
use windows_sys::Win32::Foundation::{CloseHandle, HWND, LocalFree};
use windows_sys::Win32::Security::Authorization::ConvertSidToStringSidW;
use windows_sys::Win32::Security::{GetTokenInformation, TOKEN_QUERY, TOKEN_USER, TokenUser};
use windows_sys::Win32::System::Threading::{GetCurrentProcess, OpenProcessToken};
use windows_sys::Win32::UI::Shell::{SHCNE_ASSOCCHANGED, SHCNF_IDLIST};
use windows_sys::Win32::UI::WindowsAndMessaging::{
    HWND_BROADCAST, SMTO_ABORTIFHUNG, SPI_SETCARETWIDTH, SPI_SETCURSORS, SPI_SETDESKWALLPAPER,
    SPI_SETDOUBLECLICKTIME, SPI_SETKEYBOARDDELAY, SPI_SETKEYBOARDSPEED, SPI_SETMOUSE, SPI_SETMOUSEBUTTONSWAP,
    SPI_SETMOUSEHOVERTIME, SPI_SETMOUSESPEED, SPI_SETMOUSETRAILS, SPI_SETSCREENSAVEACTIVE,
    SPI_SETSCREENSAVETIMEOUT, SPI_SETSNAPTODEFBUTTON, SPI_SETWHEELSCROLLCHARS, SPI_SETWHEELSCROLLLINES,
    SPIF_SENDCHANGE, SPIF_UPDATEINIFILE, WM_FONTCHANGE, WM_SETTINGCHANGE,
};

lazily!("user32.dll" {
    fn SystemParametersInfoW(action: u32, number: u32, value: *mut c_void, tell: u32) -> i32;
    fn SendMessageTimeoutW(
        window: HWND,
        message: u32,
        first: usize,
        second: isize,
        how: u32,
        milliseconds: u32,
        result: *mut usize,
    ) -> isize;
});

lazily!("shell32.dll" {
    fn SHChangeNotify(event: i32, kind: u32, first: *const c_void, second: *const c_void) -> ();
});

const MOUSE: &str = "Control Panel\\Mouse";
const DESKTOP: &str = "Control Panel\\Desktop";
const KEYBOARD: &str = "Control Panel\\Keyboard";
/// A window that hangs is not waited for any longer.
const LONGEST_WAIT_IN_MILLISECONDS: u32 = 2000;

/// True if a SID is that of the person who runs us.
#[allow(unsafe_code, reason = "calls of the system's interface")]
pub(super) fn is_of_session(owner: &str) -> bool {
    let mut token = null_mut();
    // As long as the longest SID, with the structure in front. A u64 keeps it aligned.
    let mut user = [0_u64; 32];
    let (mut length, mut text) = (0, null_mut());
    // SAFETY: the buffer is as long as is said; on success the structure at its beginning points into it. The
    // text ends with a NUL, and is freed once.
    unsafe {
        if OpenProcessToken(GetCurrentProcess(), TOKEN_QUERY, &mut token) == 0 {
            return false;
        }
        let size = size_of_val(&user) as u32;
        let known = GetTokenInformation(token, TokenUser, user.as_mut_ptr().cast(), size, &mut length);
        CloseHandle(token);
        let sid = (*user.as_ptr().cast::<TOKEN_USER>()).User.Sid;
        if known == 0 || ConvertSidToStringSidW(sid, &mut text) == 0 {
            return false;
        }
        let units = (0..).take_while(|at| *text.add(*at) != 0).count();
        let sid = String::from_utf16_lossy(std::slice::from_raw_parts(text, units));
        LocalFree(text.cast());
        sid == owner
    }
}

pub(super) fn tell(owner: &str, tell: Tell) {
    match tell {
        Tell::Nothing => {}
        Tell::Section(section) => broadcast(section),
        Tell::FilesShown => files_are_shown_otherwise(),
        Tell::Spi(spi) => system_parameter(owner, spi),
    }
}

fn system_parameter(owner: &str, spi: Spi) {
    let number = |key: &str, name: &str| -> Option<i32> {
        let value = running::value(owner, key, name)?;
        value.text().and_then(|text| text.trim().parse().ok()).or_else(|| value.number().map(|n| n as i32))
    };
    // The action, its number, and the value that it takes in the first parameter.
    let plain = |action: u32, key: &str, name: &str| {
        if let Some(number) = number(key, name) {
            call(action, number as u32, null_mut());
        }
    };
    match spi {
        Spi::MouseButtons => plain(SPI_SETMOUSEBUTTONSWAP, MOUSE, "SwapMouseButtons"),
        Spi::DoubleClickTime => plain(SPI_SETDOUBLECLICKTIME, MOUSE, "DoubleClickSpeed"),
        Spi::MouseTrails => plain(SPI_SETMOUSETRAILS, MOUSE, "MouseTrails"),
        Spi::SnapToButton => plain(SPI_SETSNAPTODEFBUTTON, MOUSE, "SnapToDefaultButton"),
        Spi::HoverTime => plain(SPI_SETMOUSEHOVERTIME, MOUSE, "MouseHoverTime"),
        Spi::WheelLines => plain(SPI_SETWHEELSCROLLLINES, DESKTOP, "WheelScrollLines"),
        Spi::WheelLetters => plain(SPI_SETWHEELSCROLLCHARS, DESKTOP, "WheelScrollChars"),
        Spi::KeyboardDelay => plain(SPI_SETKEYBOARDDELAY, KEYBOARD, "KeyboardDelay"),
        Spi::KeyboardSpeed => plain(SPI_SETKEYBOARDSPEED, KEYBOARD, "KeyboardSpeed"),
        Spi::ScreenSaverTime => plain(SPI_SETSCREENSAVETIMEOUT, DESKTOP, "ScreenSaveTimeOut"),
        Spi::ScreenSaverActive => plain(SPI_SETSCREENSAVEACTIVE, DESKTOP, "ScreenSaveActive"),
        Spi::Pointers => call(SPI_SETCURSORS, 0, null_mut()),
        // Windows takes the speed in the second parameter, others in the first.
        Spi::MouseSpeed => {
            if let Some(speed) = number(MOUSE, "MouseSensitivity") {
                call(SPI_SETMOUSESPEED, speed as u32, speed as usize as *mut c_void);
            }
        }
        Spi::CaretWidth => {
            if let Some(width) = number(DESKTOP, "CaretWidth") {
                call(SPI_SETCARETWIDTH, width as u32, width as usize as *mut c_void);
            }
        }
        Spi::MouseAcceleration => {
            let of = |name: &str| number(MOUSE, name);
            if let (Some(first), Some(second), Some(speed)) =
                (of("MouseThreshold1"), of("MouseThreshold2"), of("MouseSpeed"))
            {
                let mut three = [first, second, speed];
                call(SPI_SETMOUSE, 0, three.as_mut_ptr().cast());
            }
        }
        Spi::Wallpaper => {
            let file = running::value(owner, DESKTOP, "Wallpaper").and_then(|value| value.text());
            let Some(file) = file else { return };
            let mut file = wide(&file);
            call(SPI_SETDESKWALLPAPER, 0, file.as_mut_ptr().cast());
        }
    }
}

#[allow(unsafe_code, reason = "a call of the system's interface")]
fn call(action: u32, number: u32, value: *mut c_void) {
    // SAFETY: `value` is what the action takes: nothing, a number, three numbers, or a text with a NUL.
    unsafe {
        SystemParametersInfoW(action, number, value, SPIF_UPDATEINIFILE | SPIF_SENDCHANGE);
    }
}

pub(super) fn broadcast(section: &str) {
    let section = wide(section);
    // The text ends with a NUL, and is there until all windows have seen it.
    tell_all_windows(WM_SETTINGCHANGE, section.as_ptr() as isize);
}

pub(super) fn fonts_changed() {
    tell_all_windows(WM_FONTCHANGE, 0);
}

#[allow(unsafe_code, reason = "a call of the system's interface")]
fn tell_all_windows(message: u32, about: isize) {
    // SAFETY: it is what the message is about: nothing, or a text that is there until the call is over.
    unsafe {
        SendMessageTimeoutW(
            HWND_BROADCAST,
            message,
            0,
            about,
            SMTO_ABORTIFHUNG,
            LONGEST_WAIT_IN_MILLISECONDS,
            null_mut(),
        );
    }
}

#[allow(unsafe_code, reason = "a call of the system's interface")]
fn files_are_shown_otherwise() {
    // SAFETY: without items nothing is read.
    unsafe { SHChangeNotify(SHCNE_ASSOCCHANGED as i32, SHCNF_IDLIST, null(), null()) };
}
