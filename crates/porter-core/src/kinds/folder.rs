//! Folders of files.

use super::Kind;
use crate::catalogue::Catalogue;
use crate::item::{Extent, Item, Part};
use crate::machine::account::{id_from_name, unused_id};
use crate::machine::{Account, Machine, Place, PlaceState};
use porter_names::screen::on_screen;
use porter_source::EntryKind;

/// The folders where people keep things, the shared ones, and those that somebody made at the root of the drive.
pub struct Folder;

impl Kind for Folder {
    fn name(&self) -> &'static str {
        "folder"
    }

    fn find(&self, machine: &Machine, catalogue: &Catalogue) -> Vec<Item> {
        let mut items = Vec::new();
        for owner in machine.accounts.iter().map(Some).chain([None]) {
            for folder in catalogue.folders.iter().filter(|f| f.place.is_personal() == owner.is_some()) {
                let is_there = |found: &crate::machine::FoundPlace| found.state == PlaceState::Present;
                if machine.place(owner, folder.place).is_some_and(is_there) {
                    items.push(Item {
                        id: format!("{}/folder/{}", owner_id(owner), folder.place.name()),
                        kind: self.name(),
                        owner: owner.map(|account| account.id.clone()),
                        title: folder.title.clone(),
                        extent: Extent { place: folder.place, part: Part::Whole },
                    });
                }
            }
        }
        items.extend(at_drive_root(machine, catalogue, self.name()));
        items
    }
}

fn owner_id(owner: Option<&Account>) -> &str {
    owner.map_or("machine", |account| account.id.as_str())
}

/// Folders and files that a person put at the root of the drive: everything the catalogue does not know there.
fn at_drive_root(machine: &Machine, catalogue: &Catalogue, kind: &'static str) -> Vec<Item> {
    let mut items: Vec<Item> = Vec::new();
    let mut names: Vec<_> =
        machine.at_root.iter().filter(|row| catalogue.not_covered_at_root(machine, row).is_none()).collect();
    names.sort_by(|a, b| a.name.cmp(&b.name));
    for row in names.iter().filter(|row| row.metadata.kind == EntryKind::Folder) {
        let id = format!("machine/folder/drive/{}", id_from_name(&row.name));
        items.push(Item {
            id: unused_id(&id, |id| id.ends_with("/loose-files") || items.iter().any(|item| item.id == id)),
            kind,
            owner: None,
            title: format!("{} (at the root of the drive)", on_screen(&row.name)),
            extent: Extent { place: Place::DriveRoot, part: Part::Folder(row.name.clone()) },
        });
    }
    if names.iter().any(|row| row.metadata.kind != EntryKind::Folder) {
        items.push(Item {
            id: "machine/folder/drive/loose-files".to_owned(),
            kind,
            owner: None,
            title: "Loose files at the root of the drive".to_owned(),
            extent: Extent { place: Place::DriveRoot, part: Part::LooseFiles },
        });
    }
    items
}
