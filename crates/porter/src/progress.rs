//! Progress with rate and time left: a moving line on a terminal, now and then a plain line elsewhere.

use crate::screen::{CARE, moving_line, styled, tell};
use crate::views::numbers::{count, counted, size};
use indicatif::{ProgressBar, ProgressStyle};
use porter_core::events::{Event, Stage};
use porter_disk::rescue::Noted;
use porter_disk::rescue::map_file::{DriveMap, Status};
use porter_trunk::Tally;
use std::io::IsTerminal;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

/// Where no terminal is, a line so often.
const PLAIN_LINE_EVERY: Duration = Duration::from_secs(5);
/// Counting what of a drive was read takes longer than drawing a line.
const ASK_DRIVE_EVERY: Duration = Duration::from_millis(500);

/// Listens to events and shows how far a command is.
pub(crate) struct Progress {
    how: How,
    files: AtomicU64,
    size_in_bytes: AtomicU64,
    /// The drive that is read, if porter reads one itself.
    drive: Option<Arc<Noted>>,
    stage: Mutex<Running>,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum How {
    Silent,
    Plain,
    Moving,
}

struct Running {
    words: &'static str,
    drive: Option<Arc<Noted>>,
    expected: Tally,
    began: Instant,
    last_line: Instant,
    /// When the drive was asked last how it fares.
    asked: Option<Instant>,
    bar: Option<ProgressBar>,
}

impl Progress {
    pub(crate) fn new(quiet: bool, drive: Option<Arc<Noted>>) -> Self {
        let how = match (quiet, std::io::stderr().is_terminal()) {
            (true, _) => How::Silent,
            (false, true) => How::Moving,
            (false, false) => How::Plain,
        };
        let now = Instant::now();
        let stage = Running {
            words: "",
            drive: None,
            expected: Tally::default(),
            began: now,
            last_line: now,
            asked: None,
            bar: None,
        };
        let (files, size_in_bytes) = (AtomicU64::new(0), AtomicU64::new(0));
        Self {
            how,
            files,
            size_in_bytes,
            drive: drive.filter(|drive| !drive.is_image()),
            stage: Mutex::new(stage),
        }
    }

    pub(crate) fn hear(&self, event: &Event<'_>) {
        if self.how == How::Silent {
            return;
        }
        match event {
            Event::StageBegan { stage, expected } => self.begin(*stage, *expected),
            Event::Bytes { size_in_bytes } => {
                self.size_in_bytes.fetch_add(*size_in_bytes, Ordering::Relaxed);
                self.show();
            }
            Event::File { .. } => {
                self.files.fetch_add(1, Ordering::Relaxed);
                self.show();
            }
            Event::Seen { files } => {
                self.files.fetch_add(*files, Ordering::Relaxed);
            }
            Event::Trouble { .. } => {}
            Event::WillNotFit { short_in_bytes } => tell(styled(
                CARE,
                format_args!(
                    "! By what was written so far, about {} of room will be missing. It goes on; see --continue-on.",
                    size(*short_in_bytes)
                ),
            )),
            Event::StageEnded { .. } => self.end(),
        }
    }

    /// Takes the moving line away.
    pub(crate) fn end(&self) {
        let mut running = self.stage.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(bar) = running.bar.take() {
            bar.finish_and_clear();
        }
    }

    fn begin(&self, stage: Stage, expected: Tally) {
        self.end();
        self.files.store(0, Ordering::Relaxed);
        self.size_in_bytes.store(0, Ordering::Relaxed);
        let mut running = self.stage.lock().unwrap_or_else(PoisonError::into_inner);
        running.words = words(stage);
        running.drive = self.drive_of(stage);
        running.expected = expected;
        running.began = Instant::now();
        running.last_line = running.began;
        if self.how == How::Moving {
            let bar = ProgressBar::with_draw_target(Some(expected.size_in_bytes), moving_line(8));
            let template = if expected.size_in_bytes > 0 && self.drive_of(stage).is_some() {
                "{prefix:<14} {wide_bar} {decimal_bytes}/{decimal_total_bytes}  {eta} left  {msg}"
            } else if expected.size_in_bytes > 0 {
                "{prefix:<14} {wide_bar} {decimal_bytes}/{decimal_total_bytes}  {decimal_bytes_per_sec}  {eta} left"
            } else {
                "{prefix:<14} {spinner} {elapsed}  {msg}"
            };
            if let Ok(style) = ProgressStyle::with_template(template) {
                // Letters that every console has.
                bar.set_style(style.progress_chars("=> ").tick_chars("-\\|/ "));
            }
            bar.set_prefix(running.words);
            running.bar = Some(bar);
        }
    }

    /// The drive, while it is read.
    fn drive_of(&self, stage: Stage) -> Option<Arc<Noted>> {
        self.drive.clone().filter(|_| stage == Stage::Capture)
    }

    fn show(&self) {
        // A thread that comes while another shows does not wait: the next event shows it anyway.
        let Ok(mut running) = self.stage.try_lock() else { return };
        let size_in_bytes = self.size_in_bytes.load(Ordering::Relaxed);
        match &running.bar {
            Some(bar) if running.expected.size_in_bytes == 0 => {
                bar.set_message(so_far(self.files.load(Ordering::Relaxed), size_in_bytes));
            }
            Some(bar) => {
                bar.set_position(size_in_bytes);
                let is_time = running.asked.is_none_or(|asked| asked.elapsed() >= ASK_DRIVE_EVERY);
                if let Some(drive) = running.drive.as_ref().filter(|_| is_time) {
                    bar.set_message(drive_in_words(&drive.map()));
                    running.asked = Some(Instant::now());
                }
            }
            None if self.how == How::Plain && running.last_line.elapsed() >= PLAIN_LINE_EVERY => {
                let seconds = running.began.elapsed().as_secs_f64();
                let line = plain_line(&running, self.files.load(Ordering::Relaxed), size_in_bytes, seconds);
                match &running.drive {
                    Some(drive) => tell(format_args!("{line}; {}", drive_in_words(&drive.map()))),
                    None => tell(line),
                }
                running.last_line = Instant::now();
            }
            None => {}
        }
    }
}

fn plain_line(running: &Running, files: u64, size_in_bytes: u64, seconds: f64) -> String {
    let rate = size_in_bytes as f64 / seconds;
    if running.expected.size_in_bytes == 0 {
        return format!("{}: {} so far", running.words, so_far(files, size_in_bytes));
    }
    let left_in_bytes = running.expected.size_in_bytes.saturating_sub(size_in_bytes);
    format!(
        "{}: {} of {} files, {} of {}, {}/s, {:.0} s left",
        running.words,
        count(files),
        count(running.expected.files),
        size(size_in_bytes),
        size(running.expected.size_in_bytes),
        size(rate as u64),
        if rate > 0.0 { left_in_bytes as f64 / rate } else { 0.0 }
    )
}

/// How a drive fares: `readable 1.2 GB, waiting 64.0 kB, bad 512 B`. Stretches that wait failed once, and are
/// tried again.
fn drive_in_words(map: &DriveMap) -> String {
    let waiting = map.in_bytes(Status::NotTrimmed) + map.in_bytes(Status::NotScraped);
    let (read, bad) = (map.in_bytes(Status::Read), map.in_bytes(Status::Bad));
    format!("readable {}, waiting {}, bad {}", size(read), size(waiting), size(bad))
}

fn so_far(files: u64, size_in_bytes: u64) -> String {
    format!("{}, {}", counted(files, "file"), size(size_in_bytes))
}

fn words(stage: Stage) -> &'static str {
    match stage {
        Stage::Survey => "looking",
        Stage::Capture => "capturing",
        Stage::Flush => "flushing",
        Stage::ReadBack => "reading back",
        Stage::Plan => "comparing",
        Stage::Restore => "restoring",
        Stage::Undo => "taking back",
        Stage::Check => "checking",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_plain_line_tells_how_far_how_fast_and_how_long_still() {
        let now = Instant::now();
        let expected = Tally { files: 4000, size_in_bytes: 150_000_000, ..Tally::default() };
        let mut running = Running {
            words: "capturing",
            drive: None,
            expected,
            began: now,
            last_line: now,
            asked: None,
            bar: None,
        };
        assert_eq!(
            plain_line(&running, 1200, 50_000_000, 2.0),
            "capturing: 1,200 of 4,000 files, 50.0 MB of 150.0 MB, 25.0 MB/s, 4 s left"
        );
        // Nothing read yet, and a source that grew while it was read.
        assert!(plain_line(&running, 0, 0, 0.5).ends_with("0 B/s, 0 s left"));
        assert!(plain_line(&running, 4000, 160_000_000, 2.0).ends_with(" 0 s left"));
        let mut map = DriveMap::default();
        map.set(0..1_200_000, Status::Read);
        map.set(4096..4608, Status::Bad);
        map.set(8192..12_288, Status::NotScraped);
        map.set(65_536..131_072, Status::NotTrimmed);
        assert_eq!(drive_in_words(&map), "readable 1.1 MB, waiting 69.6 kB, bad 512 B");

        running.expected = Tally::default();
        assert_eq!(plain_line(&running, 7, 1500, 1.0), "capturing: 7 files, 1.5 kB so far");
    }
}
