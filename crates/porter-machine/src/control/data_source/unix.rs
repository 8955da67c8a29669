//! Other systems have sources of data in files.

use porter_names::Facts;
use std::io;

pub(super) fn read(_: &str, _: &str) -> io::Result<Option<Facts>> {
    Err(io::ErrorKind::Unsupported.into())
}

pub(super) fn set(_: &Facts, _: &str) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}

pub(super) fn remove(_: &str, _: &str) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}
