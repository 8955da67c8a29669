//! Recognising a machine from its folders and from its system's own files.
//!
//! Where a Windows has no registry that can be read, folders tell its generation, its people and, by when a
//! person's registry was last written, when they were last there.

use super::facts::SystemFacts;
use super::layout::{Family, LINUX, Layout, MACOS, VISTA_AND_LATER};
use super::looker::Looker;
use super::other_names;
use super::people::{People, find_accounts};
use super::program::{self, Program};
use super::registry;
use super::{Machine, PlaceState};
use super::{account_picture, hosts, linux, macos, shared_folder, wifi};
use porter_names::RelativePath;
use porter_source::{Listed, ReadError, Volume};
use porter_trunk::SystemLabel;
use std::sync::Arc;

/// Why a volume was not taken for a machine.
#[derive(Debug, thiserror::Error)]
pub enum NotRecognised {
    /// It cannot be looked at.
    #[error(transparent)]
    Unreadable(#[from] ReadError),
    /// A system of a time before people had folders of their own.
    #[error("is the drive of {product}, which is too old")]
    TooOld {
        /// Its kind, in words.
        product: &'static str,
    },
    /// It does not look like any system we know.
    #[error("does not look like the system drive of a PC")]
    NoSystem {
        /// The places that were looked for, a line each.
        looked_for: Vec<String>,
        /// The entries at its root instead, those worth showing.
        found: Vec<Vec<u8>>,
    },
}

/// Looks at a volume. `name` is what to call the machine if it does not say itself.
pub fn recognise(volume: Arc<dyn Volume>, name: String) -> Result<Machine, NotRecognised> {
    recognise_with(volume, name, None)
}

/// The same, with the running system's own facts.
pub fn recognise_with(
    volume: Arc<dyn Volume>,
    name: String,
    facts: Option<SystemFacts>,
) -> Result<Machine, NotRecognised> {
    let root = RelativePath::root();
    let at_root: Vec<Listed> = volume.list(&root)?.into_iter().filter_map(Result::ok).collect();
    let mut looker = Looker::new(&*volume);
    let Some((layout, product, version)) = find_system(&*volume, &mut looker) else {
        if let Some(product) = too_old(&mut looker) {
            return Err(NotRecognised::TooOld { product });
        }
        let looked_for = vec![
            "Windows Vista to 11: the folders Windows/System32 and Users".to_owned(),
            "Windows 2000 and XP: the folders WINDOWS/system32 (or WINNT/system32) and Documents and Settings".to_owned(),
            "Linux: the file etc/passwd, and etc/os-release or usr/lib/os-release".to_owned(),
            "macOS: the folder Users, and System/Library/CoreServices/SystemVersion.plist or private/var/db/dslocal"
                .to_owned(),
        ];
        let found = at_root.into_iter().map(|row| row.name).collect();
        return Err(NotRecognised::NoSystem { looked_for, found });
    };
    if layout.family == Family::Linux {
        looker.heed_case();
    }
    let (facts, registry_troubles) = match (facts, layout.family) {
        (Some(facts), _) => (facts, Vec::new()),
        (None, Family::Linux) => (linux::facts_of(&*volume), Vec::new()),
        (None, Family::MacOs) => (macos::facts_of(&*volume, &mut looker), Vec::new()),
        (None, Family::Drive) => (SystemFacts::default(), Vec::new()),
        (None, Family::Windows) => registry::hives::facts_of(&*volume, &mut looker, layout),
    };
    let People { mut accounts, not_people, without_folder } = find_accounts(&mut looker, layout, &facts);
    if layout.family == Family::Windows {
        for account in &mut accounts {
            let sid = account.identifier.as_deref().unwrap_or_default();
            account.settings.extend(account_picture::setting(&*volume, &mut looker, sid));
        }
    }
    let mut programs = facts.programs;
    for account in &facts.accounts {
        let owner = accounts
            .iter()
            .find(|known| known.identifier == account.identifier)
            .map(|known| known.id.clone());
        let own = account.programs.iter().cloned();
        programs.extend(own.map(|program| Program { account: owner.clone(), ..program }));
    }
    let places = layout.shared().map(|(place, path)| (place, looker.find(&root, &path))).collect();
    let system = SystemLabel {
        family: layout.family.name().to_owned(),
        product: facts.product.unwrap_or_else(|| product.to_owned()),
        version: facts.version.or_else(|| version.map(str::to_owned)),
        processor: facts.processor,
    };
    let mut settings = facts.settings;
    for share in settings.iter_mut().filter(|known| known.id.starts_with(shared_folder::PREFIX)) {
        shared_folder::with_names(&mut share.facts, &accounts);
    }
    settings.extend(wifi::networks(&*volume, &mut looker, layout.family));
    settings.extend(hosts::setting(&*volume, &mut looker, layout.family));
    let root_volume_id = volume.metadata(&root).ok().and_then(|found| found.volume_id);
    Ok(Machine {
        volume: Arc::clone(&volume),
        name: facts.name.unwrap_or(name),
        system,
        layout,
        here: None,
        accounts,
        places,
        not_people,
        also: Vec::new(),
        at_root,
        root_volume_id,
        registry_troubles,
        programs: program::sorted(programs),
        settings,
        data_drivers: facts.data_drivers,
        state: facts.state,
        without_folder,
        running: None,
        controls: &[],
        shows_wifi_passwords: false,
    })
}

/// Windows 95, 98 and ME keep their registry in two files beside `WIN.COM`; Windows NT 4 has people's folders
/// in `WINNT/Profiles`.
fn too_old(looker: &mut Looker<'_>) -> Option<&'static str> {
    let root = RelativePath::root();
    let mut state = |path: &str| looker.find(&root, path).state;
    if state("Windows/System.dat") == PlaceState::IsFile && state("Windows/Win.com") == PlaceState::IsFile {
        return Some("Windows 95, 98 or ME");
    }
    let is_nt =
        state("WINNT/Profiles") == PlaceState::Present && state("WINNT/system32") == PlaceState::Present;
    is_nt.then_some("Windows NT 4")
}

/// Layout, and product and version where folders show them.
fn find_system(
    volume: &dyn Volume,
    looker: &mut Looker<'_>,
) -> Option<(&'static Layout, &'static str, Option<&'static str>)> {
    let root = RelativePath::root();
    let mut is_there = |path: &str| looker.find(&root, path).state == PlaceState::Present;
    let is_old = is_there("WINNT/system32");
    if is_there("Windows/System32") || is_old {
        // Later generations keep `Documents and Settings` as a link, which does not count.
        if is_there(VISTA_AND_LATER.profiles) {
            let (product, version) = if is_there("Windows/SystemApps") {
                ("Windows 10 or 11", "10.0")
            } else if is_there("Program Files/WindowsApps") {
                ("Windows 8 or 8.1", "6.2 or 6.3")
            } else {
                ("Windows Vista or 7", "6.0 or 6.1")
            };
            return Some((&VISTA_AND_LATER, product, Some(version)));
        }
        if let Some(layout) = other_names::layout_of_xp(volume, looker) {
            let (product, version) = if is_old { ("Windows 2000", "5.0") } else { ("Windows XP", "5.1") };
            return Some((layout, product, Some(version)));
        }
    }
    let mut is_file =
        |path: &str| matches!(looker.find(&root, path).state, PlaceState::IsFile | PlaceState::IsLink);
    let is_linux = is_file("etc/passwd") && (is_file("etc/os-release") || is_file("usr/lib/os-release"));
    if is_linux {
        return Some((&LINUX, "Linux", None));
    }
    let is_macos = is_file("System/Library/CoreServices/SystemVersion.plist")
        // The half of a newer system's drive that holds people's things, mounted alone.
        || looker.find(&root, "private/var/db/dslocal/nodes/Default/users").state == PlaceState::Present;
    let has_people = looker.find(&root, MACOS.profiles).state == PlaceState::Present;
    (is_macos && has_people).then_some((&MACOS, "macOS", None))
}
