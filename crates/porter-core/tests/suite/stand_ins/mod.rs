//! Stand-ins for machines and trunks that fail in the ways real ones do.
#![allow(dead_code, reason = "each test file uses a part of it")]
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_core::capture::{CaptureError, CaptureReport, Job, capture};
use porter_core::events::{Conduct, Event};
use porter_core::restore::{Plan, RestoreError, Wishes, plan_restore};
use porter_core::survey::{Survey, survey};
use porter_kinds::Kinds;
use porter_kinds::catalogue::Catalogue;
use porter_kinds::choice::Selection;
use porter_kinds::choice::Unchosen;
use porter_kinds::existing::Existing;
use porter_machine::layout::Family;
use porter_machine::{Machine, recognise};
use porter_names::{NameRules, RelativePath};
use porter_source::{
    Capacity, Details, EntryKind, HostTree, Listed, Metadata, ReadError, ReadTrouble, Volume, VolumeFile,
};
use porter_trunk::open_form::OpenTrunkWriter;
use porter_trunk::{
    Entry, EntryAddress, Inventory, Label, LeftBehind, MachineLabel, StoreError, Stored, Trunk, TrunkError,
    TrunkId, TrunkWriter,
};
use std::collections::BTreeMap;
use std::io::{self, Read};
use std::path::Path;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use time::OffsetDateTime;
use time::macros::datetime;

pub const NOW: OffsetDateTime = datetime!(2026-11-23 08:00 UTC);

pub fn now() -> OffsetDateTime {
    NOW
}

pub fn path(text: &str) -> RelativePath {
    RelativePath::from_bytes(text.as_bytes()).unwrap()
}

/// Nobody listens, and nobody stops it.
pub fn undisturbed(run: &mut dyn FnMut(Conduct<'_>)) {
    run(Conduct { events: &|_: &Event<'_>| {}, stop: &AtomicBool::new(false) });
}

/// Somebody stops it after this many events.
pub fn stopped_after(events: u64, run: &mut dyn FnMut(Conduct<'_>)) {
    let stop = AtomicBool::new(false);
    let heard = AtomicU64::new(0);
    let listen = |_: &Event<'_>| {
        if heard.fetch_add(1, Ordering::Relaxed) >= events {
            stop.store(true, Ordering::Relaxed);
        }
    };
    run(Conduct { events: &listen, stop: &stop });
}

/// How an entry of a [`ScriptedVolume`] behaves.
#[derive(Debug, Clone)]
pub enum Script {
    /// A file with that content.
    File(Vec<u8>),
    /// A file with only this many readable bytes.
    BadSectorAfter(usize, Vec<u8>),
    /// A file with bad sectors in these places.
    BadSectors(Vec<std::ops::Range<usize>>, Vec<u8>),
    /// A file that fails to read this many times before it succeeds.
    Wavering(Arc<Mutex<u32>>, Vec<u8>),
    /// A file that somebody writes to while it is opened the first times.
    WrittenTo(u32, Vec<u8>),
    /// A file on a drive that was unplugged.
    Unplugged,
    /// A file that is listed with another size than it has.
    Listed(u64, Vec<u8>),
    /// A file that is listed and gone when it is opened.
    Vanishes,
    /// A file that another program holds.
    InUse,
    /// A file with named streams, one of them unreadable.
    WithStreams(Vec<u8>),
    /// A file with a stream so long that a list of some hundreds of such files is a long one.
    WithLongNote(Vec<u8>),
    /// A file whose content is somewhere else; what can be read of it is zeros.
    InTheCloud(Vec<u8>),
    /// A file that its system encrypted for another account.
    EncryptedForAnother,
    /// A folder that may not be listed.
    ShutFolder,
    /// A folder in which another volume is mounted.
    Mounted,
    /// A folder.
    Folder,
    /// A link.
    Link(Vec<u8>),
    /// A pipe.
    Pipe,
}

impl Script {
    pub fn wavering(times: u32, content: Vec<u8>) -> Self {
        Self::Wavering(Arc::new(Mutex::new(times)), content)
    }
}

/// A volume that does what a script says.
#[derive(Default)]
pub struct ScriptedVolume {
    entries: BTreeMap<RelativePath, Script>,
    opened: AtomicU64,
}

impl ScriptedVolume {
    /// The smallest Windows 7 machine, with the account `odile`.
    pub fn windows() -> Self {
        let mut volume = Self::default();
        volume.add("Windows/System32", Script::Folder);
        volume.add("Users/odile/NTUSER.DAT", Script::File(b"registry".to_vec()));
        volume.add("Users/odile/Documents", Script::Folder);
        volume
    }

    /// Adds an entry and the folders above it.
    pub fn add(&mut self, at: &str, script: Script) {
        self.add_exact(&path(at), script);
    }

    pub fn add_exact(&mut self, at: &RelativePath, script: Script) {
        let mut above = at.parent();
        while let Some(folder) = above.filter(|folder| !folder.is_root()) {
            self.entries.entry(folder.clone()).or_insert(Script::Folder);
            above = folder.parent();
        }
        self.entries.insert(at.clone(), script);
    }

    pub fn recognised(self) -> Machine {
        recognise(Arc::new(self), "SCRIPT-PC".to_owned()).unwrap()
    }

    fn script(&self, at: &RelativePath) -> Result<&Script, ReadError> {
        self.entries.get(at).ok_or(ReadError { path: at.clone(), trouble: ReadTrouble::Gone })
    }
}

fn metadata_of(script: &Script) -> Metadata {
    let (kind, size_in_bytes) = match script {
        Script::File(content)
        | Script::BadSectorAfter(_, content)
        | Script::BadSectors(_, content)
        | Script::Wavering(_, content)
        | Script::WrittenTo(_, content)
        | Script::WithStreams(content)
        | Script::WithLongNote(content)
        | Script::InTheCloud(content) => (EntryKind::File, content.len() as u64),
        Script::Listed(size_in_bytes, _) => (EntryKind::File, *size_in_bytes),
        Script::Vanishes | Script::InUse | Script::EncryptedForAnother | Script::Unplugged => {
            (EntryKind::File, 7)
        }
        Script::Folder | Script::ShutFolder | Script::Mounted => (EntryKind::Folder, 0),
        Script::Link(_) => (EntryKind::Link, 0),
        Script::Pipe => (EntryKind::Other, 0),
    };
    Metadata {
        kind,
        size_in_bytes,
        modified_utc: Some(NOW),
        unix_mode: None,
        windows_attributes: matches!(script, Script::EncryptedForAnother).then_some(0x4020),
        volume_id: Some(u64::from(matches!(script, Script::Mounted))),
        same_file: None,
        sparse: false,
        shut: None,
    }
}

impl Volume for ScriptedVolume {
    fn list(&self, folder: &RelativePath) -> Result<Vec<Result<Listed, ReadError>>, ReadError> {
        if !folder.is_root() && matches!(self.script(folder)?, Script::ShutFolder) {
            return Err(ReadError { path: folder.clone(), trouble: ReadTrouble::PermissionDenied });
        }
        let inside = self.entries.iter().filter(|(at, _)| at.parent().as_ref() == Some(folder));
        Ok(inside
            .map(|(at, script)| {
                Ok(Listed { name: at.name().unwrap().to_vec(), metadata: metadata_of(script) })
            })
            .collect())
    }

    fn metadata(&self, at: &RelativePath) -> Result<Metadata, ReadError> {
        if at.is_root() {
            return Ok(metadata_of(&Script::Folder));
        }
        Ok(metadata_of(self.script(at)?))
    }

    fn details(&self, at: &RelativePath) -> Result<Details, ReadError> {
        let mut details = Details::default();
        if matches!(self.script(at)?, Script::WithStreams(_)) {
            details.windows_attributes = Some(0x22);
            details.streams =
                vec![porter_source::NamedStream { name: "note".to_owned(), content: b"a note".to_vec() }];
            details.unreadable_streams = vec!["huge".to_owned()];
        }
        if matches!(self.script(at)?, Script::WithLongNote(_)) {
            let content = at.as_bytes().repeat(60_000 / at.as_bytes().len());
            details.streams = vec![porter_source::NamedStream { name: "note".to_owned(), content }];
        }
        if matches!(self.script(at)?, Script::InTheCloud(_)) {
            // RECALL_ON_DATA_ACCESS and ARCHIVE, as a cloud's own driver leaves them.
            details.windows_attributes = Some(0x0040_0020);
        }
        Ok(details)
    }

    fn open(&self, file: &RelativePath) -> Result<Box<dyn VolumeFile>, ReadError> {
        let trouble = |trouble| ReadError { path: file.clone(), trouble };
        match self.script(file)? {
            Script::File(content)
            | Script::Listed(_, content)
            | Script::WithStreams(content)
            | Script::WithLongNote(content)
            | Script::InTheCloud(content) => Ok(Box::new(ScriptedFile::new(content))),
            Script::BadSectorAfter(good, content) => {
                let bad = std::iter::once(*good..usize::MAX).collect();
                Ok(Box::new(ScriptedFile { bad, ..ScriptedFile::new(content) }))
            }
            Script::BadSectors(bad, content) => {
                Ok(Box::new(ScriptedFile { bad: bad.clone(), ..ScriptedFile::new(content) }))
            }
            Script::Wavering(times, content) => {
                let fails = Arc::clone(times);
                Ok(Box::new(ScriptedFile { fails, ..ScriptedFile::new(content) }))
            }
            Script::WrittenTo(times, content) => {
                let opened = self.opened.fetch_add(1, Ordering::Relaxed);
                let changes = (opened < u64::from(*times)).then(AtomicU64::default);
                Ok(Box::new(ScriptedFile { changes, ..ScriptedFile::new(content) }))
            }
            Script::Unplugged => {
                let cause = io::Error::from_raw_os_error(if cfg!(windows) { 1167 } else { 19 });
                Err(trouble(ReadTrouble::from(cause)))
            }
            Script::InUse => Err(trouble(ReadTrouble::InUse)),
            Script::EncryptedForAnother => Err(trouble(ReadTrouble::PermissionDenied)),
            _ => Err(trouble(ReadTrouble::Gone)),
        }
    }

    fn link_target(&self, link: &RelativePath) -> Result<Vec<u8>, ReadError> {
        match self.script(link)? {
            Script::Link(target) => Ok(target.clone()),
            _ => Err(ReadError { path: link.clone(), trouble: ReadTrouble::Gone }),
        }
    }

    fn capacity(&self) -> Result<Capacity, ReadError> {
        Ok(Capacity { total_in_bytes: 1 << 40, free_in_bytes: 0 })
    }

    fn host_tree(&self) -> Option<&HostTree> {
        None
    }
}

#[derive(Default)]
struct ScriptedFile {
    content: Vec<u8>,
    bad: Vec<std::ops::Range<usize>>,
    fails: Arc<Mutex<u32>>,
    /// How often it was asked whether it changed, if it did each time.
    changes: Option<AtomicU64>,
}

impl ScriptedFile {
    fn new(content: &[u8]) -> Self {
        Self { content: content.to_vec(), ..Self::default() }
    }
}

impl VolumeFile for ScriptedFile {
    fn read_at(&self, offset_in_bytes: u64, buffer: &mut [u8]) -> io::Result<usize> {
        // EIO, as for a bad sector.
        let failed = || Err(io::Error::from_raw_os_error(if cfg!(windows) { 23 } else { 5 }));
        let start = usize::try_from(offset_in_bytes).unwrap().min(self.content.len());
        let mut end = (start + buffer.len()).min(self.content.len());
        let mut fails = self.fails.lock().unwrap();
        if *fails > 0 {
            *fails -= 1;
            return failed();
        }
        for bad in self.bad.iter().filter(|bad| bad.start < self.content.len()) {
            if bad.contains(&start) {
                return failed();
            }
            // Linux returns the bytes before it.
            if start < bad.start {
                end = end.min(bad.start);
            }
        }
        buffer[..end - start].copy_from_slice(&self.content[start..end]);
        Ok(end - start)
    }

    fn state(&self) -> Option<porter_source::FileState> {
        let changes = self.changes.as_ref().map_or(0, |changes| changes.fetch_add(1, Ordering::Relaxed));
        Some(porter_source::FileState {
            size_in_bytes: self.content.len() as u64,
            modified_in_ns: i128::from(changes),
            changed_in_ns: None,
        })
    }
}

/// How a [`FailingTrunk`] fails.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TrunkFailure {
    Never,
    /// The volume is full after this many files.
    FullAfter(u64),
    /// It holds no file larger than that.
    NothingLargerThan(u64),
    /// It keeps other bytes than it was given, and reports nothing.
    Lies,
}

/// An open trunk on a drive that fails.
pub struct FailingTrunk {
    trunk: OpenTrunkWriter,
    folder: std::path::PathBuf,
    failure: TrunkFailure,
    stored: AtomicU64,
}

impl FailingTrunk {
    pub fn create(folder: &Path, failure: TrunkFailure) -> Self {
        let trunk = OpenTrunkWriter::create(folder, label(&["odile"])).unwrap();
        Self { trunk, folder: folder.to_path_buf(), failure, stored: AtomicU64::new(0) }
    }
}

impl TrunkWriter for FailingTrunk {
    fn name_rules(&self) -> NameRules {
        self.trunk.name_rules()
    }

    fn store(
        &self,
        address: &EntryAddress,
        modified_utc: Option<OffsetDateTime>,
        content: &mut dyn Read,
        progress: &dyn Fn(u64),
    ) -> Result<Stored, StoreError> {
        let stored_before = self.stored.fetch_add(1, Ordering::SeqCst);
        match self.failure {
            TrunkFailure::FullAfter(files) if stored_before >= files => return Err(TrunkError::Full.into()),
            TrunkFailure::NothingLargerThan(limit) => {
                let mut whole = Vec::new();
                content.read_to_end(&mut whole).map_err(StoreError::Source)?;
                if whole.len() as u64 > limit {
                    return Err(StoreError::TooLarge);
                }
                return self.trunk.store(address, modified_utc, &mut &whole[..], progress);
            }
            _ => {}
        }
        let stored = self.trunk.store(address, modified_utc, content, progress)?;
        if self.failure == TrunkFailure::Lies && stored.size_in_bytes > 0 {
            let payload = self.folder.join("data/odile/documents").join(address.path.to_string());
            if let Ok(mut bytes) = std::fs::read(&payload) {
                bytes[0] ^= 1;
                std::fs::write(&payload, bytes).unwrap();
            }
        }
        Ok(stored)
    }

    fn discard(&self, address: &EntryAddress) -> Result<(), TrunkError> {
        self.trunk.discard(address)
    }

    fn record(&self, entry: &Entry) -> Result<(), TrunkError> {
        self.trunk.record(entry)
    }

    fn record_left(&self, left: &LeftBehind) -> Result<(), TrunkError> {
        self.trunk.record_left(left)
    }

    fn close(&self, inventory: &Inventory<'_>, finished_utc: OffsetDateTime) -> Result<(), TrunkError> {
        self.trunk.close(inventory, finished_utc)
    }

    fn read_back(&self) -> Result<Box<dyn Trunk>, TrunkError> {
        self.trunk.read_back()
    }

    fn publish(&self) -> Result<(), TrunkError> {
        self.trunk.publish()
    }
}

pub fn label(accounts: &[&str]) -> Label {
    let accounts = accounts
        .iter()
        .map(|name| porter_trunk::AccountLabel {
            id: (*name).to_owned(),
            name: (*name).to_owned(),
            ..Default::default()
        })
        .collect();
    Label {
        format: porter_trunk::label::FORMAT.to_owned(),
        version: porter_trunk::label::FormatVersion { major: 1, minor: 0 },
        trunk_id: TrunkId::random().unwrap(),
        made_by: "a test".to_owned(),
        started_utc: NOW,
        machine: MachineLabel {
            name: "SCRIPT-PC".to_owned(),
            system: porter_trunk::SystemLabel {
                processor: None,
                family: "windows".to_owned(),
                product: "Windows".to_owned(),
                version: None,
            },
        },
        accounts,
        words: Default::default(),
    }
}

/// Nothing of what is chosen is left out.
pub fn everything() -> Unchosen {
    Unchosen::default()
}

pub fn kinds() -> Kinds {
    Catalogue::built_in(Family::Windows).unwrap().into()
}

/// Captures what a survey found, by the built-in rules.
pub fn capture_all(
    machine: &Machine,
    found: &Survey,
    trunk: &dyn TrunkWriter,
    conduct: Conduct<'_>,
) -> Result<CaptureReport, CaptureError> {
    let (kinds, unchosen) = (kinds(), everything());
    let job = Job {
        machine,
        kinds: &kinds,
        survey: found,
        unchosen: &unchosen,
        may_leave_out: false,
        prove_later: false,
        free_in_bytes: u64::MAX,
    };
    capture(&job, trunk, &now, conduct)
}

/// A survey of everything.
pub fn surveyed(machine: &Machine) -> Survey {
    let mut found = None;
    undisturbed(&mut |conduct| {
        found = Some(survey(machine, &kinds(), &Selection::default(), &everything(), conduct).unwrap());
    });
    found.unwrap()
}

/// A restore of all items, into the accounts of the same names.
pub fn planned(
    trunk: &dyn Trunk,
    machine: &Machine,
    existing: Existing,
    conduct: Conduct<'_>,
) -> Result<Plan, RestoreError> {
    let land_held = Default::default();
    let wishes = Wishes {
        land_held: &land_held,
        accounts: &BTreeMap::new(),
        selection: &Selection::default(),
        kinds: &Default::default(),
        now_utc: NOW,
    };
    plan_restore(trunk, machine, &kinds(), &wishes, &mut |_| existing, conduct)
}
