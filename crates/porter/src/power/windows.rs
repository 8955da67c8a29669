//! Windows answers in one call.

use super::Power;
use windows_sys::Win32::System::Power::{GetSystemPowerStatus, SYSTEM_POWER_STATUS};

#[allow(unsafe_code, reason = "a call of the system's interface")]
pub(super) fn power() -> Power {
    let mut status = SYSTEM_POWER_STATUS::default();
    // SAFETY: the structure outlives the call.
    let known = unsafe { GetSystemPowerStatus(&mut status) } != 0;
    if known && status.ACLineStatus == 0 {
        // 255 is unknown.
        Power::Battery { percent: Some(status.BatteryLifePercent).filter(|percent| *percent <= 100) }
    } else {
        Power::Mains
    }
}
