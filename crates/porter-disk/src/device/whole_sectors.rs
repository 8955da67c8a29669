//! Devices that are read only by whole sectors: on Windows all of them, on Linux those that are read past its
//! cache.

use crate::block_source::{BlockSource, held};
use std::io;

/// Any stretch of a source that itself gives only whole sectors.
pub(super) struct WholeSectors<S> {
    of: S,
    sector_in_bytes: u64,
}

impl<S: BlockSource> WholeSectors<S> {
    pub(super) fn new(of: S, sector_in_bytes: u64) -> Self {
        Self { of, sector_in_bytes: sector_in_bytes.max(1) }
    }
}

impl<S: BlockSource> BlockSource for WholeSectors<S> {
    fn size_in_bytes(&self) -> u64 {
        self.of.size_in_bytes()
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let wanted = held(self.size_in_bytes(), offset_in_bytes, buffer.len());
        if wanted == 0 {
            return Ok(0);
        }
        let before = offset_in_bytes % self.sector_in_bytes;
        let whole_in_bytes = (before + wanted as u64).next_multiple_of(self.sector_in_bytes);
        if before == 0 && whole_in_bytes == wanted as u64 {
            return self.of.read_at(offset_in_bytes, &mut buffer[..wanted]);
        }
        let mut sectors = vec![0; whole_in_bytes as usize];
        let read = self.of.read_at(offset_in_bytes - before, &mut sectors)?;
        let before = before as usize;
        let read = read.saturating_sub(before).min(wanted);
        buffer[..read].copy_from_slice(&sectors[before..before + read]);
        Ok(read)
    }

    fn is_gone(&self) -> bool {
        self.of.is_gone()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Refuses all but whole sectors of 4096 bytes, as a drive without translation does.
    struct Strict(Vec<u8>);

    impl BlockSource for Strict {
        fn size_in_bytes(&self) -> u64 {
            self.0.len() as u64
        }

        fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
            if !offset_in_bytes.is_multiple_of(4096) || !buffer.len().is_multiple_of(4096) {
                return Err(io::ErrorKind::InvalidInput.into());
            }
            self.0.read_at(offset_in_bytes, buffer)
        }
    }

    #[test]
    fn any_stretch_comes_of_whole_sectors() {
        let bytes: Vec<u8> = (0..5 * 4096_u32).map(|at| (at % 253) as u8).collect();
        let source = WholeSectors::new(Strict(bytes.clone()), 4096);
        for (at, length) in
            [(0, 4096), (1, 1), (4095, 2), (4096, 8192), (100, 20_000), (20_479, 1), (20_470, 99)]
        {
            let mut piece = vec![0; length];
            let read = source.read_at(at as u64, &mut piece).unwrap();
            let end = (at + length).min(bytes.len());
            assert_eq!(piece[..read], bytes[at..end], "{at}+{length}");
        }
        assert_eq!(source.read_at(5 * 4096, &mut [0; 9]).unwrap(), 0);
    }
}
