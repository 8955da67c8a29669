//! Reading a volume's file from its start to its end.

use crate::VolumeFile;
use std::io::{self, Read};

/// [`Read`] over a [`VolumeFile`].
pub struct Sequential {
    file: Box<dyn VolumeFile>,
    offset_in_bytes: u64,
}

impl Sequential {
    /// At the start.
    pub fn new(file: Box<dyn VolumeFile>) -> Self {
        Self { file, offset_in_bytes: 0 }
    }
}

impl Read for Sequential {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.file.read_at(self.offset_in_bytes, buffer)?;
        self.offset_in_bytes += read as u64;
        Ok(read)
    }
}
