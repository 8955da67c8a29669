//! All tests of the crate in one program: each program more is linked for every system that they run on.

mod damage;
mod logs;
mod made;
mod round_trip;
mod structures;
