//! The forecast of room, corrected while a capture goes on.

/// Whether the trunk will fit, by how much room what is in it already took.
pub(super) struct Outlook {
    expected_in_bytes: u64,
    free_in_bytes: u64,
    done_in_bytes: u64,
    told: bool,
}

impl Outlook {
    pub(super) fn new(expected_in_bytes: u64, free_in_bytes: u64) -> Self {
        Self { expected_in_bytes, free_in_bytes, done_in_bytes: 0, told: false }
    }

    /// How much room will be missing, told once, as soon as that is likely.
    pub(super) fn after(&mut self, done_in_bytes: u64, written_in_bytes: Option<u64>) -> Option<u64> {
        /// Less says nothing of the rest.
        const ENOUGH_IN_BYTES: u64 = 64 << 20;
        self.done_in_bytes += done_in_bytes;
        let written_in_bytes = written_in_bytes?;
        if self.told || self.done_in_bytes < ENOUGH_IN_BYTES {
            return None;
        }
        let ratio = written_in_bytes as f64 / self.done_in_bytes as f64;
        let whole_in_bytes = (ratio * self.expected_in_bytes as f64) as u64;
        // A little beyond is still within what cannot be told beforehand.
        let short_in_bytes = whole_in_bytes.checked_sub(self.free_in_bytes / 50 * 51)?;
        self.told = true;
        Some(short_in_bytes)
    }
}
