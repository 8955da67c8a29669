//! What somebody put at the root of the system's drive: everything there that the catalogue does not know.

use super::Kind;
use crate::catalogue::Catalogue;
use crate::item::{Item, Part, What};
use crate::machine::account::{id_from_name, unused_id};
use crate::machine::{Machine, Place};
use porter_names::{RelativePath, screen::on_screen};
use porter_source::EntryKind;

/// Folders and files at the root of the drive.
pub struct Drive;

impl Kind for Drive {
    fn find(&self, machine: &Machine, catalogue: &Catalogue) -> Vec<Item> {
        let mut items: Vec<Item> = Vec::new();
        let mut names: Vec<_> = machine
            .at_root
            .iter()
            .filter(|row| catalogue.not_covered_at_root(machine, row).is_none())
            .collect();
        names.sort_by(|a, b| a.name.cmp(&b.name));
        for row in names.iter().filter(|row| row.metadata.kind == EntryKind::Folder) {
            let id = format!("machine/folder/drive/{}", id_from_name(&row.name));
            let id =
                unused_id(&id, |id| id.ends_with("/loose-files") || items.iter().any(|item| item.id == id));
            let Ok(path) = RelativePath::root().join(&row.name) else { continue };
            let title = format!("{} (at the root of the drive)", on_screen(&row.name));
            items.push(item(id, title, What::At(path)));
        }
        if names.iter().any(|row| row.metadata.kind != EntryKind::Folder) {
            let id = "machine/folder/drive/loose-files".to_owned();
            items.push(item(id, "Loose files at the root of the drive".to_owned(), What::LooseFiles));
        }
        items
    }
}

fn item(id: String, title: String, what: What) -> Item {
    Item {
        parts: vec![Part { name: "main".to_owned(), place: Place::DriveRoot, what }],
        ..Item::new(id, "folder", None, title)
    }
}
