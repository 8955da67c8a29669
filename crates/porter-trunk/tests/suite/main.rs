//! All tests of the crate in one program: each program more is linked for every system that they run on.

// Neither asks the system for anything of its own.
#[cfg(not(windows))]
mod any_byte;
mod conformance;
mod fixtures;
#[cfg(unix)]
mod packed_damage;
mod packed_growth;
