//! Recognising a machine from its folders.
//!
//! Until the registry is read, folders tell the generation of Windows, its people and, by when a person's registry
//! was last written, when they were last there.

use super::account::{id_from_name, unused_id};
use super::layout::{Layout, VISTA_AND_LATER, WINDOWS_2000_AND_XP};
use super::{Account, FoundPlace, Machine, Place, PlaceState};
use porter_names::{RelativePath, fold};
use porter_source::{EntryKind, Listed, ReadError, Volume};
use porter_trunk::SystemLabel;
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;
use time::OffsetDateTime;

/// Profile folders that Windows makes by itself, in all generations.
const BUILT_IN_PROFILES: [&str; 11] = [
    "Default",
    "Default User",
    "Default.migrated",
    "All Users",
    "Public",
    "LocalService",
    "NetworkService",
    "defaultuser0",
    "defaultuser1",
    "defaultuser100000",
    "WsiAccount",
];

/// Why a volume was not taken for a machine.
#[derive(Debug, thiserror::Error)]
pub enum NotRecognised {
    /// It cannot be looked at.
    #[error(transparent)]
    Unreadable(#[from] ReadError),
    /// It does not look like any system we know.
    #[error("does not look like the system drive of a PC")]
    NoSystem {
        /// What was looked for, a line each.
        looked_for: Vec<String>,
        /// What is at its root instead, as far as it is worth showing.
        found: Vec<Vec<u8>>,
    },
}

/// Looks at a volume's folders. `name` is what to call the machine as long as its own name is not known.
pub fn recognise(volume: Arc<dyn Volume>, name: String) -> Result<Machine, NotRecognised> {
    let mut looker = Looker { volume: &*volume, listings: HashMap::new() };
    let at_root: Vec<Listed> =
        volume.list(&RelativePath::root())?.into_iter().filter_map(Result::ok).collect();
    let system_of = |folders: &[&'static str], looker: &mut Looker<'_>| -> Option<&'static str> {
        folders.iter().find(|f| looker.find(&RelativePath::root(), f).state == PlaceState::Present).copied()
    };

    let windows = system_of(&["Windows/System32", "WINNT/system32"], &mut looker);
    let is_there = |layout: &Layout, looker: &mut Looker<'_>| {
        looker.find(&RelativePath::root(), layout.profiles).state == PlaceState::Present
    };
    let (layout, system) = match windows {
        // Later generations keep `Documents and Settings` as a link, which does not count.
        Some(_) if is_there(&VISTA_AND_LATER, &mut looker) => {
            let product = if system_of(&["Windows/SystemApps"], &mut looker).is_some() {
                ("Windows 10 or 11", "10.0")
            } else if system_of(&["Program Files/WindowsApps"], &mut looker).is_some() {
                ("Windows 8 or 8.1", "6.2 or 6.3")
            } else {
                ("Windows Vista or 7", "6.0 or 6.1")
            };
            (&VISTA_AND_LATER, product)
        }
        Some(folder) if is_there(&WINDOWS_2000_AND_XP, &mut looker) => {
            let product =
                if folder.starts_with("WINNT") { ("Windows 2000", "5.0") } else { ("Windows XP", "5.1") };
            (&WINDOWS_2000_AND_XP, product)
        }
        _ => {
            let looked_for = vec![
                "Windows Vista to 11: the folders Windows/System32 and Users".to_owned(),
                "Windows 2000 and XP: the folders WINDOWS/system32 (or WINNT/system32) and Documents and Settings"
                    .to_owned(),
            ];
            let found = at_root.into_iter().map(|row| row.name).collect();
            return Err(NotRecognised::NoSystem { looked_for, found });
        }
    };

    let (accounts, not_people) = find_accounts(&mut looker, layout);
    let places =
        layout.shared().map(|(place, path)| (place, looker.find(&RelativePath::root(), &path))).collect();
    let system = SystemLabel {
        family: "windows".to_owned(),
        product: system.0.to_owned(),
        version: Some(system.1.to_owned()),
    };
    Ok(Machine { volume: Arc::clone(&volume), name, system, layout, accounts, places, not_people, at_root })
}

fn find_accounts(looker: &mut Looker<'_>, layout: &Layout) -> (Vec<Account>, Vec<Vec<u8>>) {
    let profiles = looker.find(&RelativePath::root(), layout.profiles).path;
    let mut rows = looker.list(&profiles).to_vec();
    rows.sort_by(|a, b| a.name.cmp(&b.name));
    let mut accounts: Vec<Account> = Vec::new();
    let mut not_people = Vec::new();
    for row in rows {
        let built_in = BUILT_IN_PROFILES.iter().any(|known| fold::same_name(known.as_bytes(), &row.name));
        let Ok(home) = profiles.join(&row.name) else { continue };
        if built_in || row.metadata.kind != EntryKind::Folder {
            not_people.push(row.name);
            continue;
        }
        // `machine` begins the ids of what belongs to nobody.
        let id = unused_id(&id_from_name(&row.name), |id| {
            id == "machine" || accounts.iter().any(|account| account.id == id)
        });
        let last_used_utc = last_registry_write(looker.list(&home));
        let places: BTreeMap<Place, FoundPlace> =
            layout.personal().map(|(place, path)| (place, looker.find(&home, path))).collect();
        let has_registry = last_used_utc.is_some();
        accounts.push(Account { id, name: row.name, home, last_used_utc, has_registry, places });
    }
    (accounts, not_people)
}

/// `NTUSER.DAT` and its logs are written when a session ends.
fn last_registry_write(profile: &[Listed]) -> Option<OffsetDateTime> {
    profile
        .iter()
        .filter(|row| row.metadata.kind == EntryKind::File)
        .filter(|row| row.name.to_ascii_lowercase().starts_with(b"ntuser.dat"))
        .filter_map(|row| row.metadata.modified_utc)
        .max()
}

/// Finds folders whatever the case of their names, and lists each folder once.
struct Looker<'v> {
    volume: &'v dyn Volume,
    listings: HashMap<RelativePath, Vec<Listed>>,
}

impl Looker<'_> {
    fn list(&mut self, folder: &RelativePath) -> &[Listed] {
        let volume = self.volume;
        self.listings.entry(folder.clone()).or_insert_with(|| {
            // A profile we may not look into is found unreadable again, and named, by the survey.
            volume.list(folder).map(|rows| rows.into_iter().flatten().collect()).unwrap_or_default()
        })
    }

    fn find(&mut self, from: &RelativePath, path: &str) -> FoundPlace {
        let mut found = FoundPlace { path: from.clone(), state: PlaceState::Present };
        for step in path.split('/').filter(|step| !step.is_empty()) {
            let name = step.as_bytes();
            let row = if found.state == PlaceState::Present {
                let rows = self.list(&found.path);
                rows.iter()
                    .find(|row| row.name == name)
                    .or_else(|| rows.iter().find(|row| fold::same_name(&row.name, name)))
            } else {
                None
            };
            let (actual, state) = match (row, found.state) {
                (Some(row), _) => {
                    let state = match row.metadata.kind {
                        EntryKind::Folder => PlaceState::Present,
                        EntryKind::Link => PlaceState::IsLink,
                        EntryKind::File | EntryKind::Other => PlaceState::IsFile,
                    };
                    (row.name.clone(), state)
                }
                (None, PlaceState::Present) => (name.to_vec(), PlaceState::Absent),
                (None, state) => (name.to_vec(), state),
            };
            // Names from a listing and from our own tables hold no slash.
            let Ok(path) = found.path.join(&actual) else {
                return FoundPlace { path: found.path, state: PlaceState::Unreadable };
            };
            found = FoundPlace { path, state };
        }
        found
    }
}
