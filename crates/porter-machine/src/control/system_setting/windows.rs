//! Not done yet: these settings of a Windows are set up by hand.

use std::io;

fn not_yet<T>() -> io::Result<T> {
    Err(io::Error::new(io::ErrorKind::Unsupported, "this setting is set up by hand"))
}

pub(super) fn read(_: &str) -> io::Result<Option<String>> {
    not_yet()
}

pub(super) fn set(_: &str, _: &str) -> io::Result<()> {
    not_yet()
}

pub(super) fn remove(_: &str) -> io::Result<()> {
    not_yet()
}
