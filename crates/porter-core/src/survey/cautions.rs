//! Cautions: about an item, an account, or the machine.

use super::among_programs::folders_with_work;
use super::count::Count;
use porter_kinds::caution::Caution;
use porter_kinds::item::Item;
use porter_machine::facts::VolumeFlaw;
use porter_machine::layout::Family;
use porter_machine::registry::hives::HiveTrouble;
use porter_machine::{Account, Machine, PlaceState};
use porter_names::{RelativePath, fold, screen::on_screen};
use porter_source::ReadTrouble;

pub(super) fn of_item(machine: &Machine, item: &Item, count: &Count) -> Vec<Caution> {
    let mut cautions = item.cautions.clone();
    let mut if_any = |count: u64, caution: fn(u64) -> Caution| {
        if count > 0 {
            cautions.push(caution(count));
        }
    };
    if_any(count.unreadable, |count| Caution::Unreadable { count });
    if_any(count.other_volumes, |count| Caution::OtherVolumes { count });
    if_any(count.cloud_only, |count| Caution::CloudOnly { count });
    if_any(count.shut, |count| Caution::Shut { count });
    if_any(count.encrypted, |count| Caution::EncryptedFiles { count });
    if_any(count.links, |count| Caution::Links { count });
    if_any(count.too_large_for_fat32, |count| Caution::TooLargeForFat32 { count });
    if_any(count.names_windows_cannot_hold, |count| Caution::NamesWindowsCannotHold { count });
    if_any(count.long_paths, |count| Caution::LongPaths { count });
    cautions.extend(count.trunks.iter().map(|path| Caution::TrunkHere { path: path.to_string() }));
    let running: Vec<String> = item
        .rule
        .iter()
        .flat_map(|rule| &rule.must_be_closed)
        .filter(|program| machine.runs(program))
        .cloned()
        .collect();
    let is_told = cautions.iter().any(|caution| matches!(caution, Caution::ProgramRunning { .. }));
    if !running.is_empty() && !is_told {
        cautions.push(Caution::ProgramRunning { programs: running });
    }
    cautions
}

pub(super) fn of_account(machine: &Machine, account: &Account) -> Vec<Caution> {
    let places = account.places.iter().filter_map(|(place, found)| match found.state {
        PlaceState::IsLink => Some(Caution::PlaceIsLink { place: place.name() }),
        PlaceState::Shut => Some(Caution::PlaceShut { place: place.name(), path: found.path.to_string() }),
        PlaceState::Unreadable => {
            Some(Caution::PlaceNotReached { place: place.name(), path: found.path.to_string() })
        }
        _ => None,
    });
    let not_read = not_read(machine, account);
    // Nobody knows what is in a folder that cannot be looked into.
    let no_registry = (!account.has_registry && not_read.is_none()).then_some(Caution::NoRegistry);
    let disabled = (account.is_disabled == Some(true)).then_some(Caution::DisabledAccount);
    let no_owner = (!account.has_owner).then_some(Caution::NoOwner);
    let encrypted = encrypted_home(machine, account).map(|with| Caution::HomeEncrypted { with });
    let not_read = not_read.map(|detail| Caution::NotRead { detail });
    not_read
        .into_iter()
        .chain(no_registry)
        .chain(no_owner)
        .chain(disabled)
        .chain(encrypted)
        .chain(places)
        .collect()
}

/// Why a person's folder cannot be looked into, if it cannot.
pub(super) fn not_read(machine: &Machine, account: &Account) -> Option<String> {
    let error = machine.volume.list(&account.home).err()?;
    (!matches!(error.trouble, ReadTrouble::Gone)).then(|| match error.trouble {
        ReadTrouble::PermissionDenied => "permission denied".to_owned(),
        trouble => trouble.to_string(),
    })
}

/// The visible sign of an encrypted home: eCryptfs leaves the file that says how to open it
/// (`ecryptfs-setup-private(1)`), the first FileVault an image of the disk that holds the home.
fn encrypted_home(machine: &Machine, account: &Account) -> Option<&'static str> {
    let rows: Vec<_> = machine.volume.list(&account.home).ok()?.into_iter().flatten().collect();
    let has = |fits: &dyn Fn(&[u8]) -> bool| rows.iter().any(|row| fits(&row.name));
    match machine.layout.family {
        Family::Linux if has(&|name| name == b"Access-Your-Private-Data.desktop") => Some("eCryptfs"),
        Family::MacOs if has(&|name| name.ends_with(b".sparsebundle") || name.ends_with(b".sparseimage")) => {
            Some("FileVault")
        }
        _ => None,
    }
}

pub(super) fn of_machine(machine: &Machine) -> Vec<Caution> {
    let is_earlier = |name: &[u8]| fold::folded(name).starts_with(b"windows.old");
    let earlier = machine.at_root.iter().filter(|row| is_earlier(&row.name));
    let earlier = earlier.map(|row| Caution::EarlierWindows { path: on_screen(&row.name) });
    let registry = machine.registry_troubles.iter().map(|(path, trouble)| match trouble {
        HiveTrouble::NewestMissing => Caution::RegistryNotNewest { path: path.to_string() },
        HiveTrouble::Missing => Caution::RegistryGone { path: path.to_string() },
        HiveTrouble::Unreadable(detail) => {
            Caution::RegistryUnreadable { path: path.to_string(), detail: detail.clone() }
        }
    });
    let state = &machine.state;
    let is_dead = machine.here.is_none();
    let volume = state.volume.iter().map(|flaw| match flaw {
        VolumeFlaw::NotClosed => Caution::NotClosed,
        VolumeFlaw::RecordsLost(count) => Caution::RecordsLost { count: *count },
        VolumeFlaw::Damaged(detail) => Caution::DriveDamaged { detail: detail.clone() },
    });
    let of_state = [
        state.has_no_registry.then_some(Caution::RegistryMissing),
        (is_dead && is_hibernated(machine)).then_some(Caution::Hibernated),
        (is_dead && state.stopped_short).then_some(Caution::StoppedShort),
        state.encrypted_with.clone().map(|with| Caution::DriveEncrypted { with }),
        (!machine.without_folder.is_empty())
            .then(|| Caution::WithoutFolder { names: machine.without_folder.clone() }),
        Some(folders_with_work(machine))
            .filter(|paths| !paths.is_empty())
            .map(|paths| Caution::WorkAmongPrograms { paths }),
    ];
    let without_rights = machine.here.is_some_and(|here| !here.as_administrator);
    let without_rights = without_rights.then_some(Caution::NotAdministrator);
    let of_state = of_state.into_iter().flatten();
    without_rights.into_iter().chain(volume).chain(of_state).chain(registry).chain(earlier).collect()
}

/// The file begins with `hibr` while it holds what was in memory, and with something else when it has been
/// taken up again (libhibr's format paper).
pub(crate) fn is_hibernated(machine: &Machine) -> bool {
    let Some(row) = machine.at_root.iter().find(|row| fold::same_name(b"hiberfil.sys", &row.name)) else {
        return false;
    };
    let Some(file) =
        RelativePath::root().join(&row.name).ok().and_then(|path| machine.volume.open(&path).ok())
    else {
        return false;
    };
    let mut mark = [0; 4];
    matches!(file.read_at(0, &mut mark), Ok(4)) && mark.eq_ignore_ascii_case(b"hibr")
}
