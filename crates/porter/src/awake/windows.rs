//! Windows counts for itself who needs it awake, thread by thread.

use std::marker::PhantomData;
use windows_sys::Win32::System::Power::{ES_CONTINUOUS, ES_SYSTEM_REQUIRED, SetThreadExecutionState};

/// Belongs to the thread that asked.
pub(super) struct Kept(PhantomData<*const ()>);

#[allow(unsafe_code, reason = "a call of the system's interface")]
pub(super) fn keep() -> Kept {
    // SAFETY: takes a number.
    unsafe { SetThreadExecutionState(ES_CONTINUOUS | ES_SYSTEM_REQUIRED) };
    Kept(PhantomData)
}

impl Drop for Kept {
    #[allow(unsafe_code, reason = "a call of the system's interface")]
    fn drop(&mut self) {
        // SAFETY: takes a number.
        unsafe { SetThreadExecutionState(ES_CONTINUOUS) };
    }
}
