//! Reading a volume's file from its start to its end.

use crate::VolumeFile;
use std::io::{self, Read};

/// [`Read`] over a [`VolumeFile`].
pub struct Sequential {
    file: Box<dyn VolumeFile>,
    offset_in_bytes: u64,
    end_in_bytes: u64,
    listed_in_bytes: Option<u64>,
}

impl Sequential {
    /// At the start.
    pub fn new(file: Box<dyn VolumeFile>) -> Self {
        Self { file, offset_in_bytes: 0, end_in_bytes: u64::MAX, listed_in_bytes: None }
    }

    /// The same for a file that was listed with a size, which is not believed: Windows tells old ones of files that are open. Only where there is
    /// not more than was listed, though more was asked for, the end is not asked for once more.
    pub fn of_listed_size(file: Box<dyn VolumeFile>, size_in_bytes: u64) -> Self {
        Self { listed_in_bytes: Some(size_in_bytes), ..Self::new(file) }
    }

    /// The same for a file whose size is known: its end is not asked for, which saves a call of the system for each small
    /// file. What was appended since is not seen. A size of 0 is not believed: some file systems say so of files that they make
    /// while they are read.
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
        if (1..wanted).contains(&read) && self.listed_in_bytes == Some(self.offset_in_bytes) {
            self.end_in_bytes = self.offset_in_bytes;
        }
        Ok(read)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::Arc;
    use std::sync::atomic::{AtomicUsize, Ordering};

    struct Counted(Vec<u8>, Arc<AtomicUsize>);

    impl VolumeFile for Counted {
        fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
            self.1.fetch_add(1, Ordering::Relaxed);
            let rest = self.0.get(usize::try_from(offset_in_bytes).unwrap()..).unwrap_or_default();
            let length = rest.len().min(buffer.len());
            buffer[..length].copy_from_slice(&rest[..length]);
            Ok(length)
        }
    }

    #[test]
    fn all_is_read_whatever_was_listed_and_the_end_is_asked_for_only_in_doubt() {
        for (listed_in_bytes, room_in_bytes, calls) in [
            (10, 16, 1),
            // It grew or shrank since, or the listing was an old one.
            (4, 16, 2),
            (25, 16, 2),
            // Where all that was asked for came, there may be more.
            (10, 10, 2),
            (10, 5, 3),
            (5, 5, 3),
            (0, 16, 2),
        ] {
            let asked = Arc::new(AtomicUsize::new(0));
            let file = Box::new(Counted((0..10).collect(), Arc::clone(&asked)));
            let mut content = Sequential::of_listed_size(file, listed_in_bytes);
            let (mut all, mut buffer) = (Vec::new(), vec![0; room_in_bytes]);
            while let read @ 1.. = content.read(&mut buffer).unwrap() {
                all.extend_from_slice(&buffer[..read]);
            }
            assert_eq!(all, (0..10).collect::<Vec<u8>>());
            assert_eq!(asked.load(Ordering::Relaxed), calls, "{listed_in_bytes} {room_in_bytes}");
        }
    }
}
