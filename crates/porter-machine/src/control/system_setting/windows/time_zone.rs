//! The time zone: `SetDynamicTimeZoneInformation`, with the rules of Windows' own table of zones.

use super::{refuse_wine, wrong};
use crate::library::lazily;
use crate::time_zone::ZoneRules;
use std::io;
use windows_sys::Win32::Foundation::{CloseHandle, SYSTEMTIME};
use windows_sys::Win32::Security::{
    AdjustTokenPrivileges, LUID_AND_ATTRIBUTES, LookupPrivilegeValueW, SE_PRIVILEGE_ENABLED,
    TOKEN_ADJUST_PRIVILEGES, TOKEN_PRIVILEGES,
};
use windows_sys::Win32::System::Threading::{GetCurrentProcess, OpenProcessToken};
use windows_sys::Win32::System::Time::DYNAMIC_TIME_ZONE_INFORMATION;
use winreg::RegKey;
use winreg::enums::HKEY_LOCAL_MACHINE;

const NOW: &str = "SYSTEM\\CurrentControlSet\\Control\\TimeZoneInformation";
const ZONES: &str = "SOFTWARE\\Microsoft\\Windows NT\\CurrentVersion\\Time Zones";

lazily!("kernel32.dll" {
    fn SetDynamicTimeZoneInformation(zone: *const DYNAMIC_TIME_ZONE_INFORMATION) -> i32;
});

/// Windows' name of the zone.
pub(super) fn read() -> io::Result<Option<String>> {
    let key = RegKey::predef(HKEY_LOCAL_MACHINE).open_subkey(NOW)?;
    let name: String = key.get_value("TimeZoneKeyName")?;
    Ok(Some(name.split('\0').next().unwrap_or_default().to_owned()))
}

#[allow(unsafe_code, reason = "a call of the system's interface")]
pub(super) fn set(zone: &str) -> io::Result<()> {
    let unknown = || wrong(format!("this Windows has no time zone {zone}"));
    if zone.is_empty() || zone.contains('\\') {
        return Err(unknown());
    }
    let key =
        RegKey::predef(HKEY_LOCAL_MACHINE).open_subkey(format!("{ZONES}\\{zone}")).map_err(|_| unknown())?;
    let tzi = key.get_raw_value("TZI")?;
    let rules = ZoneRules::from_bytes(&tzi.bytes).ok_or_else(unknown)?;
    let (standard, daylight): (String, String) = (key.get_value("Std")?, key.get_value("Dlt")?);
    let information = DYNAMIC_TIME_ZONE_INFORMATION {
        Bias: rules.bias,
        StandardName: in_field(&standard),
        StandardDate: date(rules.standard_date),
        StandardBias: rules.standard_bias,
        DaylightName: in_field(&daylight),
        DaylightDate: date(rules.daylight_date),
        DaylightBias: rules.daylight_bias,
        TimeZoneKeyName: in_field(zone),
        DynamicDaylightTimeDisabled: false,
    };
    refuse_wine()?;
    let _rights = Rights::take()?;
    // SAFETY: the structure lives until the call is over.
    match unsafe { SetDynamicTimeZoneInformation(&information) } {
        Some(0) => Err(io::Error::last_os_error()),
        Some(_) if read()?.as_deref() == Some(zone) => Ok(()),
        Some(_) => Err(io::Error::other("Windows took another time zone")),
        None => Err(io::ErrorKind::Unsupported.into()),
    }
}

/// The text in a field of fixed length, with a NUL at its end.
fn in_field<const LENGTH: usize>(text: &str) -> [u16; LENGTH] {
    let mut field = [0; LENGTH];
    for (unit, of_text) in field.iter_mut().take(LENGTH - 1).zip(text.encode_utf16()) {
        *unit = of_text;
    }
    field
}

fn date([year, month, weekday, day, hour, minute, second, milliseconds]: [u16; 8]) -> SYSTEMTIME {
    SYSTEMTIME {
        wYear: year,
        wMonth: month,
        wDayOfWeek: weekday,
        wDay: day,
        wHour: hour,
        wMinute: minute,
        wSecond: second,
        wMilliseconds: milliseconds,
    }
}

/// The right to set the time zone, which an administrator has to ask for.
struct Rights(TOKEN_PRIVILEGES);

impl Rights {
    #[allow(unsafe_code, reason = "calls of the system's interface")]
    fn take() -> io::Result<Self> {
        let name: Vec<u16> = "SeTimeZonePrivilege\0".encode_utf16().collect();
        let mut one = LUID_AND_ATTRIBUTES { Attributes: SE_PRIVILEGE_ENABLED, ..Default::default() };
        // SAFETY: the name ends with a NUL.
        if unsafe { LookupPrivilegeValueW(std::ptr::null(), name.as_ptr(), &mut one.Luid) } == 0 {
            return Err(io::Error::last_os_error());
        }
        let rights = Self(TOKEN_PRIVILEGES { PrivilegeCount: 1, Privileges: [one] });
        rights.adjust()?;
        Ok(rights)
    }

    #[allow(unsafe_code, reason = "calls of the system's interface")]
    fn adjust(&self) -> io::Result<()> {
        let mut token = std::ptr::null_mut();
        // SAFETY: the structure holds one right, as it says; the token is closed once.
        unsafe {
            if OpenProcessToken(GetCurrentProcess(), TOKEN_ADJUST_PRIVILEGES, &mut token) == 0 {
                return Err(io::Error::last_os_error());
            }
            let done =
                AdjustTokenPrivileges(token, 0, &self.0, 0, std::ptr::null_mut(), std::ptr::null_mut());
            let cause = io::Error::last_os_error();
            CloseHandle(token);
            // The call succeeds also if nothing was given.
            if done == 0 || cause.raw_os_error() != Some(0) { Err(cause) } else { Ok(()) }
        }
    }
}

impl Drop for Rights {
    fn drop(&mut self) {
        self.0.Privileges[0].Attributes = 0;
        let _ = self.adjust();
    }
}
