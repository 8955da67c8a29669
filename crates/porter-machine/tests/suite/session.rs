//! A window of a running session hears of changed settings. Needs a Windows.
#![allow(
    clippy::unwrap_used,
    clippy::panic,
    unsafe_code,
    reason = "a test that cannot go on fails; calls of the system's interface"
)]

use porter_machine::control::Control;
use porter_machine::control::registry_value::{RegistryValues, facts};
use porter_machine::setting::windows::own::{TEXT, text_value};
use std::ptr::null_mut;
use std::sync::Mutex;
use windows_sys::Win32::Foundation::{HWND, LPARAM, LRESULT, WPARAM};
use windows_sys::Win32::UI::WindowsAndMessaging::{
    CreateWindowExW, DefWindowProcW, DestroyWindow, RegisterClassW, WM_SETTINGCHANGE, WNDCLASSW,
    WS_OVERLAPPEDWINDOW,
};
use winreg::RegKey;
use winreg::enums::HKEY_USERS;

/// The first parameter of each message, and the text of the second.
static HEARD: Mutex<Vec<(usize, String)>> = Mutex::new(Vec::new());

unsafe extern "system" fn hear(window: HWND, message: u32, first: WPARAM, second: LPARAM) -> LRESULT {
    if message == WM_SETTINGCHANGE {
        let text = second as *const u16;
        let mut section = String::new();
        if !text.is_null() {
            // SAFETY: the sender's text ends with a NUL.
            let units = (0..100).map(|at| unsafe { *text.add(at) }).take_while(|unit| *unit != 0);
            section = String::from_utf16_lossy(&units.collect::<Vec<u16>>());
        }
        HEARD.lock().unwrap().push((first, section));
    }
    // SAFETY: the parameters are those of the message.
    unsafe { DefWindowProcW(window, message, first, second) }
}

fn window() -> HWND {
    let name: Vec<u16> = "PorterHears\0".encode_utf16().collect();
    let class = WNDCLASSW { lpfnWndProc: Some(hear), lpszClassName: name.as_ptr(), ..Default::default() };
    let (name, none) = (name.as_ptr(), null_mut());
    // SAFETY: the class and the name are copied.
    unsafe {
        RegisterClassW(&class);
        CreateWindowExW(0, name, name, WS_OVERLAPPEDWINDOW, 0, 0, 9, 9, none, none, none, null_mut())
    }
}

#[test]
fn a_window_hears_of_changed_settings_of_its_own_person_alone() {
    let window = window();
    assert!(!window.is_null(), "no window can be made: see `Graphics` in .ci/windows");
    let people = RegKey::predef(HKEY_USERS);
    let sid = people
        .enum_keys()
        .flatten()
        .find(|sid| sid.starts_with("S-1-5-21-") && !sid.ends_with("_Classes"))
        .unwrap();
    let change = |key: &str, name: &str, text: &str| facts(key, &text_value(name, TEXT, text));
    let changed = [
        change("Control Panel\\International", "sShortDate", "yyyy-MM-dd"),
        change("Control Panel\\International", "sList", ";"),
        change("Control Panel\\Mouse", "DoubleClickSpeed", "720"),
    ];
    let before: Vec<_> = changed.iter().map(|facts| RegistryValues.read(&sid, facts).unwrap()).collect();
    changed.iter().for_each(|facts| RegistryValues.set(&sid, facts).unwrap());
    let all: Vec<_> = changed.iter().collect();
    RegistryValues.tell("S-1-5-21-1-2-3-1000", &all);
    let heard_of_others = HEARD.lock().unwrap().len();
    RegistryValues.tell(&sid, &all);
    for (was, becomes) in before.iter().zip(&changed) {
        match was {
            Some(was) => RegistryValues.set(&sid, was).unwrap(),
            None => RegistryValues.remove(&sid, becomes).unwrap(),
        }
    }
    // SAFETY: the window is ours.
    unsafe { DestroyWindow(window) };
    let heard = HEARD.lock().unwrap();
    assert_eq!(heard_of_others, 0, "somebody else's settings are no news here");
    let intl = heard.iter().filter(|(_, section)| section == "intl").count();
    assert_eq!(intl, 1, "two values of one section are one message: {heard:?}");
    // 32 is `SPI_SETDOUBLECLICKTIME`.
    assert!(heard.iter().any(|(action, _)| *action == 32), "{heard:?}");
}
