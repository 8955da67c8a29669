//! The old logs: `DIRT`, a bit for each 512 bytes of the bins, and then the pages whose bits are set.

use crate::base_block::{LOG_SIZE_IN_BYTES, SIZE_IN_BYTES};

/// Bins are logged in pages of this length.
const PAGE_IN_BYTES: usize = 512;
/// `DIRT`.
const MARK_IN_BYTES: usize = 4;

/// The pages, each with its place in the bins; `body` is what comes after the base block. None if they are
/// not all there: a log that was itself being written must not be used.
pub fn pages_in_log(body: &[u8], bins_size_in_bytes: u32) -> Option<Vec<(usize, &[u8])>> {
    let bits_in_bytes = (bins_size_in_bytes as usize).div_ceil(PAGE_IN_BYTES).div_ceil(8);
    let bits = body.get(MARK_IN_BYTES..MARK_IN_BYTES.checked_add(bits_in_bytes)?)?;
    let mut at = (MARK_IN_BYTES + bits_in_bytes).next_multiple_of(PAGE_IN_BYTES);
    let mut pages = Vec::new();
    for (number, byte) in bits.iter().enumerate().filter(|(_, byte)| **byte != 0) {
        for bit in (0..8).filter(|bit| byte & (1 << bit) != 0) {
            pages.push(((number * 8 + bit) * PAGE_IN_BYTES, body.get(at..at + PAGE_IN_BYTES)?));
            at += PAGE_IN_BYTES;
        }
    }
    Some(pages)
}

/// The log that Windows leaves when the power goes while `before` is made `after`, both whole hives.
pub fn log_between(before: &[u8], after: &[u8]) -> Vec<u8> {
    let bins = |hive: &'_ [u8]| hive.get(SIZE_IN_BYTES..).map(<[u8]>::to_vec).unwrap_or_default();
    let (before, bins) = (bins(before), bins(after));
    let mut bits = vec![0_u8; bins.len().div_ceil(PAGE_IN_BYTES * 8)];
    let mut pages = Vec::new();
    for (number, page) in bins.chunks(PAGE_IN_BYTES).enumerate() {
        let at = number * PAGE_IN_BYTES;
        if before.get(at..at + page.len()) != Some(page) {
            bits[number / 8] |= 1 << (number % 8);
            pages.extend_from_slice(page);
        }
    }
    let mut log = after.get(..LOG_SIZE_IN_BYTES).map(<[u8]>::to_vec).unwrap_or_default();
    log.extend(b"DIRT");
    log.extend(bits);
    log.resize(log.len().next_multiple_of(PAGE_IN_BYTES), 0);
    log.extend(pages);
    log
}
