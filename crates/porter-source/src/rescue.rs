//! Reading a file of a failing drive: round the places that cannot be read, and later once more at these.
//!
//! 1. [`Rescue`] reads in large stretches. Where one fails it reads block by block; each block that fails is
//!    left as a hole, and the more of them fail side by side, the further it skips ahead. Where a read takes
//!    very long, it skips ahead, too: a drive that tries again and again dies of it. So the most is read
//!    while the drive still lives.
//! 2. [`Second::of`] comes back to the holes at the end of a run, however long it takes: what was skipped is
//!    tried in stretches, then block by block, and blocks that fail sector by sector, a few times.
//! 3. [`Rescue::second`] reads the file with what the second try found.

use crate::system_trouble::SystemTrouble;
use crate::system_trouble::trouble_by_system_code;
use crate::{OwnTrouble, VolumeFile};
use std::collections::BTreeMap;
use std::io::{self, Read};
use std::ops::Range;
use std::time::{Duration, Instant};

/// The least that a system reads from a drive, whatever is asked for.
const BLOCK_IN_BYTES: u64 = 4096;
/// The smallest that a drive reads.
const SECTOR_IN_BYTES: u64 = 512;
/// The furthest skip.
const MOST_SKIPPED_IN_BYTES: u64 = 1 << 20;
/// The sizes of the pieces in which holes are tried at the end, one round after the other.
const PIECES_IN_BYTES: [u64; 5] =
    [FIRST_SKIP_IN_BYTES, BLOCK_IN_BYTES, SECTOR_IN_BYTES, SECTOR_IN_BYTES, SECTOR_IN_BYTES];
/// The skip behind a read that took very long.
const FIRST_SKIP_IN_BYTES: u64 = 64 << 10;
/// A drive that is well needs less for a MiB, even if it has to wake up first.
const PATIENCE: Duration = Duration::from_secs(5);
/// So much of what the second try read is kept; more of it is read once more.
const MOST_KEPT_IN_BYTES: usize = 32 << 20;

/// The stretches of a file that could not be read: in order, and none touches the next.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Missing(Vec<Range<u64>>);

impl Missing {
    /// Adds a stretch.
    pub fn add(&mut self, stretch: Range<u64>) {
        if stretch.is_empty() {
            return;
        }
        let first = self.0.partition_point(|known| known.end < stretch.start);
        let last = self.0.partition_point(|known| known.start <= stretch.end);
        let joined = self.0[first..last]
            .iter()
            .fold(stretch, |all, known| all.start.min(known.start)..all.end.max(known.end));
        self.0.splice(first..last, [joined]);
    }

    /// In order.
    pub fn stretches(&self) -> &[Range<u64>] {
        &self.0
    }

    /// True if nothing is missing.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// How much is missing.
    pub fn in_bytes(&self) -> u64 {
        self.0.iter().map(|stretch| stretch.end - stretch.start).sum()
    }

    /// The end of the stretch that an offset is in.
    fn end_at(&self, offset_in_bytes: u64) -> Option<u64> {
        let at = self.0.partition_point(|known| known.end <= offset_in_bytes);
        self.0.get(at).filter(|known| known.start <= offset_in_bytes).map(|known| known.end)
    }

    /// Where the first stretch behind an offset begins.
    fn next_after(&self, offset_in_bytes: u64) -> Option<u64> {
        let at = self.0.partition_point(|known| known.start <= offset_in_bytes);
        self.0.get(at).map(|known| known.start)
    }
}

/// [`Read`] over a [`VolumeFile`], with zeros for what cannot be read. Only an error that is not the medium's
/// ends it.
pub struct Rescue {
    file: Box<dyn VolumeFile>,
    offset_in_bytes: u64,
    end_in_bytes: u64,
    /// Not believed: Windows reports old lengths of files that are open. Only where a read returned exactly
    /// the listed bytes, though more was asked for, the end is not asked for once more.
    listed_in_bytes: u64,
    /// Until here it is read block by block.
    careful_until_in_bytes: u64,
    skip_in_bytes: u64,
    missing: Missing,
    found: BTreeMap<u64, Vec<u8>>,
    /// Holes are asked for, and not read.
    is_sparse: bool,
    /// Until here there is something to read.
    kept_until_in_bytes: u64,
    /// A MiB may take so long.
    patience: Duration,
    slow_skip_in_bytes: u64,
}

/// Between two questions for a hole so much is read.
const BETWEEN_QUESTIONS_IN_BYTES: u64 = 1 << 20;

impl Rescue {
    /// At the start of a file that was listed with a size.
    pub fn new(file: Box<dyn VolumeFile>, listed_in_bytes: u64) -> Self {
        Self {
            file,
            offset_in_bytes: 0,
            end_in_bytes: u64::MAX,
            listed_in_bytes,
            careful_until_in_bytes: 0,
            skip_in_bytes: 0,
            missing: Missing::default(),
            found: BTreeMap::new(),
            is_sparse: false,
            kept_until_in_bytes: 0,
            patience: PATIENCE,
            slow_skip_in_bytes: FIRST_SKIP_IN_BYTES,
        }
    }

    /// The same of a file that has holes, which are not read.
    #[must_use]
    pub fn with_holes(self, is_sparse: bool) -> Self {
        Self { is_sparse, ..self }
    }

    /// The same after a second try: what is still missing is not tried once more.
    pub fn second(file: Box<dyn VolumeFile>, listed_in_bytes: u64, second: Second) -> Self {
        Self { missing: second.missing, found: second.found, ..Self::new(file, listed_in_bytes) }
    }

    /// The stretches that could not be read until now.
    pub fn missing(&self) -> &Missing {
        &self.missing
    }

    /// The open file.
    pub fn file(&self) -> &dyn VolumeFile {
        &*self.file
    }

    /// After a read that took too long the next stretch is left for later, and the further the longer it goes
    /// on so.
    fn skip_if_slow(&mut self, took: Duration, length: usize) {
        let pieces = u32::try_from(length.div_ceil(1 << 20)).unwrap_or(u32::MAX);
        if took <= self.patience.saturating_mul(pieces) {
            self.slow_skip_in_bytes = FIRST_SKIP_IN_BYTES;
            return;
        }
        let size_in_bytes = self.file.state().map_or(self.listed_in_bytes, |state| state.size_in_bytes);
        let end = self.offset_in_bytes.saturating_add(self.slow_skip_in_bytes).min(size_in_bytes);
        if self.end_in_bytes > self.offset_in_bytes {
            self.missing.add(self.offset_in_bytes..end.max(self.offset_in_bytes));
        }
        self.slow_skip_in_bytes = (self.slow_skip_in_bytes * 2).min(MOST_SKIPPED_IN_BYTES);
    }

    fn found_at(&self, offset_in_bytes: u64) -> Option<&[u8]> {
        let (begin, bytes) = self.found.range(..=offset_in_bytes).next_back()?;
        bytes.get(usize::try_from(offset_in_bytes - begin).ok()?..).filter(|rest| !rest.is_empty())
    }

    fn advance(&mut self, wanted: usize, read: usize) {
        self.offset_in_bytes += read as u64;
        if (1..wanted).contains(&read) && self.listed_in_bytes == self.offset_in_bytes {
            self.end_in_bytes = self.offset_in_bytes;
        }
    }

    /// Leaves a hole where one block failed, and skips ahead if its neighbours failed too.
    fn pass_over(&mut self, size_in_bytes: u64) {
        let block_end = (self.offset_in_bytes / BLOCK_IN_BYTES + 1) * BLOCK_IN_BYTES;
        let end = block_end.saturating_add(self.skip_in_bytes).min(size_in_bytes);
        self.missing.add(self.offset_in_bytes..end);
        self.skip_in_bytes = (self.skip_in_bytes * 2).clamp(BLOCK_IN_BYTES, MOST_SKIPPED_IN_BYTES);
        self.careful_until_in_bytes = self.careful_until_in_bytes.max(end + BLOCK_IN_BYTES);
    }
}

impl Read for Rescue {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        loop {
            let at = self.offset_in_bytes;
            let left = usize::try_from(self.end_in_bytes.saturating_sub(at)).unwrap_or(usize::MAX);
            let wanted = buffer.len().min(left);
            if wanted == 0 {
                return Ok(0);
            }
            let up_to = |end: u64| wanted.min(usize::try_from(end - at).unwrap_or(usize::MAX));
            if let Some(end) = self.missing.end_at(at) {
                let length = up_to(end);
                buffer[..length].fill(0);
                self.advance(wanted, length);
                return Ok(length);
            }
            if let Some(found) = self.found_at(at) {
                let length = found.len().min(wanted);
                buffer[..length].copy_from_slice(&found[..length]);
                self.advance(wanted, length);
                return Ok(length);
            }
            if self.is_sparse && at >= self.kept_until_in_bytes {
                self.kept_until_in_bytes = at + BETWEEN_QUESTIONS_IN_BYTES;
                if let Some(next) = self.file.next_data(at).filter(|next| *next > at) {
                    let length = up_to(next);
                    buffer[..length].fill(0);
                    // The rest of the hole comes with the next piece.
                    self.kept_until_in_bytes = at + length as u64;
                    self.advance(wanted, length);
                    return Ok(length);
                }
            }
            let next_found = self.found.range(at..).next().map(|(begin, _)| *begin);
            let boundary = self.missing.next_after(at).into_iter().chain(next_found).min();
            let wanted = boundary.map_or(wanted, up_to);
            let to_block_end = usize::try_from(BLOCK_IN_BYTES - at % BLOCK_IN_BYTES).unwrap_or(wanted);
            let is_careful = at < self.careful_until_in_bytes;
            let length = if is_careful { wanted.min(to_block_end) } else { wanted };
            let asked = Instant::now();
            match self.file.read_at(at, &mut buffer[..length]) {
                Ok(read) => {
                    self.skip_in_bytes = 0;
                    self.advance(length, read);
                    if read > 0 {
                        self.skip_if_slow(asked.elapsed(), length);
                    }
                    return Ok(read);
                }
                Err(cause) if cause.kind() == io::ErrorKind::Interrupted => {}
                Err(cause) if !is_of_medium(&cause) => return Err(cause),
                Err(_) if length > to_block_end => {
                    self.careful_until_in_bytes = at + length as u64;
                }
                Err(cause) => {
                    let state = self.file.state();
                    let size_in_bytes = state.map_or(self.listed_in_bytes, |state| state.size_in_bytes);
                    // Stretches behind the end are not known to be missing.
                    if at >= size_in_bytes {
                        return Err(cause);
                    }
                    self.pass_over(size_in_bytes);
                }
            }
        }
    }
}

/// True if the next stretch may be readable although this one was not.
fn is_of_medium(cause: &io::Error) -> bool {
    OwnTrouble::of(cause).is_some() || trouble_by_system_code(cause) == Some(SystemTrouble::Medium)
}

/// The result of a second try at the missing stretches of a file.
#[derive(Debug, Default)]
pub struct Second {
    missing: Missing,
    found: BTreeMap<u64, Vec<u8>>,
    found_in_bytes: u64,
    kept_in_bytes: usize,
}

impl Second {
    /// Tries what is missing again, a few times, as long as `go_on` says so.
    pub fn of(file: &dyn VolumeFile, missing: &Missing, go_on: &dyn Fn() -> bool) -> Self {
        let mut second = Self { missing: missing.clone(), ..Self::default() };
        for piece_in_bytes in PIECES_IN_BYTES {
            for stretch in std::mem::take(&mut second.missing).0 {
                second.try_stretch(file, stretch, piece_in_bytes, go_on);
            }
        }
        second
    }

    /// True if anything was read.
    pub fn found_any(&self) -> bool {
        self.found_in_bytes > 0
    }

    fn try_stretch(
        &mut self,
        file: &dyn VolumeFile,
        stretch: Range<u64>,
        piece_in_bytes: u64,
        go_on: &dyn Fn() -> bool,
    ) {
        let mut at = stretch.start;
        while at < stretch.end {
            let end = ((at / piece_in_bytes + 1) * piece_in_bytes).min(stretch.end);
            let mut bytes = vec![0; usize::try_from(end - at).unwrap_or_default()];
            if go_on() && read_whole(file, at, &mut bytes).is_ok() {
                self.keep(at, bytes);
            } else {
                self.missing.add(at..end);
            }
            at = end;
        }
    }

    fn keep(&mut self, at: u64, bytes: Vec<u8>) {
        self.found_in_bytes += bytes.len() as u64;
        self.kept_in_bytes += bytes.len();
        if self.kept_in_bytes > MOST_KEPT_IN_BYTES {
            return;
        }
        match self.found.range_mut(..at).next_back() {
            Some((begin, before)) if begin + before.len() as u64 == at => before.extend_from_slice(&bytes),
            _ => drop(self.found.insert(at, bytes)),
        }
    }
}

fn read_whole(file: &dyn VolumeFile, at: u64, mut bytes: &mut [u8]) -> io::Result<()> {
    let mut at = at;
    while !bytes.is_empty() {
        match file.read_at(at, bytes)? {
            0 => return Err(io::ErrorKind::UnexpectedEof.into()),
            read => {
                at += read as u64;
                bytes = &mut bytes[read..];
            }
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicUsize, Ordering};
    use std::sync::{Arc, Mutex};

    /// A file with bad sectors, each of which fails this often, and with slow ones.
    struct Worn {
        content: Vec<u8>,
        slow: Range<u64>,
        bad: Mutex<BTreeMap<u64, u32>>,
        asked: Arc<AtomicUsize>,
    }

    impl Worn {
        fn new(content: Vec<u8>, bad: impl IntoIterator<Item = (u64, u32)>) -> Self {
            Self { content, slow: 0..0, bad: Mutex::new(bad.into_iter().collect()), asked: Arc::default() }
        }
    }

    impl VolumeFile for Worn {
        fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
            self.asked.fetch_add(1, Ordering::Relaxed);
            let start = usize::try_from(offset_in_bytes).unwrap().min(self.content.len());
            let end = (start + buffer.len()).min(self.content.len());
            if offset_in_bytes < self.slow.end && end as u64 > self.slow.start {
                std::thread::sleep(PATIENCE_OF_TESTS * 2);
            }
            let mut bad = self.bad.lock().unwrap();
            for sector in start as u64 / SECTOR_IN_BYTES..(end as u64).div_ceil(SECTOR_IN_BYTES) {
                if let Some(left) = bad.get_mut(&sector).filter(|left| **left > 0) {
                    *left -= 1;
                    return Err(io::Error::from_raw_os_error(if cfg!(windows) { 23 } else { 5 }));
                }
            }
            buffer[..end - start].copy_from_slice(&self.content[start..end]);
            Ok(end - start)
        }
    }

    const PATIENCE_OF_TESTS: Duration = Duration::from_millis(60);

    fn content(length: u32) -> Vec<u8> {
        (0..length).map(|at| (at % 251 + 1) as u8).collect()
    }

    fn read_all(mut rescue: Rescue) -> (Vec<u8>, Missing) {
        let mut all = Vec::new();
        let mut buffer = vec![0; 100_000];
        while let read @ 1.. = rescue.read(&mut buffer).unwrap() {
            all.extend_from_slice(&buffer[..read]);
        }
        (all, rescue.missing().clone())
    }

    #[test]
    fn all_but_the_bad_sectors_is_read_and_what_fails_only_sometimes_is_read_later() {
        let whole = content(500_001);
        let always = u32::MAX;
        // One sector, a long scratch, one that fails for a while, and the very end.
        let bad: Vec<(u64, u32)> = [(10, always), (500, 3), (976, always)]
            .into_iter()
            .chain((100..300).map(|s| (s, always)))
            .collect();
        let (first, missing) =
            read_all(Rescue::new(Box::new(Worn::new(whole.clone(), bad.clone())), 500_001));
        assert_eq!(first.len(), whole.len());
        assert!(missing.in_bytes() >= 203 * 512, "{missing:?}");
        let is_hole = |missing: &Missing, at: usize| missing.end_at(at as u64).is_some();
        assert!((0..whole.len()).all(|at| first[at] == if is_hole(&missing, at) { 0 } else { whole[at] }));

        let file = Worn::new(whole.clone(), bad);
        let second = Second::of(&file, &missing, &|| true);
        assert!(second.found_any());
        let (all, still) = read_all(Rescue::second(Box::new(file), 500_001, second));
        let expected: [Range<u64>; 3] = [10 * 512..11 * 512, 100 * 512..300 * 512, 976 * 512..500_001];
        assert_eq!(still.stretches(), expected, "down to the sector");
        assert!((0..whole.len()).all(|at| all[at] == if is_hole(&still, at) { 0 } else { whole[at] }));
    }

    #[test]
    fn a_slow_stretch_is_left_for_later_and_then_read_however_long_it_takes() {
        let whole = content(3_000_000);
        let worn = || {
            let mut file = Worn::new(whole.clone(), []);
            file.slow = 1_000_000..1_900_000;
            file
        };
        let first = Rescue::new(Box::new(worn()), 3_000_000);
        let began = Instant::now();
        let (all, missing) = read_all(Rescue { patience: PATIENCE_OF_TESTS, ..first });
        assert!(began.elapsed() < PATIENCE_OF_TESTS * 2 * 9, "not all of it was waited for");
        assert!(missing.in_bytes() > 400_000, "{missing:?}");
        let is_hole = |at: usize| missing.end_at(at as u64).is_some();
        assert!((0..whole.len()).all(|at| all[at] == if is_hole(at) { 0 } else { whole[at] }));
        assert!(!is_hole(999_999) && !is_hole(2_999_999));

        let second = Second::of(&worn(), &missing, &|| true);
        let (all, missing) = read_all(Rescue::second(Box::new(worn()), 3_000_000, second));
        assert!(missing.is_empty() && all == whole);
    }

    #[test]
    fn a_long_scratch_is_skipped_in_growing_steps() {
        let asked;
        let (_, missing) = {
            let file = Worn::new(content(32 << 20), (0..60_000).map(|sector| (sector, u32::MAX)));
            asked = Arc::clone(&file.asked);
            read_all(Rescue::new(Box::new(file), 32 << 20))
        };
        assert!(asked.load(Ordering::Relaxed) < 1000, "{asked:?}");
        assert!(missing.in_bytes() < 60_000 * 512 + (2 << 20), "what is behind it is read");
        let stopped = Second::of(&Worn::new(content(9000), []), &missing, &|| false);
        assert!(!stopped.found_any() && stopped.missing == missing);
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
            let file = Worn::new((0..10).collect(), []);
            let asked = Arc::clone(&file.asked);
            let mut rescue = Rescue::new(Box::new(file), listed_in_bytes);
            let (mut all, mut buffer) = (Vec::new(), vec![0; room_in_bytes]);
            while let read @ 1.. = rescue.read(&mut buffer).unwrap() {
                all.extend_from_slice(&buffer[..read]);
            }
            assert_eq!(all, (0..10).collect::<Vec<u8>>());
            assert_eq!(asked.load(Ordering::Relaxed), calls, "{listed_in_bytes} {room_in_bytes}");
        }
    }

    #[test]
    fn stretches_join_where_they_touch() {
        let mut missing = Missing::default();
        for stretch in [10..20, 40..50, 0..5, 20..30, 4..11, 60..60] {
            missing.add(stretch);
        }
        assert_eq!(missing.stretches(), [0..30, 40..50]);
        assert_eq!(missing.in_bytes(), 40);
    }
}
