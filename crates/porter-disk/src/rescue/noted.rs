//! A drive whose readable stretches are noted, and kept in a copy if one is wanted.

use super::map_file::{DriveMap, NoMap, Status};
use crate::block_source::{BlockSource, held};
use porter_source::OwnTrouble;
use std::collections::BTreeMap;
use std::fs::{self, File};
use std::io::{self, Write};
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

const SECTOR_IN_BYTES: u64 = 512;
/// Reads up to this length are the last try of their stretch in a pass: smaller ones do not help.
const SHORT_IN_BYTES: usize = 4096;
/// How often such a stretch is tried in all. The drive is asked no more then.
const MOST_TRIES: u8 = 5;

/// Why a map or a copy cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum NotedError {
    /// It cannot be read or written.
    #[error("`{}`: {cause}", path.display())]
    Io {
        /// The file.
        path: PathBuf,
        /// The system's words.
        cause: io::Error,
    },
    /// It is no map.
    #[error("`{}`: {cause}", path.display())]
    NoMap {
        /// The file.
        path: PathBuf,
        /// The flaw.
        cause: NoMap,
    },
    /// A copy without its map: nobody knows which zeros in it are the drive's.
    #[error("`{}` is there, and `{}` is not: which of it was read is not known", copy.display(), map.display())]
    CopyWithoutMap {
        /// The copy.
        copy: PathBuf,
        /// The map that should be beside it.
        map: PathBuf,
    },
}

/// The source, the map of it, and its copy.
pub struct Noted {
    of: Arc<dyn BlockSource>,
    state: Mutex<State>,
    /// Only what the map has was ever read from the drive: the source is an image.
    is_image: bool,
    copy: Option<File>,
}

#[derive(Default)]
struct State {
    map: DriveMap,
    /// How often short stretches failed, by their sectors.
    tries: BTreeMap<u64, u8>,
    /// The copy could not take something.
    copy_trouble: Option<io::Error>,
}

/// The map that stands beside a copy.
pub fn map_beside(image: &Path) -> PathBuf {
    let mut name = image.as_os_str().to_owned();
    name.push(".map");
    name.into()
}

fn load(path: &Path) -> Result<DriveMap, NotedError> {
    let text =
        fs::read_to_string(path).map_err(|cause| NotedError::Io { path: path.to_path_buf(), cause })?;
    DriveMap::from_text(&text).map_err(|cause| NotedError::NoMap { path: path.to_path_buf(), cause })
}

impl Noted {
    /// A drive of which nothing was read yet.
    pub fn new(of: Arc<dyn BlockSource>) -> Self {
        Self { of, state: Mutex::default(), is_image: false, copy: None }
    }

    /// An image, with the map that tells which of its bytes are the drive's.
    pub fn image(of: Arc<dyn BlockSource>, map: &Path) -> Result<Self, NotedError> {
        let state = State { map: load(map)?, ..State::default() };
        Ok(Self { of, state: Mutex::new(state), is_image: true, copy: None })
    }

    /// Reads into a copy, too. If the copy is there with its map, what it has is not read from the drive
    /// again.
    pub fn with_copy(self, copy: &Path) -> Result<Self, NotedError> {
        let failed = |cause| NotedError::Io { path: copy.to_path_buf(), cause };
        let map = map_beside(copy);
        let is_there = fs::metadata(copy).is_ok_and(|found| found.len() > 0);
        let known = match (is_there, map.exists()) {
            (true, false) => return Err(NotedError::CopyWithoutMap { copy: copy.to_path_buf(), map }),
            (true, true) => load(&map)?,
            (false, _) => DriveMap::default(),
        };
        let file =
            File::options().read(true).write(true).create(true).truncate(false).open(copy).map_err(failed)?;
        file.set_len(self.of.size_in_bytes()).map_err(failed)?;
        let state = State { map: known, ..State::default() };
        Ok(Self { state: Mutex::new(state), copy: Some(file), ..self })
    }

    fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The map as it is now.
    pub fn map(&self) -> DriveMap {
        self.state().map.clone()
    }

    /// Why the copy lacks something that was read; none if it lacks nothing.
    pub fn take_copy_trouble(&self) -> Option<io::Error> {
        self.state().copy_trouble.take()
    }

    /// True for an image: nothing is noted then.
    pub fn is_image(&self) -> bool {
        self.is_image
    }

    /// Writes the map to a file, in one piece.
    pub fn write_map(&self, path: &Path) -> io::Result<()> {
        if let Some(copy) = &self.copy {
            copy.sync_data()?;
        }
        let text = self.map().to_text(self.of.size_in_bytes());
        let aside = path.with_extension("map.new");
        let mut file = File::create(&aside)?;
        file.write_all(text.as_bytes())?;
        file.sync_all()?;
        drop(file);
        fs::rename(&aside, path)
    }

    fn note_read(&self, at: u64, bytes: &[u8]) {
        if self.is_image {
            return;
        }
        let kept = match &self.copy {
            Some(copy) => write_at(copy, at, bytes),
            None => Ok(()),
        };
        let mut state = self.state();
        match kept {
            // A sector that was read in part is read in full when it is wanted.
            Ok(()) => {
                let range = at.next_multiple_of(SECTOR_IN_BYTES)
                    ..whole_sectors(at + bytes.len() as u64, self.size_in_bytes());
                if range.start < range.end {
                    state.map.set(range, Status::Read);
                }
            }
            Err(cause) => drop(state.copy_trouble.get_or_insert(cause)),
        }
    }

    fn note_failed(&self, range: Range<u64>, is_short: bool) {
        let mut state = self.state();
        let sectors =
            range.start - range.start % SECTOR_IN_BYTES..range.end.next_multiple_of(SECTOR_IN_BYTES);
        if sectors.end - sectors.start > SECTOR_IN_BYTES {
            let becomes = if is_short { Status::NotScraped } else { Status::NotTrimmed };
            let mut at = sectors.start;
            // A stretch that was read before stays so.
            while at < sectors.end {
                let (status, end) = state.map.at(at);
                let end = end.min(sectors.end);
                if matches!(status, Status::NotTried | Status::NotTrimmed) {
                    state.map.set(at..end, becomes);
                }
                at = end;
            }
        } else {
            state.map.set(sectors.clone(), Status::Bad);
        }
        if is_short {
            *state.tries.entry(sectors.start).or_default() += 1;
        }
    }
}

fn whole_sectors(end: u64, size_in_bytes: u64) -> u64 {
    if end >= size_in_bytes { end } else { end - end % SECTOR_IN_BYTES }
}

#[cfg(unix)]
fn write_at(file: &File, at: u64, bytes: &[u8]) -> io::Result<()> {
    std::os::unix::fs::FileExt::write_all_at(file, bytes, at)
}

#[cfg(windows)]
fn write_at(file: &File, at: u64, bytes: &[u8]) -> io::Result<()> {
    let mut written = 0;
    while written < bytes.len() {
        let piece = &bytes[written..];
        written += std::os::windows::fs::FileExt::seek_write(file, piece, at + written as u64)?;
    }
    Ok(())
}

#[cfg(unix)]
fn read_at(file: &File, at: u64, buffer: &mut [u8]) -> io::Result<()> {
    std::os::unix::fs::FileExt::read_exact_at(file, buffer, at)
}

#[cfg(windows)]
fn read_at(file: &File, at: u64, buffer: &mut [u8]) -> io::Result<()> {
    let mut read = 0;
    while read < buffer.len() {
        match std::os::windows::fs::FileExt::seek_read(file, &mut buffer[read..], at + read as u64)? {
            0 => return Err(io::ErrorKind::UnexpectedEof.into()),
            more => read += more,
        }
    }
    Ok(())
}

impl BlockSource for Noted {
    fn size_in_bytes(&self) -> u64 {
        self.of.size_in_bytes()
    }

    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let wanted = held(self.size_in_bytes(), offset_in_bytes, buffer.len());
        let buffer = &mut buffer[..wanted];
        let range = offset_in_bytes..offset_in_bytes + wanted as u64;
        if range.is_empty() {
            return Ok(0);
        }
        if self.is_image {
            if !self.state().map.is_read(range) {
                return Err(OwnTrouble::NotInImage.into());
            }
            return self.of.read_at(offset_in_bytes, buffer);
        }
        // A drive reads no less than a sector, and all that it read is noted and kept.
        let start = range.start - range.start % SECTOR_IN_BYTES;
        let end = range.end.next_multiple_of(SECTOR_IN_BYTES).min(self.size_in_bytes());
        if (start, end) == (range.start, range.end) {
            return self.read_sectors(range, buffer);
        }
        let mut sectors = vec![0; (end - start) as usize];
        let read = self.read_sectors(start..end, &mut sectors)?;
        let before = (range.start - start) as usize;
        let read = read.saturating_sub(before).min(wanted);
        buffer[..read].copy_from_slice(&sectors[before..before + read]);
        Ok(read)
    }

    fn look_at(&self, offset_in_bytes: u64, length_in_bytes: usize, look: &mut dyn FnMut(&[u8])) -> bool {
        let range = offset_in_bytes..offset_in_bytes.saturating_add(length_in_bytes as u64);
        // A look is not noted, so it may only be taken where all is known.
        let is_known = self.is_image && self.state().map.is_read(range);
        is_known && self.of.look_at(offset_in_bytes, length_in_bytes, look)
    }

    fn is_gone(&self) -> bool {
        self.of.is_gone()
    }
}

impl Noted {
    /// Reads whole sectors: from the copy if it has them, or else from the drive.
    fn read_sectors(&self, range: Range<u64>, buffer: &mut [u8]) -> io::Result<usize> {
        let (offset_in_bytes, wanted) = (range.start, buffer.len());
        let is_read = self.state().map.is_read(range.clone());
        if let Some(copy) = self.copy.as_ref().filter(|_| is_read) {
            read_at(copy, offset_in_bytes, buffer)?;
            return Ok(wanted);
        }
        let is_short = wanted <= SHORT_IN_BYTES;
        let first_sector = range.start - range.start % SECTOR_IN_BYTES;
        if is_short && self.state().tries.get(&first_sector).is_some_and(|tries| *tries >= MOST_TRIES) {
            return Err(OwnTrouble::GivenUp.into());
        }
        match self.of.read_at(offset_in_bytes, buffer) {
            Ok(read) => {
                self.note_read(offset_in_bytes, &buffer[..read]);
                Ok(read)
            }
            Err(cause) => {
                self.note_failed(range, is_short);
                Err(cause)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicUsize, Ordering};

    /// Some sectors fail; it counts how often it was asked.
    struct Failing {
        bytes: Vec<u8>,
        bad: Range<u64>,
        asked: AtomicUsize,
    }

    impl BlockSource for Failing {
        fn size_in_bytes(&self) -> u64 {
            self.bytes.len() as u64
        }

        fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
            self.asked.fetch_add(1, Ordering::Relaxed);
            let end = offset_in_bytes + buffer.len() as u64;
            if offset_in_bytes < self.bad.end && end > self.bad.start {
                return Err(io::Error::from_raw_os_error(if cfg!(windows) { 23 } else { 5 }));
            }
            self.bytes.read_at(offset_in_bytes, buffer)
        }
    }

    fn failing(bad: Range<u64>) -> Arc<Failing> {
        let bytes = (0..100_000_u32).map(|at| (at % 251) as u8).collect();
        Arc::new(Failing { bytes, bad, asked: AtomicUsize::new(0) })
    }

    #[test]
    fn a_second_run_reads_only_what_the_copy_lacks_and_the_copy_alone_says_what_it_lacks() {
        let folder = tempfile::tempdir().unwrap();
        let copy = folder.path().join("old.img");
        let drive = failing(51_200..51_712);
        let first = Noted::new(Arc::clone(&drive) as Arc<dyn BlockSource>).with_copy(&copy).unwrap();
        let mut buffer = vec![0; 51_200];
        assert_eq!(first.read_at(0, &mut buffer).unwrap(), 51_200);
        assert!(first.read_at(51_200, &mut [0; 8192]).is_err());
        for _ in 0..9 {
            assert!(first.read_at(51_200, &mut [0; 512]).is_err());
        }
        assert_eq!(
            drive.asked.load(Ordering::Relaxed),
            2 + usize::from(MOST_TRIES),
            "the drive is not asked for ever"
        );
        first.write_map(&map_beside(&copy)).unwrap();

        let healed = failing(0..0);
        let second = Noted::new(Arc::clone(&healed) as Arc<dyn BlockSource>).with_copy(&copy).unwrap();
        assert_eq!(second.read_at(0, &mut buffer).unwrap(), 51_200);
        assert_eq!(buffer, drive.bytes[..51_200]);
        assert_eq!(healed.asked.load(Ordering::Relaxed), 0);
        second.read_at(51_200, &mut [0; 512]).unwrap();
        second.write_map(&map_beside(&copy)).unwrap();

        let bytes = fs::read(&copy).unwrap();
        let image = Noted::image(Arc::new(bytes), &map_beside(&copy)).unwrap();
        let mut buffer = vec![0; 51_712];
        image.read_at(0, &mut buffer).unwrap();
        assert_eq!(buffer, drive.bytes[..51_712]);
        let cause = image.read_at(60_000, &mut buffer).unwrap_err();
        assert!(cause.to_string().contains("the image lacks it"), "{cause}");
        fs::remove_file(map_beside(&copy)).unwrap();
        let without = Noted::new(healed).with_copy(&copy);
        assert!(matches!(without, Err(NotedError::CopyWithoutMap { .. })));
    }
}
