//! Reading a volume's file from its start to its end.

use crate::VolumeFile;
use std::io::{self, Read};

/// [`Read`] over a [`VolumeFile`].
pub struct Sequential {
    file: Box<dyn VolumeFile>,
    offset_in_bytes: u64,
    end_in_bytes: u64,
}

impl Sequential {
    /// At the start.
    pub fn new(file: Box<dyn VolumeFile>) -> Self {
        Self { file, offset_in_bytes: 0, end_in_bytes: u64::MAX }
    }

    /// The same for a file whose size is known: its end is not asked for, which saves a call of the system
    /// for each small file. Bytes appended since are not seen. A size of 0 is not believed: some file systems
    /// report it for files that they make while they are read.
    pub fn of_known_size(file: Box<dyn VolumeFile>, size_in_bytes: u64) -> Self {
        let end_in_bytes = if size_in_bytes == 0 { u64::MAX } else { size_in_bytes };
        Self { end_in_bytes, ..Self::new(file) }
    }
}

impl Read for Sequential {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.offset_in_bytes >= self.end_in_bytes {
            return Ok(0);
        }
        let left = usize::try_from(self.end_in_bytes - self.offset_in_bytes).unwrap_or(usize::MAX);
        let wanted = buffer.len().min(left);
        let read = self.file.read_at(self.offset_in_bytes, &mut buffer[..wanted])?;
        self.offset_in_bytes += read as u64;
        Ok(read)
    }
}
