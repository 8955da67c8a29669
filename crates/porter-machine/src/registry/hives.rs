//! The registry of a Windows that does not run: the hives on its drive, with what their logs add.

use super::describe::{self, Own, SharedFolders, Told};
use super::{programs, sam, settings};
use crate::PlaceState;
use crate::facts::{AccountFacts, SystemFacts};
use crate::layout::Layout;
use crate::looker::Looker;
use porter_hive::{Hive, Key, Replayed};
use porter_names::{RelativePath, fold};
use porter_source::{EntryKind, Sequential, Volume};
use std::collections::BTreeMap;
use std::io::Read;

/// Below the root, on all generations; the folder of Windows 2000 is tried too.
const CONFIG: [&str; 2] = ["Windows/System32/config", "WINNT/system32/config"];
/// No hive is larger on a real system.
const LARGEST_HIVE_IN_BYTES: u64 = 1 << 30;
/// Beside a hive; each generation has some of them.
const LOGS: [&str; 3] = [".LOG", ".LOG1", ".LOG2"];

/// The trouble with a hive.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum HiveTrouble {
    /// It was being written when the system stopped, and no log fits it: its newest changes may be missing.
    NewestMissing,
    /// It should be there, and is not.
    Missing,
    /// It cannot be read, in words.
    Unreadable(String),
}

/// Reads the hives' facts. Their troubles are returned by their paths.
pub fn facts_of(
    volume: &dyn Volume,
    looker: &mut Looker<'_>,
    layout: &Layout,
) -> (SystemFacts, Vec<(RelativePath, HiveTrouble)>) {
    let mut reader = Reader { volume, troubles: Vec::new(), replayed: false };
    let mut open = |name: &str, looker: &mut Looker<'_>| {
        let found = find_machine_hive(looker, name)?;
        reader.open(&found, looker)
    };
    let (software, system, sam) = (open("SOFTWARE", looker), open("SYSTEM", looker), open("SAM", looker));
    let mut facts = SystemFacts::default();
    facts.state.has_no_registry = software.is_none() && system.is_none() && reader.troubles.is_empty();
    let control_set = root_of(&system).as_ref().and_then(control_set);
    facts.settings = settings::of_machine(root_of(&software).as_ref(), control_set.as_ref());
    facts.state.encrypted_with = control_set.as_ref().and_then(describe::encrypted_with);
    facts.name = control_set.as_ref().and_then(settings::computer_name);
    facts.processor = control_set.as_ref().and_then(describe::processor);
    let told_by_sid = root_of(&sam).map(|key| sam::told(&key)).unwrap_or_default();
    if let Some(software) = root_of(&software) {
        (facts.product, facts.version) = describe::product_and_version(&software);
        let drive = describe::system_drive(&software);
        let shared = std::cell::RefCell::new((&mut reader, looker));
        let own = |_: &str, home: &RelativePath| {
            let (reader, looker) = &mut *shared.borrow_mut();
            let home = looker.find_path(home).path;
            let found = looker.find(&home, "NTUSER.DAT");
            if found.state != PlaceState::IsFile {
                return Own::default();
            }
            let hive = reader.open(&found.path, looker);
            root_of(&hive).map(|key| describe::own(&key)).unwrap_or_default()
        };
        let domain = control_set.as_ref().and_then(describe::domain);
        let told = |sid: &str| -> Told {
            match told_by_sid.get(sid) {
                Some(told) => told.clone(),
                None if sam::is_stranger(sid, &told_by_sid) => {
                    describe::told_of_stranger(sid, domain.clone())
                }
                None => Told::default(),
            }
        };
        facts.accounts = describe::people(&software, &drive, &told, &own);
        facts.programs = programs::of_machine(&software);
        facts.data_drivers = settings::data_drivers(&software);
    } else {
        if !facts.state.has_no_registry && reader.troubles.is_empty() {
            let at = RelativePath::from_bytes(format!("{}/SOFTWARE", CONFIG[0]).as_bytes());
            reader.troubles.extend(at.ok().map(|at| (at, HiveTrouble::Missing)));
        }
        facts.accounts = people_by_folders(&mut reader, looker, layout, &told_by_sid);
    }
    let has_profile = |sid: &String| facts.accounts.iter().any(|a| a.identifier.as_ref() == Some(sid));
    let without = told_by_sid.iter().filter(|(sid, _)| !has_profile(sid) && sam::is_made_by_people(sid));
    facts.without_profile = without.filter_map(|(_, told)| told.name.clone()).collect();
    facts.state.stopped_short = reader.replayed;
    (facts, reader.troubles)
}

/// Reads the registry of a person who is not signed in, in the file in their home. None if it is not there,
/// or cannot be read.
pub fn own_in_file(volume: &dyn Volume, home: &RelativePath) -> Option<Own> {
    let mut looker = Looker::new(volume);
    let home = looker.find_path(home).path;
    let found = looker.find(&home, "NTUSER.DAT");
    let (hive, _) = open_with_logs(volume, &found.path, &mut looker).ok()?;
    Some(describe::own(&hive.root().ok()?))
}

/// The people by their folders and by the accounts, where the list of profiles is lost: folders are called as
/// accounts are.
fn people_by_folders(
    reader: &mut Reader<'_>,
    looker: &mut Looker<'_>,
    layout: &Layout,
    told_by_sid: &BTreeMap<String, Told>,
) -> Vec<AccountFacts> {
    let profiles = looker.find(&RelativePath::root(), layout.profiles);
    if told_by_sid.is_empty() || profiles.state != PlaceState::Present {
        return Vec::new();
    }
    let mut people = Vec::new();
    for row in looker.list(&profiles.path).to_vec() {
        let Ok(home) = profiles.path.join(&row.name) else { continue };
        let found = looker.find(&home, "NTUSER.DAT");
        if row.metadata.kind != EntryKind::Folder || found.state != PlaceState::IsFile {
            continue;
        }
        let is_called =
            |told: &Told| told.name.as_ref().is_some_and(|name| fold::same_name(name.as_bytes(), &row.name));
        let Some((sid, told)) = told_by_sid.iter().find(|(_, told)| is_called(told)) else { continue };
        let hive = reader.open(&found.path, looker);
        let own = root_of(&hive).map(|key| describe::own(&key)).unwrap_or_default();
        people.push(describe::person_by_folder(sid, &home, told.clone(), own));
    }
    people
}

/// A hive of the machine, with its logs. None if it is not there or cannot be read.
fn machine_hive(volume: &dyn Volume, looker: &mut Looker<'_>, name: &str) -> Option<Hive> {
    let found = find_machine_hive(looker, name)?;
    open_with_logs(volume, &found, looker).ok().map(|(hive, _)| hive)
}

fn find_machine_hive(looker: &mut Looker<'_>, name: &str) -> Option<RelativePath> {
    let at = |folder: &&str| looker.find(&RelativePath::root(), &format!("{folder}/{name}"));
    CONFIG.iter().map(at).find(|found| found.state == PlaceState::IsFile).map(|found| found.path)
}

/// Asks the hive `SOFTWARE`. Returns nothing if it cannot be read; [`facts_of`] reports why.
pub fn shared_folders(volume: &dyn Volume, looker: &mut Looker<'_>) -> SharedFolders {
    let hive = machine_hive(volume, looker, "SOFTWARE");
    root_of(&hive).map(|software| describe::shared_folders(&software)).unwrap_or_default()
}

/// The letters that a Windows gave to volumes, by what it noted of them: `\DosDevices\D:` in the key
/// `MountedDevices` of the hive `SYSTEM`.
pub fn drive_letters(volume: &dyn Volume) -> BTreeMap<Vec<u8>, char> {
    let hive = machine_hive(volume, &mut Looker::new(volume), "SYSTEM");
    let Some(key) = root_of(&hive).and_then(|system| system.descend("MountedDevices")) else {
        return BTreeMap::new();
    };
    let letter = |name: &str| match name.strip_prefix("\\DosDevices\\")?.as_bytes() {
        [letter, b':'] if letter.is_ascii_alphabetic() => Some(char::from(letter.to_ascii_uppercase())),
        _ => None,
    };
    let noted = key.values().filter_map(Result::ok);
    noted
        .filter_map(|value| Some((value.data().ok()?.to_vec(), letter(&value.name().to_string())?)))
        .collect()
}

/// The same for a person's folder alone, which is the root.
pub fn person_alone(
    volume: &dyn Volume,
    looker: &mut Looker<'_>,
    layout: &Layout,
) -> (AccountFacts, Vec<(RelativePath, HiveTrouble)>) {
    let mut reader = Reader { volume, troubles: Vec::new(), replayed: false };
    let found = looker.find(&RelativePath::root(), "NTUSER.DAT");
    let hive = if found.state == PlaceState::IsFile { reader.open(&found.path, looker) } else { None };
    let own = root_of(&hive).map(|key| describe::own(&key)).unwrap_or_default();
    (describe::person_alone(own, layout.profiles), reader.troubles)
}

fn root_of(hive: &Option<Hive>) -> Option<Key<'_>> {
    hive.as_ref()?.root().ok()
}

/// The control set that the system started with.
fn control_set<'h>(system: &Key<'h>) -> Option<Key<'h>> {
    let number = system.descend("Select").and_then(|key| key.value("Current")?.number()).unwrap_or(1);
    system.descend(&format!("ControlSet{number:03}"))
}

struct Reader<'v> {
    volume: &'v dyn Volume,
    troubles: Vec<(RelativePath, HiveTrouble)>,
    /// A hive was not whole without its log.
    replayed: bool,
}

impl Reader<'_> {
    fn open(&mut self, path: &RelativePath, looker: &mut Looker<'_>) -> Option<Hive> {
        match open_with_logs(self.volume, path, looker) {
            Ok((hive, _)) => {
                if hive.replayed() == Replayed::NothingFits {
                    self.troubles.push((path.clone(), HiveTrouble::NewestMissing));
                }
                self.replayed |= matches!(hive.replayed(), Replayed::Changes(_));
                Some(hive)
            }
            Err(what) => {
                self.troubles.push((path.clone(), HiveTrouble::Unreadable(what)));
                None
            }
        }
    }
}

/// Reads a hive with its logs replayed. Returns the logs that are beside it, too; fails in words.
pub fn open_with_logs(
    volume: &dyn Volume,
    path: &RelativePath,
    looker: &mut Looker<'_>,
) -> Result<(Hive, Vec<RelativePath>), String> {
    let bytes = read(volume, path)?;
    let folder = path.parent().unwrap_or_default();
    let name = String::from_utf8_lossy(path.name().unwrap_or_default()).into_owned();
    let logs: Vec<RelativePath> = LOGS
        .iter()
        .map(|end| looker.find(&folder, &format!("{name}{end}")))
        .filter(|found| found.state == PlaceState::IsFile)
        .map(|found| found.path)
        .collect();
    let contents: Vec<Vec<u8>> = logs.iter().filter_map(|log| read(volume, log).ok()).collect();
    let contents: Vec<&[u8]> = contents.iter().map(Vec::as_slice).collect();
    let hive = Hive::with_logs(bytes, &contents).map_err(|error| error.to_string())?;
    Ok((hive, logs))
}

fn read(volume: &dyn Volume, path: &RelativePath) -> Result<Vec<u8>, String> {
    let file = volume.open(path).map_err(|error| error.trouble.to_string())?;
    let mut bytes = Vec::new();
    let most = LARGEST_HIVE_IN_BYTES;
    Sequential::new(file).take(most).read_to_end(&mut bytes).map_err(|cause| cause.to_string())?;
    Ok(bytes)
}
