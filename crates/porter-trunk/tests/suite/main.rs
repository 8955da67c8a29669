//! All tests of the crate in one program: each program more is linked for every system that they run on.

// On Windows `conformance` is tried, which asks the system for all that a trunk needs.
#[cfg(not(windows))]
mod any_byte;
mod conformance;
mod fixtures;
#[cfg(unix)]
mod packed_damage;
#[cfg(not(windows))]
mod packed_growth;
