//! Entries that a person put at the root of the system's drive: all that the catalogue does not know.

use crate::catalogue::Catalogue;
use crate::changes::{Changes, Moved};
use crate::ground::{Earlier, Ground};
use crate::item::Item;
use crate::kind::Kind;
use crate::part::{Part, What};
use porter_machine::account::{id_from_name, unused_id};
use porter_machine::{Machine, Place};
use porter_names::{RelativePath, screen::on_screen};
use porter_source::EntryKind;
use porter_trunk::TrunkItem;

/// Folders and files at the root of the drive.
pub struct Drive;

impl Kind for Drive {
    fn name(&self) -> &'static str {
        "folder/drive"
    }

    fn has(&self, item: &TrunkItem) -> bool {
        item.parts.iter().any(|part| part.place == Place::DriveRoot.name())
    }

    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        let Some(to) = &ground.wishes.drive.root else { return };
        // Fonts, for one, have a folder of their own on each system.
        let has_own_place = |item: &TrunkItem| {
            let rule = ground.catalogue.rule_of(item);
            rule.is_some_and(|rule| rule.finds_on(ground.machine.layout.family).next().is_some())
        };
        for item in items.iter().filter(|item| !has_own_place(item)) {
            let own: Vec<Moved> = from_drive_root(item, to, ground.earlier).collect();
            for moved in own {
                // Another kind may have decided already: mail that comes into its profile.
                let is_decided = changes.moves().iter().any(|known| {
                    (&known.item, &known.from_place, &known.from)
                        == (&moved.item, &moved.from_place, &moved.from)
                });
                if !is_decided {
                    changes.move_part(moved);
                }
            }
        }
    }

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

/// Where the parts of an item go that were at the root of the drive; as before, if they went somewhere
/// before.
fn from_drive_root<'i>(
    item: &'i TrunkItem,
    (place, folder): &'i (Place, RelativePath),
    earlier: &'i dyn Earlier,
) -> impl Iterator<Item = Moved> + 'i {
    let parts = item.parts.iter().filter(|part| part.place == Place::DriveRoot.name());
    parts.filter_map(move |part| {
        let from = RelativePath::from_bytes(part.path.as_bytes()).ok()?;
        if let Some(known) = earlier.moved(&item.id, &from) {
            return Some(known);
        }
        let to = folder.join_path(&from).ok()?;
        let from_place = part.place.clone();
        Some(Moved { item: item.id.clone(), from_place, from, to_place: place.name().to_owned(), to })
    })
}
