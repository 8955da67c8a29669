//! The power plan, and its values: `powrprof`.

use super::{refuse_wine, wrong};
use crate::library::lazily;
use crate::power_plan::{PLAN, Source, number_of, plan_of, value_of};
use std::io;
use std::ptr::null_mut;
use windows_sys::Win32::Foundation::LocalFree;
use windows_sys::core::GUID;

lazily!("powrprof.dll" {
    fn PowerGetActiveScheme(root: *mut std::ffi::c_void, plan: *mut *mut GUID) -> u32;
    fn PowerSetActiveScheme(root: *mut std::ffi::c_void, plan: *const GUID) -> u32;
    fn PowerReadACValueIndex(
        root: *mut std::ffi::c_void,
        plan: *const GUID,
        group: *const GUID,
        setting: *const GUID,
        value: *mut u32,
    ) -> u32;
    fn PowerReadDCValueIndex(
        root: *mut std::ffi::c_void,
        plan: *const GUID,
        group: *const GUID,
        setting: *const GUID,
        value: *mut u32,
    ) -> u32;
    fn PowerWriteACValueIndex(
        root: *mut std::ffi::c_void,
        plan: *const GUID,
        group: *const GUID,
        setting: *const GUID,
        value: u32,
    ) -> u32;
    fn PowerWriteDCValueIndex(
        root: *mut std::ffi::c_void,
        plan: *const GUID,
        group: *const GUID,
        setting: *const GUID,
        value: u32,
    ) -> u32;
});

/// A number in the form of the registry.
fn guid(number: &str) -> Option<GUID> {
    Some(GUID::from_u128(u128::from_str_radix(&number.replace('-', ""), 16).ok()?))
}

fn done(answer: Option<u32>) -> io::Result<()> {
    match answer {
        Some(0) => Ok(()),
        Some(code) => Err(io::Error::from_raw_os_error(code.cast_signed())),
        None => Err(io::ErrorKind::Unsupported.into()),
    }
}

/// A value of a plan: its plan, group, own number and source.
struct Place {
    plan: GUID,
    group: GUID,
    setting: GUID,
    source: Source,
}

impl Place {
    /// The place of `balanced/sleep-on-battery`.
    fn of(what: &str) -> io::Result<Self> {
        let unknown = || wrong(format!("`{what}` is no value of a power plan"));
        let (plan, fact) = what.split_once('/').ok_or_else(unknown)?;
        let (value, source) = value_of(fact).ok_or_else(unknown)?;
        let known = |number: Option<&str>| number.and_then(guid).ok_or_else(unknown);
        Ok(Self {
            plan: known(number_of(plan))?,
            group: known(Some(value.group))?,
            setting: known(Some(value.setting))?,
            source,
        })
    }

    #[allow(unsafe_code, reason = "a call of the system's interface")]
    fn read(&self) -> io::Result<u32> {
        let mut value = 0;
        // SAFETY: the numbers and the value live until the call is over.
        done(unsafe {
            match self.source {
                Source::PluggedIn => {
                    PowerReadACValueIndex(null_mut(), &self.plan, &self.group, &self.setting, &mut value)
                }
                Source::OnBattery => {
                    PowerReadDCValueIndex(null_mut(), &self.plan, &self.group, &self.setting, &mut value)
                }
            }
        })?;
        Ok(value)
    }

    #[allow(unsafe_code, reason = "a call of the system's interface")]
    fn write(&self, value: u32) -> io::Result<()> {
        // SAFETY: the numbers live until the call is over.
        done(unsafe {
            match self.source {
                Source::PluggedIn => {
                    PowerWriteACValueIndex(null_mut(), &self.plan, &self.group, &self.setting, value)
                }
                Source::OnBattery => {
                    PowerWriteDCValueIndex(null_mut(), &self.plan, &self.group, &self.setting, value)
                }
            }
        })
    }
}

/// The number of the plan in force.
#[allow(unsafe_code, reason = "a call of the system's interface")]
fn plan_in_force() -> io::Result<String> {
    let mut plan: *mut GUID = null_mut();
    // SAFETY: on success the number is there, and is freed once, after its copy.
    let GUID { data1, data2, data3, data4: [a, b, c, d, e, f, g, h] } = unsafe {
        done(PowerGetActiveScheme(null_mut(), &mut plan))?;
        if plan.is_null() {
            return Err(io::ErrorKind::NotFound.into());
        }
        let copy = *plan;
        LocalFree(plan.cast());
        copy
    };
    Ok(format!(
        "{data1:08x}-{data2:04x}-{data3:04x}-{a:02x}{b:02x}-{c:02x}{d:02x}{e:02x}{f:02x}{g:02x}{h:02x}"
    ))
}

pub(super) fn read(what: &str) -> io::Result<Option<String>> {
    refuse_wine()?;
    if what == PLAN {
        let number = plan_in_force()?;
        return Ok(Some(plan_of(&number).map_or(number, str::to_owned)));
    }
    Ok(Some(Place::of(what)?.read()?.to_string()))
}

#[allow(unsafe_code, reason = "a call of the system's interface")]
pub(super) fn set(what: &str, value: &str) -> io::Result<()> {
    refuse_wine()?;
    if what == PLAN {
        // A maker's plan, which an undo gives back, is known by its number alone.
        let number = number_of(value).unwrap_or(value);
        let plan = guid(number).ok_or_else(|| wrong(format!("`{value}` is no power plan")))?;
        // SAFETY: the number lives until the call is over.
        done(unsafe { PowerSetActiveScheme(null_mut(), &plan) })?;
    } else {
        let place = Place::of(what)?;
        place.write(value.parse().map_err(|_| wrong(format!("`{value}` is no number")))?)?;
        // A plan in force heeds its new values when it is put in force again.
        let now = plan_in_force().ok().and_then(|number| guid(&number));
        if let Some(now) = now {
            // SAFETY: the number lives until the call is over.
            done(unsafe { PowerSetActiveScheme(null_mut(), &now) })?;
        }
    }
    match read(what)? {
        Some(now) if now == value => Ok(()),
        _ => Err(io::Error::other("Windows did not take it")),
    }
}
