//! A stretch of a file in the place where Linux keeps it anyway, instead of a copy of it: half of what
//! reading costs.
//!
//! A file that becomes shorter, or a stick that is pulled, takes the memory away under its reader, and Linux
//! answers the next look with the signal SIGBUS, which ends a program. So nobody looks without a [`Place`]:
//! the signal handler replaces the memory of such a place by empty memory, and notes that. The reader learns
//! it afterwards, and reads instead (mmap(2), sigaction(2)).

use rustix::fs::Advice;
use rustix::io::{ReadWriteFlags, preadv2};
use rustix::mm::{MapFlags, ProtFlags, mmap, mmap_anonymous, munmap};
use std::ffi::{c_int, c_void};
use std::fs::File;
use std::io::{self, IoSliceMut};
use std::mem::MaybeUninit;
use std::num::NonZeroU64;
use std::sync::OnceLock;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

/// Who finds no free place reads.
const PLACES: usize = 64;
static IN_USE: [Place; PLACES] = [const { Place::free() }; PLACES];

/// The signal's earlier handler; none if ours could not be set.
static BEFORE: OnceLock<Option<libc::sigaction>> = OnceLock::new();

/// Memory that somebody looks at. The signal handler may read it at any moment, so it consists of nothing but
/// atomics.
struct Place {
    is_taken: AtomicBool,
    start: AtomicUsize,
    length: AtomicUsize,
    is_lost: AtomicBool,
}

impl Place {
    const fn free() -> Self {
        Self {
            is_taken: AtomicBool::new(false),
            start: AtomicUsize::new(0),
            length: AtomicUsize::new(0),
            is_lost: AtomicBool::new(false),
        }
    }

    fn take() -> Option<&'static Self> {
        IN_USE.iter().find(|place| !place.is_taken.swap(true, Ordering::AcqRel))
    }

    fn holds(&self, address: usize) -> bool {
        let start = self.start.load(Ordering::Acquire);
        start != 0 && address >= start && address - start < self.length.load(Ordering::Acquire)
    }
}

/// A mapped stretch in its place.
struct Mapping {
    place: &'static Place,
    memory: *mut c_void,
    length_in_bytes: usize,
}

impl Mapping {
    #[allow(
        unsafe_code,
        reason = "maps a file; the handler above makes sure that its memory never ceases to be"
    )]
    fn of(file: &File, offset_in_bytes: u64, length_in_bytes: usize) -> io::Result<Self> {
        let is_guarded = BEFORE.get_or_init(|| guard().ok()).is_some();
        let place = if is_guarded { Place::take() } else { None };
        let place = place.ok_or(io::ErrorKind::ResourceBusy)?;
        // SAFETY: the system chooses where, so nothing that is in use is replaced.
        let mapped = unsafe {
            mmap(
                std::ptr::null_mut(),
                length_in_bytes,
                ProtFlags::READ,
                MapFlags::SHARED,
                file,
                offset_in_bytes,
            )
        };
        match mapped {
            Ok(memory) => {
                place.is_lost.store(false, Ordering::Release);
                place.length.store(length_in_bytes, Ordering::Release);
                place.start.store(memory as usize, Ordering::Release);
                Ok(Self { place, memory, length_in_bytes })
            }
            Err(cause) => {
                place.is_taken.store(false, Ordering::Release);
                Err(cause.into())
            }
        }
    }
}

impl Drop for Mapping {
    #[allow(unsafe_code, reason = "gives back what `of` mapped")]
    fn drop(&mut self) {
        self.place.start.store(0, Ordering::Release);
        // SAFETY: it was mapped by `of`, with this length, and nobody looks any more. If it fails it stays
        // mapped, which harms nobody.
        let _ = unsafe { munmap(self.memory, self.length_in_bytes) };
        self.place.is_taken.store(false, Ordering::Release);
    }
}

/// As [`VolumeFile::look_at`](crate::VolumeFile::look_at) promises it.
#[allow(unsafe_code, reason = "lends mapped memory to `look`, for as long as it looks")]
pub(super) fn look_at(
    file: &File,
    offset_in_bytes: u64,
    length_in_bytes: usize,
    look: &mut dyn FnMut(&[u8]),
) -> bool {
    if !is_at_hand(file, offset_in_bytes + length_in_bytes as u64) {
        // On a slow drive all of it is asked for at once, not page by page.
        let length = NonZeroU64::new(length_in_bytes as u64);
        let _ = rustix::fs::fadvise(file, offset_in_bytes, length, Advice::WillNeed);
    }
    // A mapping begins with a page.
    let lead = usize::try_from(offset_in_bytes % rustix::param::page_size() as u64).unwrap_or(0);
    let Some(mapped_in_bytes) = lead.checked_add(length_in_bytes) else { return false };
    let Ok(mapping) = Mapping::of(file, offset_in_bytes - lead as u64, mapped_in_bytes) else { return false };
    // SAFETY: the memory stays mapped until `mapping` goes, even if the file is removed. Somebody may write
    // to the file while `look` looks: it takes bytes for what they are just then, as the hashing of mapped
    // files does everywhere, and builds nothing on them.
    let mapped = unsafe { std::slice::from_raw_parts(mapping.memory.cast(), mapped_in_bytes) };
    look(&mapped[lead..]);
    !mapping.place.is_lost.load(Ordering::Acquire)
}

/// True if what stands before `end_in_bytes` is in memory already.
fn is_at_hand(file: &File, end_in_bytes: u64) -> bool {
    let mut last = [0];
    let wanted = &mut [IoSliceMut::new(&mut last)];
    matches!(preadv2(file, wanted, end_in_bytes.saturating_sub(1), ReadWriteFlags::NOWAIT), Ok(1))
}

/// Sets the handler, and returns the earlier one.
#[allow(unsafe_code, reason = "calls of the system's interface")]
fn guard() -> io::Result<libc::sigaction> {
    let mut before = MaybeUninit::<libc::sigaction>::zeroed();
    // SAFETY: all-zero is a valid value of this structure, and both are of the kind that the call expects.
    let (before, done) = unsafe {
        let mut ours: libc::sigaction = std::mem::zeroed();
        ours.sa_sigaction = on_lost_memory as *const () as libc::sighandler_t;
        // On the stack that the standard library has set aside for signals, as its own handler.
        ours.sa_flags = libc::SA_SIGINFO | libc::SA_ONSTACK;
        let done = libc::sigaction(libc::SIGBUS, &raw const ours, before.as_mut_ptr());
        (before.assume_init(), done)
    };
    if done == 0 { Ok(before) } else { Err(io::Error::last_os_error()) }
}

/// Does nothing that a signal handler must not do: it reads atomics and makes system calls.
#[allow(unsafe_code, reason = "a signal handler")]
extern "C" fn on_lost_memory(signal: c_int, information: *mut libc::siginfo_t, context: *mut c_void) {
    // SAFETY: the system passes a filled structure to handlers that ask for it, and for this signal it holds
    // an address.
    let address = unsafe { (*information).si_addr() } as usize;
    for place in IN_USE.iter().filter(|place| place.holds(address)) {
        place.is_lost.store(true, Ordering::Release);
        let (start, length) = (place.start.load(Ordering::Acquire), place.length.load(Ordering::Acquire));
        // SAFETY: it replaces memory that a `Mapping` of ours holds, and that stays as long as before.
        let replaced = unsafe {
            mmap_anonymous(start as *mut c_void, length, ProtFlags::READ, MapFlags::PRIVATE | MapFlags::FIXED)
        };
        if replaced.is_ok() {
            return;
        }
    }
    // Not ours: it goes to the earlier handler, or ends the program as it would have.
    match BEFORE.get() {
        Some(Some(before))
            if before.sa_sigaction != libc::SIG_DFL && before.sa_sigaction != libc::SIG_IGN =>
        {
            // SAFETY: the flag says which of the two kinds of handler it is (sigaction(2)).
            unsafe {
                if before.sa_flags & libc::SA_SIGINFO == 0 {
                    let handler: extern "C" fn(c_int) = std::mem::transmute(before.sa_sigaction);
                    handler(signal);
                } else {
                    let handler: extern "C" fn(c_int, *mut libc::siginfo_t, *mut c_void) =
                        std::mem::transmute(before.sa_sigaction);
                    handler(signal, information, context);
                }
            }
        }
        // SAFETY: after this the same instruction meets the same signal, and the system does what it does
        // with it.
        _ => unsafe {
            libc::signal(signal, libc::SIG_DFL);
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Write;

    #[test]
    fn a_file_that_shrinks_under_the_eye_is_told_and_ends_nobody() {
        let mut file = tempfile::tempfile().unwrap();
        let content: Vec<u8> = (0..1_000_000_u32).map(|at| (at % 251) as u8).collect();
        file.write_all(&content).unwrap();
        let mut seen = Vec::new();
        assert!(look_at(&file, 8192, 600_000, &mut |bytes| seen.extend_from_slice(bytes)));
        assert!(seen == content[8192..608_192]);
        seen.clear();
        assert!(
            look_at(&file, 77, 600_000, &mut |bytes| seen.extend_from_slice(bytes)),
            "in a page's middle"
        );
        assert!(seen == content[77..600_077]);

        // Shorter than it should be from the start, and shorter while it is looked at.
        assert!(!look_at(&file, 0, 2_000_000, &mut |bytes| assert_eq!(bytes.last(), Some(&0))));
        let mut others = 0;
        let whole = look_at(&file, 0, content.len(), &mut |bytes| {
            // Another thread is not disturbed by what befalls this one.
            std::thread::scope(|scope| {
                scope.spawn(|| {
                    assert!(look_at(&file, 0, 100, &mut |bytes| others += bytes.len()));
                });
            });
            file.set_len(0).unwrap();
            assert!(bytes.iter().all(|byte| *byte == 0), "empty memory");
        });
        assert!(!whole);
        assert_eq!(others, 100);
        assert!(IN_USE.iter().all(|place| !place.is_taken.load(Ordering::Acquire)), "no place is kept");
        assert!(!look_at(&file, 0, 0, &mut |_| ()), "nothing cannot be mapped");
    }
}
