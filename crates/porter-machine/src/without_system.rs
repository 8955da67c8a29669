//! Volumes on which no system is: a drive of things, and a person's folder alone.

use super::facts::{AccountFacts, StateFacts, SystemFacts};
use super::layout::{DRIVE, Family, LINUX, Layout, MACOS, VISTA_AND_LATER, WINDOWS_2000_AND_XP};
use super::looker::Looker;
use super::people::{People, find_accounts};
use super::program::{self, Program};
use super::recognise::NotRecognised;
use super::{Machine, Place, PlaceState, linux, registry};
use porter_names::{RelativePath, fold};
use porter_source::{EntryKind, Listed, Volume};
use porter_trunk::SystemLabel;
use std::collections::BTreeMap;
use std::sync::Arc;

/// Takes a volume for a drive without a system: each folder at its root is an item.
pub fn recognise_drive(volume: Arc<dyn Volume>, name: String) -> Result<Machine, NotRecognised> {
    let root = RelativePath::root();
    let at_root: Vec<Listed> = volume.list(&root)?.into_iter().filter_map(Result::ok).collect();
    let mut looker = Looker::new(&*volume);
    let places = DRIVE.shared().map(|(place, path)| (place, looker.find(&root, &path))).collect();
    Ok(Machine { places, at_root, ..bare(&volume, name, &DRIVE, "Drive without a system") })
}

/// True if a drive holds the folders of people, or a system in pieces: what is lost then if it is taken for a
/// drive of things is whose everything is.
pub fn holds_people(volume: &dyn Volume) -> bool {
    let known = [
        VISTA_AND_LATER.profiles,
        WINDOWS_2000_AND_XP.profiles,
        LINUX.profiles,
        "Windows",
        "WINNT",
        "etc",
        "System",
    ];
    let rows = volume.list(&RelativePath::root()).unwrap_or_default();
    let mut folders = rows.iter().flatten().filter(|row| row.metadata.kind == EntryKind::Folder);
    folders.any(|row| known.iter().any(|name| fold::same_name(name.as_bytes(), &row.name)))
}

/// Takes a folder for the folder of one person, who is called `person`. The folder's own contents show which
/// system made it.
pub fn recognise_person(volume: Arc<dyn Volume>, person: &str) -> Result<Machine, NotRecognised> {
    let root = RelativePath::root();
    volume.list(&root)?;
    let mut looker = Looker::new(&*volume);
    let layout = layout_of_person(&mut looker);
    let (own, troubles) = match layout.family {
        Family::Windows => registry::hives::person_alone(&*volume, &mut looker, layout),
        Family::Linux => {
            let places = linux::places_of(&*volume, &root);
            (AccountFacts { places, ..AccountFacts::default() }, Vec::new())
        }
        Family::MacOs | Family::Drive => (AccountFacts::default(), Vec::new()),
    };
    let own = AccountFacts { name: person.as_bytes().to_vec(), home: root, ..own };
    let programs: Vec<Program> = own.programs.clone();
    let facts = SystemFacts { accounts: vec![own], ..SystemFacts::default() };
    let People { accounts, .. } = find_accounts(&mut looker, layout, &facts);
    let owner = accounts.first().map(|account| account.id.clone());
    let product = match layout.family {
        Family::Windows => "Windows",
        Family::Linux => "Linux",
        Family::MacOs => "macOS",
        Family::Drive => "",
    };
    let programs =
        programs.into_iter().map(|program| Program { account: owner.clone(), ..program }).collect();
    let bare = bare(&volume, person.to_owned(), layout, product);
    Ok(Machine { accounts, programs: program::sorted(programs), registry_troubles: troubles, ..bare })
}

fn layout_of_person(looker: &mut Looker<'_>) -> &'static Layout {
    let root = RelativePath::root();
    let mut there =
        |path: &str| matches!(looker.find(&root, path).state, PlaceState::Present | PlaceState::IsFile);
    let marks: [(&'static Layout, &[&str]); 4] = [
        (&VISTA_AND_LATER, &["AppData/Roaming", "AppData/Local"]),
        (&WINDOWS_2000_AND_XP, &["Application Data", "Local Settings", "My Documents"]),
        (&MACOS, &["Library/Preferences", "Library/Application Support"]),
        (&LINUX, &[".config", ".bashrc", ".profile", ".local/share"]),
    ];
    let fits = marks.into_iter().find(|(_, marks)| marks.iter().any(|mark| there(mark)));
    fits.map_or(&VISTA_AND_LATER, |(layout, _)| layout)
}

fn bare(volume: &Arc<dyn Volume>, name: String, layout: &'static Layout, product: &str) -> Machine {
    Machine {
        volume: Arc::clone(volume),
        name,
        system: SystemLabel {
            family: layout.family.name().to_owned(),
            product: product.to_owned(),
            version: None,
            processor: None,
        },
        layout,
        here: None,
        accounts: Vec::new(),
        places: BTreeMap::<Place, _>::new(),
        not_people: Vec::new(),
        also: Vec::new(),
        at_root: Vec::new(),
        root_volume_id: volume.metadata(&RelativePath::root()).ok().and_then(|found| found.volume_id),
        registry_troubles: Vec::new(),
        programs: Vec::new(),
        settings: Vec::new(),
        data_drivers: Vec::new(),
        state: StateFacts::default(),
        without_folder: Vec::new(),
        running: None,
        controls: &[],
        shows_wifi_passwords: false,
    }
}
