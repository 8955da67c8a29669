//! Drivers of printers: the packages in a Windows' driver store from which printers were set up. They are
//! captured, and a person installs what is wanted: a trunk installs nothing by itself.

use crate::catalogue::{CarryRule, Catalogue};
use crate::item::Item;
use crate::kind::Kind;
use crate::part::{Part, What};
use porter_machine::account::{id_from_name, unused_id};
use porter_machine::layout::Family;
use porter_machine::registry::printer_driver::STORE;
use porter_machine::{Machine, Place, PlaceState, SettingKind};
use porter_names::{Facts, RelativePath};
use std::sync::Arc;

/// See the module.
pub struct PrinterDrivers;

const KIND: &str = "printer-driver";
const BY_HAND: &str = "a driver fits one kind of processor, and the Windows that it came from or a newer one: take it out with `porter take`, \
                       and install it with pnputil /add-driver";

/// The id of the item that holds a driver.
pub fn id_of(driver: &str) -> String {
    format!("machine/{KIND}/{}", id_from_name(driver.as_bytes()))
}

impl Kind for PrinterDrivers {
    fn name(&self) -> &'static str {
        KIND
    }

    fn find(&self, machine: &Machine, _: &Catalogue) -> Vec<Item> {
        if machine.layout.family != Family::Windows {
            return Vec::new();
        }
        let mut looker = machine.looker();
        let mut items: Vec<Item> = Vec::new();
        let mut packages = Vec::new();
        for printer in machine.settings.iter().filter(|known| known.kind == SettingKind::Printer) {
            let fact = |name: &str| printer.facts.get(name);
            let (Some(driver), Some(package)) = (fact("driver"), fact("driver-package")) else { continue };
            if packages.contains(&package) {
                continue;
            }
            let folder = format!("Windows/{STORE}/{package}");
            let found = looker.find(&RelativePath::root(), &folder);
            if found.state != PlaceState::Present {
                continue;
            }
            packages.push(package);
            let id = unused_id(&id_of(driver), |id| items.iter().any(|item| item.id == id));
            let title = format!("Driver {driver}");
            let facts = ["driver", "driver-version", "driver-processor", "driver-package"];
            let facts: Facts =
                facts.iter().filter_map(|name| Some(((*name).to_owned(), fact(name)?.clone()))).collect();
            items.push(Item {
                parts: vec![Part {
                    name: "package".to_owned(),
                    place: Place::DriveRoot,
                    what: What::At(found.path),
                }],
                facts,
                rule: Some(Arc::new(CarryRule::by_hand(KIND, "Driver of a printer", BY_HAND))),
                ..Item::new(id, KIND, None, title)
            });
        }
        items
    }
}
