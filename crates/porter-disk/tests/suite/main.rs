//! All tests of the crate in one program: each program more is linked for every system that they run on.

mod images;
mod locked;
mod ntfs;
mod packed;
mod sticks;
mod volumes;
