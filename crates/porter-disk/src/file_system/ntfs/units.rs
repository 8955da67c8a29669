//! Content that is compressed in units of one length, each by itself.

use porter_source::OwnTrouble;
use std::io;
use std::sync::{Mutex, PoisonError};

pub(super) struct Units {
    unit_in_bytes: u64,
    /// The unit that was decompressed last: reads mostly go on from there.
    last: Mutex<Option<(u64, Vec<u8>)>>,
}

impl Units {
    pub(super) fn of(unit_in_bytes: u64) -> Self {
        Self { unit_in_bytes, last: Mutex::new(None) }
    }

    pub(super) fn unit_in_bytes(&self) -> u64 {
        self.unit_in_bytes
    }

    /// Fills the buffer from a place of the content on; `unpacked` is called for each unit that is needed.
    pub(super) fn read(
        &self,
        at: u64,
        buffer: &mut [u8],
        unpacked: impl Fn(u64) -> io::Result<Vec<u8>>,
    ) -> io::Result<()> {
        let mut done = 0;
        while done < buffer.len() {
            let at = at + done as u64;
            let (unit, within) = (at / self.unit_in_bytes, (at % self.unit_in_bytes) as usize);
            let known = self.last.lock().unwrap_or_else(PoisonError::into_inner).take();
            let bytes = match known {
                Some((number, bytes)) if number == unit => bytes,
                _ => unpacked(unit)?,
            };
            let piece = bytes.get(within..).filter(|piece| !piece.is_empty());
            let piece = piece.ok_or(OwnTrouble::Damaged("its compressed content ends too early"))?;
            let length = piece.len().min(buffer.len() - done);
            buffer[done..done + length].copy_from_slice(&piece[..length]);
            if within + length < bytes.len() {
                *self.last.lock().unwrap_or_else(PoisonError::into_inner) = Some((unit, bytes));
            }
            done += length;
        }
        Ok(())
    }
}
