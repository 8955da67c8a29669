//! The speed at which a drive takes data: measured, because no system reports it.

use std::fs::{self, File};
use std::io::Write;
use std::path::Path;
use std::time::{Duration, Instant};

/// Less than that says nothing, because drives buffer.
const LEAST_IN_BYTES: u64 = 8 << 20;
const MOST_IN_BYTES: u64 = 64 << 20;
const LONGEST: Duration = Duration::from_secs(2);
const PIECE_IN_BYTES: usize = 1 << 20;

/// Bytes per second, by writing a file into `folder` and flushing it; none if that cannot be done, or would
/// fill the drive. The file is gone afterwards.
pub(crate) fn measured(folder: &Path) -> Option<u64> {
    let room_in_bytes = porter_trunk::free_space_in_bytes(folder).ok()?;
    if room_in_bytes < 4 * MOST_IN_BYTES {
        return None;
    }
    let file = tempfile::Builder::new().prefix(".porter-speed-").tempfile_in(folder).ok()?;
    let taken = written(file.as_file());
    // Dropped, it is deleted; a drive that fails just then must not be reported here.
    let _ = fs::remove_file(file.path());
    let (in_bytes, took) = taken?;
    Some((in_bytes as f64 / took.as_secs_f64().max(1e-6)) as u64)
}

fn written(mut file: &File) -> Option<(u64, Duration)> {
    let mut piece = vec![0_u8; PIECE_IN_BYTES];
    // Drives that compress would take zeros faster.
    getrandom::fill(&mut piece).ok()?;
    let began = Instant::now();
    let mut in_bytes = 0;
    while in_bytes < LEAST_IN_BYTES || (in_bytes < MOST_IN_BYTES && began.elapsed() < LONGEST) {
        file.write_all(&piece).ok()?;
        in_bytes += PIECE_IN_BYTES as u64;
    }
    file.sync_all().ok()?;
    Some((in_bytes, began.elapsed()))
}

/// `less than a minute`, `about 12 minutes`, `about 3.5 hours`.
pub(crate) fn time_for(in_bytes: u64, bytes_per_second: u64) -> String {
    let seconds = in_bytes as f64 / bytes_per_second.max(1) as f64;
    match seconds {
        ..60.0 => "less than a minute".to_owned(),
        ..5400.0 => format!("about {:.0} minutes", (seconds / 60.0).ceil()),
        _ => format!("about {:.1} hours", seconds / 3600.0),
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]
mod tests {
    use super::*;

    #[test]
    fn a_drive_is_tried_and_left_as_it_was() {
        let folder = tempfile::tempdir().unwrap();
        assert!(measured(folder.path()).unwrap() > 100_000);
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 0);
        assert_eq!(measured(&folder.path().join("none")), None);
        for (in_bytes, expected) in [
            (1_000, "less than a minute"),
            (3_000_000_000, "about 2 minutes"),
            (500_000_000_000, "about 4.6 hours"),
        ] {
            assert_eq!(time_for(in_bytes, 30_000_000), expected);
        }
    }
}
