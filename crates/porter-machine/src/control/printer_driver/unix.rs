//! Other systems' drivers are descriptions of their printers: a part of the queue.

use super::DriverStore;
use porter_names::RelativePath;
use std::io;

pub(super) struct Here;

pub(super) fn processor() -> Option<&'static str> {
    None
}

fn unsupported<T>() -> io::Result<T> {
    Err(io::ErrorKind::Unsupported.into())
}

impl DriverStore for Here {
    fn origin(&self, _: &str, _: &str) -> io::Result<Option<String>> {
        unsupported()
    }

    fn take_in(&self, _: &RelativePath, _: &str) -> io::Result<String> {
        unsupported()
    }

    fn content(&self, _: &str) -> io::Result<Vec<u8>> {
        unsupported()
    }

    fn install(&self, _: &str, _: &str, _: &str) -> io::Result<()> {
        unsupported()
    }

    fn delete(&self, _: &str, _: &str) -> io::Result<()> {
        unsupported()
    }

    fn delete_package(&self, _: &str, _: &str) -> io::Result<()> {
        unsupported()
    }
}
