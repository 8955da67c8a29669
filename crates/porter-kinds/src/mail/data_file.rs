//! Outlook's data files (`.pst`, `.ost`): found wherever they lie, landed beside those of the new machine,
//! and told one by one, because somebody has to open each of them there.

use super::which::MAIL;
use crate::changes::{Changes, Edit, Moved};
use crate::crossing::old_paths::as_written;
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::owner_id;
use crate::part::ELSEWHERE;
use crate::receipt::{Finding, ItemReceipt, Reason, Verdict};
use porter_formats::mail::{prf, pst};
use porter_machine::layout::Family;
use porter_machine::{Account, Machine, Place, small_file};
use porter_names::RelativePath;
use porter_names::portable::as_one_step;
use porter_source::Volume;
use porter_trunk::{TrunkItem, TrunkPart};
use std::collections::{BTreeMap, BTreeSet};

/// Where Outlook itself puts them since 2010, below the person's documents.
const OWN_FOLDER: &str = "Outlook Files";
/// No data file is shorter, and each is as long as its pages are.
const SHORTEST_IN_BYTES: u64 = 32 << 10;
const GRAIN_IN_BYTES: u64 = 1 << 10;

/// True for one by name, or by how it begins: people give old ones other endings.
pub(super) fn is_one(name: &[u8], size_in_bytes: u64, begins: &dyn Fn(&mut [u8]) -> usize) -> bool {
    let could_be = size_in_bytes >= SHORTEST_IN_BYTES && size_in_bytes.is_multiple_of(GRAIN_IN_BYTES);
    if !could_be && !is_named_so(name) {
        return false;
    }
    let mut beginning = [0; 4];
    begins(&mut beginning) == beginning.len() && pst::is_one(&beginning)
}

/// True for the name of one.
pub(super) fn is_named_so(name: &[u8]) -> bool {
    let name = name.to_ascii_lowercase();
    name.ends_with(b".pst") || name.ends_with(b".ost")
}

fn is_of_one(part: &TrunkPart) -> bool {
    part.name == ELSEWHERE || is_named_so(part.path.as_bytes())
}

/// The item of those that lie where no rule looks.
pub(super) fn item_elsewhere(owner: Option<&Account>) -> Item {
    let id = format!("{}/mail/data-files", owner_id(owner));
    let owner = owner.map(|account| account.id.clone());
    Item::new(id, MAIL, owner, "Outlook: data files in other folders".to_owned())
}

/// None of them takes the place of one that the new machine has: its Outlook has that open.
pub(super) fn land(items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
    if ground.machine.layout.family != Family::Windows || ground.is_same_machine() {
        return;
    }
    let mut given = BTreeSet::new();
    let mut to_open: BTreeMap<&str, (&TrunkItem, Vec<RelativePath>)> = BTreeMap::new();
    for item in items {
        for part in item.parts.iter().filter(|part| is_of_one(part)) {
            let moved = landing_of(item, part, ground, &mut given);
            let lands_at = match &moved {
                Some(moved) => place_of_moved(item, moved, ground),
                None => ground.folder_of(item, part),
            };
            moved.into_iter().for_each(|moved| changes.move_part(moved));
            let is_own = part.path.to_lowercase().ends_with(".pst");
            if let (Some(owner), Some(at), true) = (item.account.as_deref(), lands_at, is_own) {
                to_open.entry(owner).or_insert((item, Vec::new())).1.push(at);
            }
        }
    }
    for (item, files) in to_open.into_values() {
        write_opener(item, &files, ground, changes);
    }
}

fn place_of_moved(item: &TrunkItem, moved: &Moved, ground: &Ground<'_>) -> Option<RelativePath> {
    let place = Place::from_name(&moved.to_place)?;
    let account = ground.account_of(item).filter(|_| place.is_personal());
    ground.machine.place(account, place)?.path.join_path(&moved.to).ok()
}

/// Where the file is that the data files of one person are opened by, which came from a machine of this name.
pub fn opener_of(machine: &Machine, account: &Account, old_machine: &str) -> Option<RelativePath> {
    let documents = machine.place(Some(account), Place::Documents)?;
    let name = format!("{}.prf", as_one_step(old_machine));
    documents.path.join(OWN_FOLDER.as_bytes()).ok()?.join(name.as_bytes()).ok()
}

fn opener_at(item: &TrunkItem, ground: &Ground<'_>) -> Option<RelativePath> {
    opener_of(ground.machine, ground.account_of(item)?, &ground.label().machine.name)
}

/// Writes the file that opens all of one person's in Outlook, beside them.
fn write_opener(item: &TrunkItem, files: &[RelativePath], ground: &Ground<'_>, changes: &mut Changes) {
    let old = &ground.label().machine.name;
    let named = |at: &RelativePath| {
        let name = at.name().map(|name| String::from_utf8_lossy(name).into_owned()).unwrap_or_default();
        let stem = name.rsplit_once('.').map_or(name.clone(), |(stem, _)| stem.to_owned());
        let shown_as = if stem.contains(old.as_str()) { stem } else { format!("{stem} ({old})") };
        prf::DataFile { shown_as, path: as_written(Family::Windows, at) }
    };
    if let Some(at) = opener_at(item, ground) {
        let content = prf::to_bytes(&files.iter().map(named).collect::<Vec<_>>());
        let is_there = small_file::read(&*ground.machine.volume, &at).is_some_and(|there| there == content);
        if !is_there {
            changes.write(Edit::new(&item.id, at, content));
        }
    }
}

fn landing_of(
    item: &TrunkItem,
    part: &TrunkPart,
    ground: &Ground<'_>,
    given: &mut BTreeSet<RelativePath>,
) -> Option<Moved> {
    let from = RelativePath::from_bytes(part.path.as_bytes()).ok()?;
    if let Some(known) = ground.earlier.moved(&item.id, &from) {
        return Some(known);
    }
    let name = String::from_utf8(from.name()?.to_vec()).ok()?;
    let is_hidden = part.place == Place::LocalData.name() && name.to_lowercase().ends_with(".pst");
    let (to_place, folder) = match is_hidden {
        true => (Place::Documents, RelativePath::from_bytes(OWN_FOLDER.as_bytes()).ok()?),
        false => (Place::from_name(&part.place)?, from.parent()?),
    };
    let account = ground.account_of(item);
    let place = ground.machine.place(account.filter(|_| to_place.is_personal()), to_place)?;
    let (stem, ending) = name.rsplit_once('.').unwrap_or((&name, ""));
    let old = as_one_step(&ground.label().machine.name);
    let names = (0_u32..1000).map(|number| match number {
        0 => name.clone(),
        1 => format!("{stem} ({old}).{ending}"),
        number => format!("{stem} ({old}, {number}).{ending}"),
    });
    for name in names {
        let to = folder.join(name.as_bytes()).ok()?;
        let at = place.path.join_path(&to).ok()?;
        if ground.machine.volume.metadata(&at).is_err() && given.insert(at) {
            let (item, from_place) = (item.id.clone(), part.place.clone());
            return Some(Moved { item, from_place, from, to_place: to_place.name().to_owned(), to });
        }
    }
    None
}

/// The letters in one.
pub(super) fn count(volume: &dyn Volume, at: &RelativePath) -> Result<pst::Letters, String> {
    let file = volume.open(at).map_err(|error| error.to_string())?;
    pst::count(&|offset, buffer| file.read_at(offset, buffer)).map_err(|error| error.to_string())
}

/// Tells of each that landed where Outlook could open it, and of the file that opens all.
pub(super) fn tell(item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
    if ground.machine.layout.family != Family::Windows || ground.is_same_machine() {
        return;
    }
    let landed = |reason, at| Finding {
        path: RelativePath::root(),
        verdict: Verdict::Landed,
        reason,
        needs_attention: false,
        expected_at: Some(at),
    };
    let mut has_own = false;
    for part in item.parts.iter().filter(|part| is_of_one(part)) {
        let Some(at) = ground.found_of(item, part) else { continue };
        let Ok(letters) = count(&*ground.machine.volume, &at) else { continue };
        has_own |= !letters.is_copy;
        let path = as_written(Family::Windows, &at);
        let reason = Reason::ToOpen { path, messages: letters.messages, is_copy: letters.is_copy };
        row.find(landed(reason, at));
    }
    // It opens those of the person's other items, too, and is told of once.
    let with_files = |other: &&TrunkItem| other.account == item.account && other.parts.iter().any(is_of_one);
    let is_first = ground.trunk.items().iter().find(with_files).is_some_and(|first| first.id == item.id);
    if let Some(at) = opener_at(item, ground).filter(|_| has_own && is_first)
        && ground.machine.volume.metadata(&at).is_ok()
    {
        row.find(landed(Reason::OpensAll { path: as_written(Family::Windows, &at) }, at));
    }
}
