//! Writing packs: one thread takes blocks as they come and writes them one after the other. (Two threads that
//! write one file fight over its lock.) A second one flushes written data at the same time, so that the end
//! need not wait for all of it.

use super::block::{Kind, Sealed};
use super::block_file_writer::{BlockFileWriter, Run};
use super::file_frame::Role;
use super::layout::FileName;
use super::lines;
use super::list::{Contents, PackRow};
use crate::{TrunkError, host};
use crossbeam_channel::{Receiver, Sender, bounded};
use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::JoinHandle;

/// Blocks that wait to be written, at most.
const BLOCKS_WAITING: usize = 6;
/// So much is written before it is seen onto the medium.
const FLUSH_EVERY_IN_BYTES: u64 = 64 << 20;

/// The parameters that packs are written with.
pub(super) struct PackPlan {
    pub(super) folder: PathBuf,
    pub(super) part: u32,
    pub(super) limit_in_bytes: u64,
    pub(super) first_number: u32,
    pub(super) spare_in_percent: Option<f64>,
}

impl PackPlan {
    /// How long spare data is for each byte of a pack. It has tables, too.
    fn spare_share(&self) -> Option<f64> {
        self.spare_in_percent.map(|percent| percent / 100.0 * 1.02)
    }

    /// Where the next pack ends, so that its spare data fits beside it, and that of `bare_in_bytes` of packs
    /// before; full if not even the block to come fits.
    fn limit_within_room(&self, bare_in_bytes: u64, block_in_bytes: u64) -> Result<u64, Failed> {
        /// For names, for what stands at a pack's beginning and end, and for lines of entries.
        const KEPT_FREE_IN_BYTES: u64 = 256 << 10;
        let free_in_bytes = host::free_space_in_bytes(&self.folder).ok();
        let Some((share, free_in_bytes)) = self.spare_share().zip(free_in_bytes) else {
            return Ok(self.limit_in_bytes);
        };
        let due_in_bytes = (bare_in_bytes as f64 * share) as u64;
        let room_in_bytes = free_in_bytes.saturating_sub(due_in_bytes + KEPT_FREE_IN_BYTES);
        let limit_in_bytes = (room_in_bytes as f64 / (1.0 + share)) as u64;
        if limit_in_bytes < block_in_bytes {
            return Err((self.folder.clone(), io::ErrorKind::StorageFull.into()));
        }
        Ok(self.limit_in_bytes.min(limit_in_bytes))
    }
}

/// The end that hands blocks over. Shared by all threads that store.
pub(super) struct PackWriter {
    give: Mutex<Option<Sender<Job>>>,
    thread: Mutex<Option<JoinHandle<Vec<PackRow>>>>,
    shared: Arc<Shared>,
    spare_share: f64,
}

enum Job {
    Block(Sealed),
    /// The contents that every pack begins with.
    Beginning(Box<Contents>),
}

#[derive(Default)]
struct Shared {
    blocks_in_bytes: AtomicU64,
    broken: Mutex<Option<Broken>>,
}

/// Why nothing more is written.
#[derive(Clone)]
struct Broken {
    path: PathBuf,
    kind: io::ErrorKind,
    text: String,
}

impl Shared {
    fn fail(&self, path: &Path, cause: &io::Error) {
        let mut broken = self.broken.lock().unwrap_or_else(PoisonError::into_inner);
        broken.get_or_insert_with(|| Broken {
            path: path.to_path_buf(),
            kind: cause.kind(),
            text: cause.to_string(),
        });
    }

    fn error(&self) -> Option<TrunkError> {
        let broken = self.broken.lock().unwrap_or_else(PoisonError::into_inner).clone();
        broken.map(|Broken { path, kind, text }| TrunkError::io("writing", &path, io::Error::new(kind, text)))
    }
}

impl PackWriter {
    pub(super) fn begin(plan: PackPlan, run: Arc<Run>) -> Self {
        let shared = Arc::new(Shared::default());
        let (give, get) = bounded(BLOCKS_WAITING);
        let its = Arc::clone(&shared);
        let spare_share = plan.spare_share().unwrap_or(0.0);
        let thread = std::thread::spawn(move || {
            Writing {
                plan,
                run,
                shared: its,
                current: None,
                beginning: None,
                finishing: None,
                done: Vec::new(),
                begun: 0,
            }
            .run(&get)
        });
        Self { give: Mutex::new(Some(give)), thread: Mutex::new(Some(thread)), shared, spare_share }
    }

    fn send(&self, job: Job) -> Result<(), TrunkError> {
        if let Some(error) = self.shared.error() {
            return Err(error);
        }
        let give = self.give.lock().unwrap_or_else(PoisonError::into_inner).clone();
        let sent = give.is_some_and(|give| give.send(job).is_ok());
        if sent { Ok(()) } else { Err(self.shared.error().unwrap_or(TrunkError::Full)) }
    }

    pub(super) fn announce(&self, contents: Contents) -> Result<(), TrunkError> {
        self.send(Job::Beginning(Box::new(contents)))
    }

    /// Hands a block over. Blocks are written in this order.
    pub(super) fn write(&self, block: Sealed) -> Result<(), TrunkError> {
        self.send(Job::Block(block))
    }

    /// Waits until all is on the medium. Returns the finished packs, and why not all was written.
    pub(super) fn end(&self) -> (Vec<PackRow>, Result<(), TrunkError>) {
        drop(self.give.lock().unwrap_or_else(PoisonError::into_inner).take());
        let thread = self.thread.lock().unwrap_or_else(PoisonError::into_inner).take();
        let packs = thread.and_then(|thread| thread.join().ok()).unwrap_or_default();
        (packs, self.shared.error().map_or(Ok(()), Err))
    }

    /// The bytes written so far, including the spare data due to them.
    pub(super) fn written_in_bytes(&self) -> u64 {
        let blocks_in_bytes = self.shared.blocks_in_bytes.load(Ordering::Relaxed);
        (blocks_in_bytes as f64 * (1.0 + self.spare_share)) as u64
    }
}

impl Drop for PackWriter {
    fn drop(&mut self) {
        let _ = self.end();
    }
}

/// The thread's own.
struct Writing {
    plan: PackPlan,
    run: Arc<Run>,
    shared: Arc<Shared>,
    current: Option<Current>,
    beginning: Option<Box<Contents>>,
    /// The pack before, as long as the medium has not got all of it.
    finishing: Option<JoinHandle<Result<PackRow, Failed>>>,
    done: Vec<PackRow>,
    begun: u32,
}

struct Current {
    file: BlockFileWriter,
    number: u32,
    limit_in_bytes: u64,
    flushed_in_bytes: u64,
    flusher: Option<Flusher>,
}

/// Sees a file onto the medium while it grows.
struct Flusher {
    give: Sender<()>,
    thread: JoinHandle<io::Result<()>>,
}

impl Flusher {
    fn begin(file: File) -> Self {
        let (give, get) = bounded::<()>(1);
        Self { give, thread: std::thread::spawn(move || get.iter().try_for_each(|()| file.sync_data())) }
    }

    fn end(self) -> io::Result<()> {
        drop(self.give);
        self.thread.join().unwrap_or(Ok(()))
    }
}

impl Writing {
    fn run(mut self, get: &Receiver<Job>) -> Vec<PackRow> {
        for job in get {
            match job {
                Job::Beginning(contents) => self.beginning = Some(contents),
                Job::Block(block) => {
                    // After a failure lines are still tried: they show the next run what is safe, and they
                    // are short.
                    let is_broken = self.shared.error().is_some();
                    if is_broken && (block.head.kind != Kind::Entries || self.current.is_none()) {
                        continue;
                    }
                    let written = self.room_for(&block, is_broken).and_then(|()| self.write(&block));
                    if let Err((path, cause)) = written {
                        self.shared.fail(&path, &cause);
                    }
                }
            }
        }
        for ended in [self.finish_current(), self.wait_for_finishing()] {
            if let Err((path, cause)) = ended {
                self.shared.fail(&path, &cause);
            }
        }
        self.done
    }

    /// Sees to it that there is a pack for the block. A retry after a failure stays in the same pack.
    fn room_for(&mut self, block: &Sealed, is_broken: bool) -> Result<(), Failed> {
        let block_in_bytes = block.head.whole_in_bytes();
        let length_in_bytes = |current: &Current| current.file.length_in_bytes();
        let fits = |current: &Current| length_in_bytes(current) + block_in_bytes <= current.limit_in_bytes;
        if is_broken || self.current.as_ref().is_some_and(fits) {
            return Ok(());
        }
        let finishing_in_bytes = if self.finishing.is_some() { self.plan.limit_in_bytes } else { 0 };
        let bare_in_bytes = finishing_in_bytes + self.current.as_ref().map_or(0, length_in_bytes);
        let limit_in_bytes = self.plan.limit_within_room(bare_in_bytes, block_in_bytes)?;
        self.finish_current()?;
        let number = self.plan.first_number + self.begun;
        self.begun += 1;
        let beginning = self.beginning.as_deref();
        self.current = Some(begin_pack(&self.plan, number, limit_in_bytes, beginning, &self.run)?);
        Ok(())
    }

    fn write(&mut self, block: &Sealed) -> Result<(), Failed> {
        let Some(current) = &mut self.current else { return Ok(()) };
        current.file.append(block).map_err(|cause| (current.file.path().to_path_buf(), cause))?;
        self.shared.blocks_in_bytes.fetch_add(block.head.whole_in_bytes(), Ordering::Relaxed);
        if current.file.length_in_bytes() - current.flushed_in_bytes >= FLUSH_EVERY_IN_BYTES {
            current.flushed_in_bytes = current.file.length_in_bytes();
            if let Some(flusher) = &current.flusher {
                // If it is still busy, the next time will do.
                let _ = flusher.give.try_send(());
            }
        }
        Ok(())
    }

    /// Ends the current pack. That waits for the medium, so a thread of its own does it while the next pack
    /// is begun.
    fn finish_current(&mut self) -> Result<(), Failed> {
        let before = self.wait_for_finishing();
        let Some(current) = self.current.take() else { return before };
        let (run, folder) = (Arc::clone(&self.run), self.plan.folder.clone());
        let (part, spare) = (self.plan.part, self.plan.spare_in_percent);
        self.finishing = Some(std::thread::spawn(move || finish(current, &run, &folder, part, spare)));
        before
    }

    fn wait_for_finishing(&mut self) -> Result<(), Failed> {
        match self.finishing.take().map(JoinHandle::join) {
            Some(Ok(Ok(row))) => {
                self.done.push(row);
                Ok(())
            }
            Some(Ok(Err(failed))) => Err(failed),
            Some(Err(_)) => Err((self.plan.folder.clone(), io::Error::other("a thread of porter failed"))),
            None => Ok(()),
        }
    }
}

type Failed = (PathBuf, io::Error);

fn finish(
    current: Current,
    run: &Run,
    folder: &Path,
    part: u32,
    spare: Option<f64>,
) -> Result<PackRow, Failed> {
    let path = current.file.path().to_path_buf();
    let named = |cause| (path.clone(), cause);
    if let Some(flusher) = current.flusher {
        flusher.end().map_err(named)?;
    }
    let finished = current.file.finish(run.key()).map_err(named)?;
    if let Some(percent) = spare {
        let name = FileName::Pack(current.number).to_string();
        crate::spare::write(&path, &name, percent, run.private).map_err(named)?;
    }
    let whole = FileName::Pack(current.number).in_folder(folder);
    fs::rename(&path, &whole).and_then(|()| host::flush_folder_of(&whole)).map_err(named)?;
    Ok(PackRow::new(current.number, part, finished))
}

fn begin_pack(
    plan: &PackPlan,
    number: u32,
    limit_in_bytes: u64,
    beginning: Option<&Contents>,
    run: &Run,
) -> Result<Current, Failed> {
    let path = FileName::OpenPack(number).in_folder(&plan.folder);
    let make = || {
        let mut file = BlockFileWriter::create(&path, Role::Pack, number, run)?;
        if let Some(contents) = beginning {
            let bytes = serde_json::to_vec(contents)?;
            file.append(&lines::of_bytes(Kind::Inventory, 0, bytes, run.key())?)?;
        }
        let flusher = file.handle().ok().map(Flusher::begin);
        Ok(Current { file, number, limit_in_bytes, flushed_in_bytes: 0, flusher })
    };
    make().map_err(|cause| (path.clone(), cause))
}
