//! Chores of the developers: see `cargo xtask help`.

fn main() {}
