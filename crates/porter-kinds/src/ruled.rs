//! The items that carry rules find: folders of files, and programs' files.

use crate::catalogue::patterns::{PathPattern, Step, in_lower_case};
use crate::catalogue::{CarryRule, Catalogue, Find, Found};
use crate::changes::{Changes, Moved};
use crate::ground::Ground;
use crate::item::Item;
use crate::joined_lines;
use crate::kind::{Instead, Kind, owner_id, ran};
use crate::part::{Part, What};
use crate::receipt::Reason;
use porter_machine::account::{id_from_name, unused_id};
use porter_machine::database::{NoSnapshot, is_beside_database, snapshot};
use porter_machine::looker::Looker;
use porter_machine::{Account, Machine, Place, PlaceState};
use porter_names::portable::as_one_step;
use porter_names::{RelativePath, screen::on_screen};
use porter_source::EntryKind;
use porter_trunk::{LeftReason, TrunkItem};
use std::collections::HashSet;
use std::sync::Arc;

/// Items of carry rules.
pub struct Ruled;

impl Kind for Ruled {
    fn name(&self) -> &'static str {
        "folder"
    }

    fn has(&self, item: &TrunkItem) -> bool {
        item.rule.is_some()
    }

    fn instead(&self, item: &Item, machine: &Machine, at: &RelativePath) -> Instead {
        in_one_piece(item, machine, at)
    }

    /// A program's files stay in the trunk if the program does not exist on this system, or go into a folder
    /// of the person's documents. Lists of words are joined.
    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        for item in items {
            let Some(title) = ground.catalogue.program_missing_on(item, ground.machine.layout.family) else {
                joined_lines::land(item, ground, changes);
                continue;
            };
            if ground.land_held.wants_item(&item.id) {
                into_documents(item, &ground.label().machine.name, title)
                    .for_each(|moved| changes.move_part(moved));
            } else {
                changes.refuse(&item.id, Reason::NoSuchProgram { title: title.to_owned() });
            }
        }
    }

    fn find(&self, machine: &Machine, catalogue: &Catalogue) -> Vec<Item> {
        let mut looker = machine.looker();
        // Files of one rule are not taken by another.
        let mut taken: HashSet<RelativePath> = HashSet::new();
        let places: HashSet<&RelativePath> = machine.all_places().map(|found| &found.path).collect();
        let mut items: Vec<Item> = Vec::new();
        // A file with an item of its own is not also one of many.
        for each in [false, true] {
            for owner in machine.accounts.iter().map(Some).chain([None]) {
                let fits = |rule: &&Arc<CarryRule>| {
                    rule.is_personal() == owner.is_some()
                        && rule.profiles.is_none()
                        && rule.an_item_each == each
                };
                for rule in catalogue.rules.iter().filter(fits) {
                    let mut item = item_of(machine, owner, rule);
                    for Found { part, is_folder } in look_for(machine, &mut looker, owner, rule) {
                        // A pattern may fit a place, which has an item of its own.
                        let is_free =
                            |path: &RelativePath| part.what == What::Whole || !places.contains(path);
                        let path = item.path_of(&part, machine).filter(is_free);
                        if path.is_none_or(|path| !taken.insert(path)) || (each && !is_folder) {
                            continue;
                        }
                        match &part.what {
                            What::At(path) if each => {
                                items.push(one_of_many(&item, path.name(), &part, &items));
                            }
                            _ => item.parts.push(part),
                        }
                    }
                    if !item.parts.is_empty() {
                        items.push(item);
                    }
                }
            }
        }
        items
    }
}

fn item_of(machine: &Machine, owner: Option<&Account>, rule: &Arc<CarryRule>) -> Item {
    let id = format!("{}/{}", owner_id(owner), rule.id);
    let owner = owner.map(|account| account.id.clone());
    let item = Item { rule: Some(Arc::clone(rule)), ..Item::new(id, rule.kind(), owner, rule.title.clone()) };
    Item { is_open: ran(rule, machine), ..item }
}

/// The item of one folder, beside those that there are.
fn one_of_many(item: &Item, name: Option<&[u8]>, part: &Part, items: &[Item]) -> Item {
    let name = name.unwrap_or_default();
    let id = format!("{}/{}", item.id, id_from_name(name));
    let id = unused_id(&id, |id| items.iter().any(|other| other.id == id));
    let title = format!("{} ({})", on_screen(name), lower_first(&item.title));
    Item { id, title, parts: vec![part.clone()], ..item.clone() }
}

fn lower_first(title: &str) -> String {
    let mut letters = title.chars();
    letters.next().map_or_else(String::new, |first| first.to_lowercase().chain(letters).collect())
}

/// All that a rule finds of one account, or of the machine.
pub fn find_by_rule(machine: &Machine, owner: Option<&Account>, rule: &CarryRule) -> Vec<Found> {
    look_for(machine, &mut machine.looker(), owner, rule)
}

fn look_for(
    machine: &Machine,
    looker: &mut Looker<'_>,
    owner: Option<&Account>,
    rule: &CarryRule,
) -> Vec<Found> {
    let mut all = Vec::new();
    for find in rule.finds_on(machine.layout.family) {
        let Some(place) = machine.place(owner, find.place) else { continue };
        if place.state != PlaceState::Present {
            continue;
        }
        let part = |what| Part { name: find.part.clone(), place: find.place, what };
        match &find.path {
            None => all.push(Found { part: part(What::Whole), is_folder: true }),
            Some(pattern) => {
                let found = expand(looker, &place.path, pattern);
                for (below, is_folder) in found.into_iter().filter(|(below, _)| !find.passes_by(below)) {
                    all.push(Found { part: part(What::At(below)), is_folder });
                }
            }
        }
    }
    all
}

/// The paths that fit a path with patterns; true for folders. No link is followed, or found.
fn expand(looker: &mut Looker<'_>, from: &RelativePath, pattern: &PathPattern) -> Vec<(RelativePath, bool)> {
    let mut reached = vec![(RelativePath::root(), true)];
    for step in &pattern.steps {
        let mut next = Vec::new();
        for (below, is_folder) in reached {
            let Some(folder) = from.join_path(&below).ok().filter(|_| is_folder) else { continue };
            match step {
                Step::Name(name) => {
                    let found = looker.find(&folder, name);
                    let is_folder = found.state == PlaceState::Present;
                    if let (true, Some(name)) =
                        (is_folder || found.state == PlaceState::IsFile, found.path.name())
                        && let Ok(below) = below.join(name)
                    {
                        next.push((below, is_folder));
                    }
                }
                Step::Pattern(matcher) => {
                    for row in looker.list(&folder) {
                        let is_folder = row.metadata.kind == EntryKind::Folder;
                        let name = RelativePath::root().join(&row.name);
                        let fits = name.is_ok_and(|name| matcher.is_match(in_lower_case(&name)));
                        if let (true, true, Ok(below)) =
                            (is_folder || row.metadata.kind == EntryKind::File, fits, below.join(&row.name))
                        {
                            next.push((below, is_folder));
                        }
                    }
                }
            }
        }
        reached = next;
    }
    reached.sort();
    reached
}

/// The target of an item's parts that no program of the new system reads, if somebody wants its files in
/// spite of that: a folder of the person's documents that says where it is from. Everybody's parts stay where
/// they were.
fn into_documents<'i>(
    item: &'i TrunkItem,
    machine: &'i str,
    title: &'i str,
) -> impl Iterator<Item = Moved> + 'i {
    let folder = format!("From {}/{}", as_one_step(machine), as_one_step(title));
    let parts = item.parts.iter().filter(|_| item.account.is_some());
    parts.filter_map(move |part| {
        let from = RelativePath::from_bytes(part.path.as_bytes()).ok()?;
        let folder = RelativePath::from_bytes(folder.as_bytes()).ok()?;
        let to = match from.name() {
            Some(last) => folder.join(last).ok()?,
            None => folder,
        };
        let (from_place, to_place) = (part.place.clone(), Place::Documents.name().to_owned());
        Some(Moved { item: item.id.clone(), from_place, from, to_place, to })
    })
}

/// A database that a program may be writing to goes into the trunk as it was at one moment, and what stands
/// beside it does not.
pub(crate) fn in_one_piece(item: &Item, machine: &Machine, at: &RelativePath) -> Instead {
    let volume = &*machine.volume;
    if !item.is_open {
        return Instead::Nothing;
    }
    if is_beside_database(volume, at) {
        let why = "its changes are in the copy of the database that it stands beside".to_owned();
        return Instead::Left(LeftReason::Rule { why });
    }
    match snapshot(volume, at) {
        Ok(database) => Instead::Content(Box::new(database)),
        Err(NoSnapshot::AlwaysBusy) => Instead::Left(LeftReason::InUse),
        // The file is carried, where it can be read.
        Err(NoSnapshot::NotADatabase | NoSnapshot::Unreadable(_)) => Instead::Nothing,
    }
}

/// Where a rule looks, in words: `roaming-data/Kite Planner`.
pub fn shown_find(find: &Find) -> String {
    let path = find.path.as_ref().map(|path| format!("/{}", path.text())).unwrap_or_default();
    format!("{}{path}", find.place.name())
}

#[cfg(test)]
mod tests {
    use super::*;
    use porter_source::HostFolder;
    use rusqlite::Connection;
    use std::fs;
    use std::io::Read;

    #[test]
    fn a_database_of_any_program_that_runs_is_captured_in_one_piece() {
        let bench = tempfile::tempdir().unwrap();
        let folder = bench.path().join("Users/odile/AppData/Roaming/Kite Planner");
        fs::create_dir_all(&folder).unwrap();
        fs::create_dir_all(bench.path().join("Windows/System32")).unwrap();
        let open = Connection::open(folder.join("plans.db")).unwrap();
        open.execute_batch(
            "PRAGMA journal_mode = WAL; PRAGMA wal_autocheckpoint = 0; CREATE TABLE plan (name TEXT); INSERT INTO plan VALUES ('Halyard')",
        )
        .unwrap();
        fs::write(folder.join("diary"), "no database").unwrap();
        fs::write(folder.join("diary-journal"), "a person's").unwrap();
        let volume = Arc::new(HostFolder::open(bench.path()).unwrap());
        let mut machine = porter_machine::recognise(volume, "LOFT-PC".to_owned()).unwrap();
        let rule = "id = \"office/planner\"\ntitle = \"Kite Planner\"\nmust_be_closed = [\"planner.exe\"]\n\
                    [[find]]\nplace = \"roaming-data\"\npath = \"Kite Planner\"\n";
        let rule = CarryRule::from_toml(rule).unwrap();
        let family = machine.layout.family;
        let catalogue = Catalogue::built_in(family).unwrap().with_rules(vec![rule]);
        let planner = |machine: &Machine| {
            let mut found = Ruled.find(machine, &catalogue).into_iter();
            found.find(|item| item.id == "odile/office/planner").unwrap()
        };
        let at = |name: &str| {
            let path = format!("Users/odile/AppData/Roaming/Kite Planner/{name}");
            RelativePath::from_bytes(path.as_bytes()).unwrap()
        };
        assert!(matches!(Ruled.instead(&planner(&machine), &machine, &at("plans.db")), Instead::Nothing));

        machine.running = Some([porter_machine::running::comparable("planner.exe")].into());
        let item = planner(&machine);
        let Instead::Content(mut content) = Ruled.instead(&item, &machine, &at("plans.db")) else {
            panic!("the database is not copied in one piece");
        };
        let mut bytes = Vec::new();
        content.read_to_end(&mut bytes).unwrap();
        fs::write(bench.path().join("copy.db"), bytes).unwrap();
        let copy = Connection::open(bench.path().join("copy.db")).unwrap();
        let name: String = copy.query_row("SELECT name FROM plan", [], |row| row.get(0)).unwrap();
        assert_eq!(name, "Halyard");
        assert!(matches!(Ruled.instead(&item, &machine, &at("plans.db-wal")), Instead::Left(_)));
        assert!(matches!(Ruled.instead(&item, &machine, &at("diary-journal")), Instead::Nothing));
        assert!(matches!(Ruled.instead(&item, &machine, &at("diary")), Instead::Nothing));
    }
}
