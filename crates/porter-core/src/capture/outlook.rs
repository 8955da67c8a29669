//! The forecast of room, corrected while a capture goes on.

/// Whether the trunk will fit, by how much room what was read so far took.
pub(super) struct Outlook {
    /// Bytes still to be read.
    expected_in_bytes: u64,
    free_in_bytes: u64,
    told: bool,
}

impl Outlook {
    pub(super) fn new(expected_in_bytes: u64, free_in_bytes: u64) -> Self {
        Self { expected_in_bytes, free_in_bytes, told: false }
    }

    /// Contents that the trunk already holds are not read, and predict nothing about the rest.
    pub(super) fn pass_over(&mut self, size_in_bytes: u64) {
        self.expected_in_bytes = self.expected_in_bytes.saturating_sub(size_in_bytes);
    }

    /// How much room will be missing, reported once, as soon as that is likely. Both counts are of bytes read
    /// and written until now, those of unfinished files included: several are read at one time.
    pub(super) fn after(&mut self, read_in_bytes: u64, written_in_bytes: Option<u64>) -> Option<u64> {
        /// Less says nothing of the rest.
        const ENOUGH_IN_BYTES: u64 = 64 << 20;
        let written_in_bytes = written_in_bytes?;
        if self.told || read_in_bytes < ENOUGH_IN_BYTES {
            return None;
        }
        let ratio = written_in_bytes as f64 / read_in_bytes as f64;
        let whole_in_bytes = (ratio * self.expected_in_bytes as f64) as u64;
        // A little beyond is within the error of the estimate.
        let short_in_bytes = whole_in_bytes.checked_sub(self.free_in_bytes / 50 * 51)?;
        self.told = true;
        Some(short_in_bytes)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const MB: u64 = 1_000_000;

    #[test]
    fn what_will_be_missing_is_told_once_and_what_is_there_already_does_not_count() {
        let mut first = Outlook::new(1000 * MB, 500 * MB);
        assert_eq!(first.after(60 * MB, Some(60 * MB)), None, "too little to tell by");
        assert_eq!(first.after(200 * MB, Some(100 * MB)), None, "half of it is written, and so much is free");
        assert_eq!(first.after(400 * MB, None), None);
        assert_eq!(first.after(500 * MB, Some(300 * MB)), Some(90 * MB));
        assert_eq!(first.after(600 * MB, Some(400 * MB)), None, "told already");

        let mut gone_on_with = Outlook::new(1000 * MB, 100 * MB);
        gone_on_with.pass_over(800 * MB);
        assert_eq!(gone_on_with.after(100 * MB, Some(75 * MB)), Some(48 * MB));
    }
}
