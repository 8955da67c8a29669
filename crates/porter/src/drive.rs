//! A machine that is named by its drive or an image of it: opening it, and what to do if that cannot be.

use crate::arguments::DriveArguments;
use crate::failure::Failure;
use crate::keys::UNLOCK_VARIABLE;
use crate::paths;
use crate::screen::{CARE, styled, tell};
use crate::views::machines::{kind_in_words, way_in_words};
use crate::views::numbers::size;
use porter_core::machines::{self, HeldKind, LockedFound, NoMachine, TakenAs};
use porter_disk::drive::{part_named, path_and_part};
use porter_disk::lock::{Keyring, LockError};
use porter_disk::rescue::map_file::Status;
use porter_disk::rescue::{Noted, map_beside};
use porter_disk::{DriveError, ImageError, Reading, device};
use porter_machine::Machine;
use porter_source::VolumeKind;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// True for a device, and for a file that may be an image.
pub(crate) fn is_one(named: &Path) -> bool {
    let (path, _) = path_and_part(named);
    device::is_device(&path) || std::fs::metadata(&path).is_ok_and(|found| !found.is_dir())
}

/// A machine to capture from.
pub(crate) struct Source {
    pub(crate) machine: Machine,
    /// How its drive is read; none if the system shows it.
    pub(crate) reading: Option<BeingRead>,
}

/// The notes of what was read of a drive, and where they belong.
pub(crate) struct BeingRead {
    noted: Arc<Noted>,
    copy: Option<PathBuf>,
}

impl BeingRead {
    /// The notes of the drive: they grow as it is read.
    pub(crate) fn notes(&self) -> Arc<Noted> {
        Arc::clone(&self.noted)
    }

    /// Writes the map of a drive that could not be read everywhere, or that was copied: beside the copy, or
    /// beside the trunk.
    pub(crate) fn write_map(&self, trunk: &Path) -> Result<(), Failure> {
        let failed = |path: &Path, cause: &std::io::Error| {
            Failure::new(format!("`{}` cannot be written: {cause}", paths::shown(path)), "Is there room?")
        };
        if let (Some(copy), Some(cause)) = (&self.copy, self.noted.take_copy_trouble()) {
            return Err(failed(copy, &cause));
        }
        let map = self.noted.map();
        let not_read = [Status::Bad, Status::NotScraped, Status::NotTrimmed];
        let bad_in_bytes: u64 = not_read.iter().map(|status| map.in_bytes(*status)).sum();
        if self.noted.is_image() || (self.copy.is_none() && bad_in_bytes == 0) {
            return Ok(());
        }
        let path = map_beside(self.copy.as_deref().unwrap_or(trunk));
        self.noted.write_map(&path).map_err(|cause| failed(&path, &cause))?;
        let read = size(map.in_bytes(Status::Read));
        let shown = paths::shown(&path);
        if bad_in_bytes == 0 {
            tell(format_args!("{read} of the drive were read; the map of it is `{shown}`."));
        } else {
            let bad = size(bad_in_bytes);
            let line = format!(
                "! {read} of the drive were read, and {bad} could not be; the map of it is `{shown}`."
            );
            tell(styled(CARE, line));
        }
        Ok(())
    }
}

/// Opens the machine on a drive or an image.
pub(crate) fn source(
    named: &Path,
    drives: &DriveArguments,
    person: Option<&str>,
    reading: Reading,
    keys: &dyn Keyring,
) -> Result<Source, Failure> {
    let shown = paths::shown(named);
    if !drives.drives.is_empty() {
        return Err(Failure::wrong_use(
            format!("`{shown}` is a drive or an image, and has its further partitions with it"),
            "Leave --drive out, or mount the drives and name their folders.",
        ));
    }
    say_mounted(named);
    let taken_as = match person {
        Some(person) => TakenAs::Person(person),
        None if drives.as_drive => TakenAs::Drive,
        None => TakenAs::Machine,
    };
    let reading = Reading { spinning: drives.spinning, ..reading };
    let opened = machines::open(named, &reading, keys, taken_as).map_err(|error| failure(named, error))?;
    let reading = opened.noted.map(|noted| BeingRead { noted, copy: reading.copy });
    Ok(Source { machine: opened.machine, reading })
}

/// A file that is written at the same moment may be read in two states.
fn say_mounted(named: &Path) {
    let (path, _) = path_and_part(named);
    if let Some(at) = device::mounted_at(&path).first() {
        let (path, at) = (paths::shown(&path), paths::shown(at));
        tell(styled(
            CARE,
            format_args!(
                "! `{path}` is mounted at {at}: a file that changes at the same time may be carried half old, half new."
            ),
        ));
    }
}

fn failure(named: &Path, error: NoMachine) -> Failure {
    let shown = paths::shown(named);
    let (path, _) = path_and_part(named);
    let list = format!("`porter machines {}` lists what is on it.", paths::quoted(&path));
    match error {
        NoMachine::Drive(DriveError::Image(ImageError::Unreadable { cause, .. }))
            if cause.kind() == std::io::ErrorKind::PermissionDenied =>
        {
            let advice = if cfg!(windows) {
                "Run porter as administrator."
            } else {
                "Run porter with sudo: to read a drive takes the rights of root."
            };
            Failure::new(format!("`{shown}` may not be read: {cause}"), advice)
        }
        NoMachine::Drive(DriveError::Image(error)) => {
            Failure::new(error.to_string(), "Is it all there, and is it an image?")
        }
        NoMachine::Drive(DriveError::Noted(error)) => {
            Failure::new(error.to_string(), "Name the map that belongs to it, or another file for the copy.")
        }
        NoMachine::NoSuchPart { number } => {
            Failure::wrong_use(format!("`{}` has no partition {number}", paths::shown(&path)), list)
        }
        NoMachine::NotReadable { held: HeldKind::Locked(locked) } => locked_failure(&shown, &locked),
        NoMachine::NotReadable { held: HeldKind::NotRead(None | Some(VolumeKind::PartitionTable)) } => {
            Failure::new(
                format!("`{shown}` holds no file system that porter knows"),
                "Name a drive, an image of one, or the folder where a system drive is mounted.",
            )
        }
        NoMachine::NotReadable { held: HeldKind::NotRead(Some(kind)) } => Failure::not_mounted(&shown, kind),
        NoMachine::NotReadable { held } => Failure::new(
            format!("`{shown}`: {}", kind_in_words(&held)),
            "Make an image of the drive before anything else is tried.",
        ),
        NoMachine::NoSystem { parts } => match locked_in(&parts) {
            Some(locked) => locked_failure(&shown, locked),
            None => Failure::wrong_use(
                format!("`{shown}` has several partitions, and no system on any that porter reads"),
                format!(
                    "{list} Name one of them, such as `{}`; with --as-drive it is a drive of things.",
                    paths::quoted(&part_named(&path, first_number(&parts)))
                ),
            ),
        },
        NoMachine::Several { systems } => {
            let rows = systems.iter().map(|(number, system)| {
                format!(
                    "  {}  {}, {}",
                    paths::quoted(&part_named(&path, *number)),
                    system.name,
                    system.product
                )
            });
            let rows = rows.collect::<Vec<_>>().join("\n");
            Failure::wrong_use(format!("`{shown}` has several systems"), format!("Name one of them:\n{rows}"))
        }
        NoMachine::NotRecognised(error) => Failure::not_recognised(&shown, &error),
    }
}

/// The only other thing on a drive without a system is often the locked partition that has it.
fn locked_in(parts: &[(Option<u32>, HeldKind)]) -> Option<&LockedFound> {
    parts.iter().find_map(|(_, held)| match held {
        HeldKind::Locked(locked) => Some(locked),
        _ => None,
    })
}

fn locked_failure(shown: &str, locked: &LockedFound) -> Failure {
    if locked.kind != VolumeKind::BitLocker {
        return Failure::not_mounted(shown, locked.kind);
    }
    let ways: Vec<String> = locked.protectors.iter().map(way_in_words).collect();
    let ways =
        if ways.is_empty() { String::new() } else { format!("It opens with {}.\n", ways.join(", or ")) };
    let advice = format!(
        "{ways}A recovery key has 48 digits, and is kept with the owner's Microsoft account, on paper, or by their company.\n\
         Give what opens it in a file with --unlock-file, or in the environment variable {UNLOCK_VARIABLE}."
    );
    let what = match locked.trouble {
        LockError::NoKey => format!("`{shown}` is locked by BitLocker"),
        ref trouble => format!("`{shown}` is locked by BitLocker: {trouble}"),
    };
    Failure::new(what, advice)
}

fn first_number(parts: &[(Option<u32>, HeldKind)]) -> u32 {
    let readable = |(_, held): &&(Option<u32>, HeldKind)| matches!(held, HeldKind::FileSystem(..));
    parts.iter().find(readable).or(parts.first()).and_then(|(number, _)| *number).unwrap_or(1)
}
