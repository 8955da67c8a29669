//! Events of a long operation. They are facts only: lines, bars and JSON are the caller's business.

use porter_names::RelativePath;
use porter_trunk::Tally;
use serde::{Serialize, Serializer};
use std::io::{self, Read};
use std::sync::atomic::{AtomicBool, Ordering};

/// One fact from a running operation.
#[derive(Debug, Clone, Serialize)]
#[serde(tag = "event", rename_all = "kebab-case")]
pub enum Event<'a> {
    /// A stage begins; as much is expected.
    StageBegan {
        /// Which.
        stage: Stage,
        /// The amount known beforehand.
        expected: Tally,
    },
    /// Some bytes of content were dealt with. Comes very often.
    Bytes {
        /// How many.
        size_in_bytes: u64,
    },
    /// Some files were seen. Comes very often while a machine is looked at.
    Seen {
        /// How many.
        files: u64,
    },
    /// A file was dealt with.
    File {
        /// The item it belongs to.
        item: &'a str,
        /// Its path below its place, or where it lands.
        #[serde(serialize_with = "shown")]
        path: &'a RelativePath,
        /// Length of its content.
        size_in_bytes: u64,
    },
    /// Something could not be dealt with, and the run goes on.
    Trouble {
        /// The item it belongs to.
        item: &'a str,
        /// Its path.
        #[serde(serialize_with = "shown")]
        path: &'a RelativePath,
        /// In short: the code of the reason.
        code: &'a str,
    },
    /// By what was written so far, the rest will not fit on the trunk's volume. Comes once at most.
    WillNotFit {
        /// About so much room will be missing.
        short_in_bytes: u64,
    },
    /// A stage is over.
    StageEnded {
        /// Which.
        stage: Stage,
    },
}

/// Harmless to show; made only when somebody writes it down.
fn shown<S: Serializer>(path: &&RelativePath, serializer: S) -> Result<S::Ok, S::Error> {
    serializer.collect_str(path)
}

/// The parts of the long operations.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Stage {
    /// Counting what is there.
    Survey,
    /// Copying into the trunk.
    Capture,
    /// Waiting until everything is on the medium.
    Flush,
    /// Reading the trunk back.
    ReadBack,
    /// Comparing with what is on the new machine.
    Plan,
    /// Writing to the new machine.
    Restore,
    /// Reading what landed.
    Check,
    /// Taking a restore back.
    Undo,
}

/// Who listens, and whether to stop: handed to every long operation.
#[derive(Clone, Copy)]
pub struct Conduct<'a> {
    /// Hears every event, from several threads.
    pub events: &'a (dyn Fn(&Event<'_>) + Sync),
    /// Set from outside to end the operation at the next safe place.
    pub stop: &'a AtomicBool,
}

impl Conduct<'_> {
    pub(crate) fn send(&self, event: &Event<'_>) {
        (self.events)(event);
    }

    pub(crate) fn is_stopped(&self) -> bool {
        self.stop.load(Ordering::Relaxed)
    }
}

/// Somebody asked the operation to stop.
#[derive(Debug, Clone, Copy, thiserror::Error)]
#[error("stopped before it was done")]
pub struct Cancelled;

/// Content that is read until somebody asks to stop: a long file must not keep anybody waiting.
pub(crate) struct Stoppable<'a, R> {
    pub(crate) content: R,
    pub(crate) conduct: Conduct<'a>,
}

/// So much is read at once at most, so that a stop is heeded soon.
const MOST_READ_IN_BYTES: usize = 2 << 20;

impl<R: Read> Read for Stoppable<'_, R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.conduct.is_stopped() {
            return Err(io::Error::other(Cancelled));
        }
        let most = buffer.len().min(MOST_READ_IN_BYTES);
        self.content.read(&mut buffer[..most])
    }
}
