//! The machines on a drive or an image: its partitions, what is on each, and which of them holds a system.

use crate::survey::is_hibernated;
use porter_disk::block_source::BlockSource;
use porter_disk::drive::path_and_part;
use porter_disk::file_system::recognise::open as open_file_system;
use porter_disk::lock::bitlocker::Locked;
use porter_disk::lock::{Keyring, LockError, Protector, Way};
use porter_disk::rescue::Noted;
use porter_disk::{Caution, Drive, DriveError, DrivePart, FileSystem, FileSystemError, ImageVolume, Reading};
use porter_machine::facts::VolumeFlaw;
use porter_machine::registry::hives::drive_letters;
use porter_machine::{Machine, NotRecognised, recognise, recognise_drive, recognise_person};
use porter_source::{Volume, VolumeKind};
use std::path::Path;
use std::sync::Arc;

/// A drive and what is on it.
pub struct DriveFound {
    /// Its length.
    pub size_in_bytes: u64,
    /// Those that were looked into, in the order of their numbers.
    pub parts: Vec<PartFound>,
    /// Flaws of its table of partitions, in plain words.
    pub flaws: Vec<&'static str>,
    drive: Drive,
}

/// A partition, or a drive without any.
pub struct PartFound {
    /// The number to name it by.
    pub number: Option<u32>,
    /// Its length.
    pub size_in_bytes: u64,
    /// Its name in the table of partitions.
    pub name: Option<String>,
    /// Its content.
    pub held: Held,
}

/// The content of a partition.
pub enum Held {
    /// A file system that porter reads.
    FileSystem(Opened),
    /// A volume that takes a key.
    Locked(LockedFound),
    /// A kind that porter does not read; none if it is not even known.
    NotRead(Option<VolumeKind>),
    /// A file system that is damaged too much, in words.
    Damaged(String),
}

/// A volume that was not opened, and what opens it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LockedFound {
    /// How it is locked.
    pub kind: VolumeKind,
    /// The ways in that it has, as far as porter knows them.
    pub protectors: Vec<Protector>,
    /// Why it was not opened.
    pub trouble: LockError,
}

/// A file system, opened.
pub struct Opened {
    file_system: Arc<dyn FileSystem>,
    /// The system on it, if there is one: its name, product and people.
    pub system: Option<SystemFound>,
}

/// A system, as far as a list shows it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SystemFound {
    /// The machine's name.
    pub name: String,
    /// Its system in words.
    pub product: String,
    /// The ids of its people.
    pub people: Vec<String>,
    /// It was put to sleep, and not shut down.
    pub is_hibernated: bool,
}

impl SystemFound {
    /// The facts of a machine that was recognised.
    pub fn of(machine: &Machine) -> Self {
        Self {
            name: machine.name.clone(),
            product: machine.system.product.clone(),
            people: machine.accounts.iter().map(|account| account.id.clone()).collect(),
            is_hibernated: machine.here.is_none() && is_hibernated(machine),
        }
    }
}

impl Opened {
    /// The kind of file system, as it is called.
    pub fn kind(&self) -> &'static str {
        self.file_system.kind()
    }

    /// The name that somebody gave it.
    pub fn label(&self) -> Option<&str> {
        self.file_system.label()
    }

    /// The state it was left in, and what of it is lost.
    pub fn cautions(&self) -> &[Caution] {
        self.file_system.cautions()
    }
}

/// Why nothing on a drive can be taken for the machine.
#[derive(Debug, thiserror::Error)]
pub enum NoMachine {
    /// The drive or image cannot be opened.
    #[error(transparent)]
    Drive(#[from] DriveError),
    /// It has no partition of this number.
    #[error("it has no partition {number}")]
    NoSuchPart {
        /// The number that was named.
        number: u32,
    },
    /// The one that was named, or the only one, cannot be read.
    #[error("its file system cannot be read")]
    NotReadable {
        /// As far as it is known.
        held: HeldKind,
    },
    /// No part holds a system.
    #[error("no system is on it")]
    NoSystem {
        /// The parts, to be named.
        parts: Vec<(Option<u32>, HeldKind)>,
    },
    /// Several parts hold one each.
    #[error("several systems are on it")]
    Several {
        /// The number of each, and what it is.
        systems: Vec<(u32, SystemFound)>,
    },
    /// The part was opened, and is not what it was taken for.
    #[error(transparent)]
    NotRecognised(#[from] NotRecognised),
}

/// The kind of a part's content.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum HeldKind {
    /// A file system of this kind, with this label.
    FileSystem(&'static str, Option<String>),
    /// It takes a key.
    Locked(LockedFound),
    /// Not read.
    NotRead(Option<VolumeKind>),
    /// Damaged, in words.
    Damaged(String),
}

impl PartFound {
    /// The kind of its content.
    pub fn kind(&self) -> HeldKind {
        match &self.held {
            Held::FileSystem(opened) => {
                HeldKind::FileSystem(opened.kind(), opened.label().map(str::to_owned))
            }
            Held::Locked(found) => HeldKind::Locked(found.clone()),
            Held::NotRead(kind) => HeldKind::NotRead(*kind),
            Held::Damaged(what) => HeldKind::Damaged(what.clone()),
        }
    }
}

/// The machine on a drive.
pub struct MachineOpened {
    /// The machine, with the flaws of its volume.
    pub machine: Machine,
    /// The notes of what was read of the drive; none for an image without a map.
    pub noted: Option<Arc<Noted>>,
}

/// How a part is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TakenAs<'n> {
    /// For the drive of a machine.
    Machine,
    /// For a drive of things.
    Drive,
    /// For the folder of this person.
    Person(&'n str),
}

/// Opens what a part holds, with a key where it takes one.
fn opened(part: &DrivePart, deleted: bool, keys: &dyn Keyring) -> Result<Arc<dyn FileSystem>, Held> {
    let not_opened = |error| match error {
        FileSystemError::NotKnown(kind) => Held::NotRead(kind),
        error => Held::Damaged(error.to_string()),
    };
    match part.kind {
        Some(kind @ VolumeKind::BitLocker) => {
            let (unlocked, protectors) = unlocked(part, keys);
            let source =
                unlocked.map_err(|trouble| Held::Locked(LockedFound { kind, protectors, trouble }))?;
            open_file_system(source, deleted).map_err(not_opened)
        }
        Some(kind @ (VolumeKind::Luks | VolumeKind::CoreStorage)) => {
            Err(Held::Locked(LockedFound { kind, protectors: Vec::new(), trouble: LockError::NoKey }))
        }
        _ => part.open(deleted).map_err(not_opened),
    }
}

/// The bytes of a locked part, and the ways in that it has.
fn unlocked(
    part: &DrivePart,
    keys: &dyn Keyring,
) -> (Result<Arc<dyn BlockSource>, LockError>, Vec<Protector>) {
    let locked = match Locked::load(part.source()) {
        Ok(locked) => locked,
        Err(trouble) => return (Err(trouble), Vec::new()),
    };
    let protectors = locked.protectors();
    let is_open = protectors.iter().any(|protector| protector.way == Way::Open);
    let unlocked = if is_open {
        locked.open()
    } else {
        keys.key_for(&protectors).ok_or(LockError::NoKey).and_then(|key| locked.unlock(&key))
    };
    (unlocked, protectors)
}

/// Looks at a drive or an image, and into each of its parts. Locked ones are opened with the keys that there
/// are.
pub fn look_at(path: &Path, reading: &Reading, keys: &dyn Keyring) -> Result<DriveFound, DriveError> {
    let drive = Drive::open(path, reading)?;
    let parts = drive.parts.iter().map(|part| {
        let mut found = look_into(part, reading.deleted, keys);
        if let Held::FileSystem(opened) = &mut found.held {
            let alone = ImageVolume::new(Arc::clone(&opened.file_system), drive.beneath());
            opened.system = recognise(Arc::new(alone), String::new()).ok().as_ref().map(SystemFound::of);
        }
        found
    });
    let parts = parts.collect();
    Ok(DriveFound { size_in_bytes: drive.size_in_bytes(), parts, flaws: drive.flaws.clone(), drive })
}

/// Looks at a drive, and into one part of it: of the others no key is asked for.
fn look_at_part(
    path: &Path,
    reading: &Reading,
    keys: &dyn Keyring,
    number: u32,
) -> Result<DriveFound, NoMachine> {
    let drive = Drive::open(path, reading)?;
    let part = drive.parts.iter().find(|part| part.number() == Some(number));
    let part = part.ok_or(NoMachine::NoSuchPart { number })?;
    let parts = vec![look_into(part, reading.deleted, keys)];
    Ok(DriveFound { size_in_bytes: drive.size_in_bytes(), parts, flaws: drive.flaws.clone(), drive })
}

/// Looks into a part; whether a system is on it is not asked yet.
fn look_into(part: &DrivePart, deleted: bool, keys: &dyn Keyring) -> PartFound {
    let held = match opened(part, deleted, keys) {
        Ok(file_system) => Held::FileSystem(Opened { file_system, system: None }),
        Err(not_opened) => not_opened,
    };
    PartFound {
        number: part.number(),
        size_in_bytes: part.size_in_bytes(),
        name: part.partition.as_ref().and_then(|partition| partition.name.clone()),
        held,
    }
}

/// The one machine on a drive or an image, or the one on the part that was named (`disk.img#2`).
pub fn open(
    named: &Path,
    reading: &Reading,
    keys: &dyn Keyring,
    taken_as: TakenAs<'_>,
) -> Result<MachineOpened, NoMachine> {
    let (path, number) = path_and_part(named);
    let found = match number {
        Some(number) => look_at_part(&path, reading, keys, number)?,
        None => look_at(&path, reading, keys)?,
    };
    let part = match (number, taken_as) {
        (None, TakenAs::Machine) => found.only_system()?,
        _ => found.only_file_system()?,
    };
    let Held::FileSystem(opened) = &part.held else {
        return Err(NoMachine::NotReadable { held: part.kind() });
    };
    let volume: Arc<dyn Volume> = Arc::new(found.joined(part, opened, reading.deleted, keys));
    let of_file = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let name = opened.label().map_or(of_file, str::to_owned);
    let mut machine = match taken_as {
        TakenAs::Person(person) => recognise_person(volume, person)?,
        TakenAs::Drive => recognise_drive(volume, name)?,
        TakenAs::Machine => match recognise(Arc::clone(&volume), name.clone()) {
            Err(NotRecognised::NoSystem { .. }) if !porter_machine::holds_people(&*volume) => {
                recognise_drive(volume, name)?
            }
            machine => machine?,
        },
    };
    machine.state.volume = flaws(&found.flaws, opened.cautions());
    Ok(MachineOpened { machine, noted: found.drive.noted() })
}

/// The flaws of a drive and of a volume on it.
fn flaws(of_table: &[&'static str], of_volume: &[Caution]) -> Vec<VolumeFlaw> {
    let of_volume = of_volume.iter().map(|caution| match caution {
        Caution::NotClosed => VolumeFlaw::NotClosed,
        Caution::RecordsUnreadable(count) => VolumeFlaw::RecordsLost(*count),
        Caution::CopyUsed(of) => {
            VolumeFlaw::Damaged(format!("{of} of the volume cannot be read; the copy of it was used"))
        }
    });
    let of_table = of_table.iter().map(|flaw| VolumeFlaw::Damaged((*flaw).to_owned()));
    of_table.chain(of_volume).collect()
}

impl DriveFound {
    fn only_system(&self) -> Result<&PartFound, NoMachine> {
        let with_system = |part: &&PartFound| matches!(&part.held, Held::FileSystem(o) if o.system.is_some());
        let systems: Vec<&PartFound> = self.parts.iter().filter(with_system).collect();
        match systems[..] {
            [only] => Ok(only),
            [] => self.only_file_system(),
            _ => {
                let row = |part: &&PartFound| match &part.held {
                    Held::FileSystem(Opened { system: Some(system), .. }) => {
                        Some((part.number?, system.clone()))
                    }
                    _ => None,
                };
                Err(NoMachine::Several { systems: systems.iter().filter_map(row).collect() })
            }
        }
    }

    /// The only part with a file system: a stick, a card, a second disk.
    fn only_file_system(&self) -> Result<&PartFound, NoMachine> {
        let is_opened = |part: &&PartFound| matches!(part.held, Held::FileSystem(_));
        let opened: Vec<&PartFound> = self.parts.iter().filter(is_opened).collect();
        match (&opened[..], &self.parts[..]) {
            (&[only], _) | ([], [only]) => Ok(only),
            _ => {
                let parts = self.parts.iter().map(|part| (part.number, part.kind())).collect();
                Err(NoMachine::NoSystem { parts })
            }
        }
    }

    /// A part with the others of its Windows beside it, below the letters that they had there.
    fn joined(&self, part: &PartFound, opened: &Opened, deleted: bool, keys: &dyn Keyring) -> ImageVolume {
        let volume = ImageVolume::new(Arc::clone(&opened.file_system), self.drive.beneath());
        let letters = drive_letters(&volume);
        let others = self.drive.parts.iter().filter(|other| other.number() != part.number);
        others.fold(volume, |volume, other| {
            let noted = other.partition.as_ref().map(|partition| &partition.noted_by_windows_as);
            let Some(letter) = noted.and_then(|noted| letters.get(noted)) else { return volume };
            match self.file_system_of(other, deleted, keys) {
                Some(file_system) => volume.with_drive(format!("{letter}:").as_bytes(), file_system),
                None => volume,
            }
        })
    }

    /// The file system of a part, which is opened if it was not looked into.
    fn file_system_of(
        &self,
        part: &DrivePart,
        deleted: bool,
        keys: &dyn Keyring,
    ) -> Option<Arc<dyn FileSystem>> {
        match self.parts.iter().find(|found| found.number == part.number()).map(|found| &found.held) {
            Some(Held::FileSystem(opened)) => Some(Arc::clone(&opened.file_system)),
            Some(_) => None,
            None => self::opened(part, deleted, keys).ok(),
        }
    }
}
