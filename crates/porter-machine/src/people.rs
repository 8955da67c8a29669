//! The people of a machine: what the folders show, joined with what the system wrote down.

use super::account::{id_from_name, unused_id};
use super::facts::{AccountFacts, SystemFacts};
use super::layout::{Family, Layout};
use super::looker::Looker;
use super::other_names;
use super::{Account, FoundPlace, Place, PlaceState};
use porter_names::{RelativePath, fold, screen::on_screen};
use porter_source::{EntryKind, Listed};
use std::collections::BTreeMap;
use time::OffsetDateTime;

/// Folders beside the profiles that no person made, in all generations of Windows, on Linux and on macOS.
const BUILT_IN_PROFILES: [&str; 14] = [
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
    "lost+found",
    "Shared",
    ".localized",
];

/// The people, by their folders and by what the system says.
pub(super) fn find_accounts(looker: &mut Looker<'_>, layout: &Layout, facts: &SystemFacts) -> People {
    let (mut homes, not_people) = profile_folders(looker, layout);
    let any_known = !facts.accounts.is_empty();
    let mut without_folder = Vec::new();
    for known in &facts.accounts {
        let home = looker.find_path(&known.home);
        if home.state != PlaceState::Present {
            // Nobody ever signed in, so there is nothing to carry, and no home that the system would accept.
            without_folder.push(on_screen(&known.name));
            continue;
        }
        match homes.iter_mut().find(|(there, _)| *there == home.path) {
            Some((_, facts)) => *facts = Some(known),
            None => homes.push((home.path, Some(known))),
        }
    }
    let mut named: Vec<(Vec<u8>, RelativePath, Option<&AccountFacts>)> = homes
        .into_iter()
        .filter_map(|(home, facts)| {
            let name =
                facts.map_or_else(|| home.name().unwrap_or_default().to_vec(), |facts| facts.name.clone());
            (!name.is_empty()).then_some((name, home, facts))
        })
        .collect();
    named.sort_by(|a, b| (&a.0, &a.1).cmp(&(&b.0, &b.1)));
    let mut accounts: Vec<Account> = Vec::new();
    for (name, home, facts) in named {
        // `machine` begins the ids of what belongs to nobody.
        let id = unused_id(&id_from_name(&name), |id| {
            id == "machine" || accounts.iter().any(|account| account.id == id)
        });
        let places = find_places(looker, layout, &home, facts);
        let registry_written_utc = last_registry_write(looker.list(&home));
        accounts.push(Account {
            id,
            name,
            full_name: facts.and_then(|facts| facts.full_name.clone()),
            identifier: facts.and_then(|facts| facts.identifier.clone()),
            is_administrator: facts.and_then(|facts| facts.is_administrator),
            is_disabled: facts.and_then(|facts| facts.is_disabled),
            record: facts.map(|facts| facts.record.clone()).unwrap_or_default(),
            last_used_utc: registry_written_utc.max(facts.and_then(|facts| facts.last_used_utc)),
            has_registry: layout.family != Family::Windows || registry_written_utc.is_some(),
            has_owner: facts.is_some() || !any_known,
            settings: facts.map(|facts| facts.settings.clone()).unwrap_or_default(),
            home,
            places,
        });
    }
    without_folder.extend(facts.without_profile.iter().cloned());
    without_folder.sort();
    People { accounts, not_people, without_folder }
}

/// Who was found, and who was not.
pub(super) struct People {
    /// In the order of their names.
    pub(super) accounts: Vec<Account>,
    /// The other folders beside theirs.
    pub(super) not_people: Vec<Vec<u8>>,
    /// People who may sign in and have no folder.
    pub(super) without_folder: Vec<String>,
}

type Home<'f> = (RelativePath, Option<&'f AccountFacts>);

/// The folders where profiles are made, without those that the system makes for itself.
fn profile_folders<'f>(looker: &mut Looker<'_>, layout: &Layout) -> (Vec<Home<'f>>, Vec<Vec<u8>>) {
    let profiles = looker.find(&RelativePath::root(), layout.profiles);
    if layout.profiles.is_empty() || profiles.state != PlaceState::Present {
        return (Vec::new(), Vec::new());
    }
    let (mut homes, mut not_people) = (Vec::new(), Vec::new());
    for row in looker.list(&profiles.path).to_vec() {
        let built_in = BUILT_IN_PROFILES.iter().any(|known| fold::same_name(known.as_bytes(), &row.name));
        // On other systems a hidden folder there is somebody's snapshots or trash.
        let hidden = layout.family != Family::Windows && row.name.starts_with(b".");
        match profiles.path.join(&row.name) {
            Ok(home) if !built_in && !hidden && row.metadata.kind == EntryKind::Folder => {
                homes.push((home, None));
            }
            Ok(_) => not_people.push(row.name),
            Err(_) => {}
        }
    }
    not_people.sort();
    (homes, not_people)
}

/// Each place where the person has put it, or else where the system does.
///
/// A place that would be the whole drive, or hold the person's own home, is not believed, and no two places
/// are one.
fn find_places(
    looker: &mut Looker<'_>,
    layout: &Layout,
    home: &RelativePath,
    facts: Option<&AccountFacts>,
) -> BTreeMap<Place, FoundPlace> {
    let mut places: BTreeMap<Place, FoundPlace> = BTreeMap::new();
    for (place, usual) in layout.personal() {
        let is_free = |found: &FoundPlace, places: &BTreeMap<Place, FoundPlace>| {
            !places.values().any(|other| other.path == found.path)
        };
        let moved = facts.and_then(|facts| facts.places.get(&place)).filter(|_| place != Place::Home);
        let moved = moved
            .filter(|path| !path.is_root() && !home.is_within(path))
            .map(|path| looker.find_path(path))
            .filter(|found| is_free(found, &places));
        let found = moved.unwrap_or_else(|| match looker.find(home, usual) {
            found if found.state == PlaceState::Absent => {
                let named = other_names::find_personal(looker, layout, home, place);
                named.filter(|named| is_free(named, &places)).unwrap_or(found)
            }
            found => found,
        });
        if is_free(&found, &places) {
            places.insert(place, found);
        }
    }
    places
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
