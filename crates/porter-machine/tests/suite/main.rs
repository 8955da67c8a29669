//! All tests of the crate in one program: each program more is linked for every system that they run on.

#[cfg(windows)]
mod for_everybody;
#[cfg(unix)]
mod print_system;
#[cfg(windows)]
mod session;
#[cfg(windows)]
mod spooler;
