//! Drivers of printers: the packages in a Windows' driver store from which printers were set up. They are
//! captured, and installed where a person wishes it: a trunk installs nothing by itself.

use crate::catalogue::{CarryRule, Catalogue};
use crate::changes::{Changes, Moved, SetControl};
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::Kind;
use crate::part::{Part, What};
use crate::profiles::version::version_numbers;
use crate::receipt::{DriverUnfit, ItemReceipt, Reason};
use crate::trunk_file::{self, files_of};
use crate::values::tell_of_landed;
use porter_formats::inf::Inf;
use porter_machine::account::{id_from_name, unused_id};
use porter_machine::control::printer_driver::{
    self as control, BLAKE3, DRIVER, INF, PACKAGE_ADDED, PROCESSOR, PrinterDrivers as Installed,
};
use porter_machine::control::{Control, printing};
use porter_machine::layout::Family;
use porter_machine::registry::printer_driver::STORE;
use porter_machine::{Machine, Place, PlaceState, SettingKind};
use porter_names::portable::as_one_step;
use porter_names::{Facts, RelativePath, fold};
use porter_trunk::{ContentHash, Entry, SystemLabel, TrunkItem};
use std::sync::Arc;

/// See the module.
pub struct PrinterDrivers;

const KIND: &str = "printer-driver";
const BY_HAND: &str = "a driver fits one kind of processor, and the Windows that it came from or a newer one: install it with \
                       `porter restore … --install-drivers` there, or take it out and use pnputil /add-driver";
const CONTROL: &dyn Control = &Installed;
/// Setup information is not longer.
const LONGEST_INF_IN_BYTES: u64 = 8 << 20;

/// The id of the item that holds a driver.
pub fn id_of(driver: &str) -> String {
    format!("machine/{KIND}/{}", id_from_name(driver.as_bytes()))
}

/// The folder of the public documents that drivers from a machine land in.
pub fn folder_name(machine: &str) -> String {
    format!("Printer drivers from {}", as_one_step(machine))
}

/// The ids of the drivers that a running Windows does not have, and that land if a person wishes drivers
/// installed.
pub fn missing_on(machine: &Machine, items: &[TrunkItem]) -> Vec<String> {
    if !installs(machine) {
        return Vec::new();
    }
    let there = printing::drivers();
    let is_missing = |item: &&TrunkItem| item.kind == KIND && !is_among(&there, item);
    items.iter().filter(is_missing).map(|item| item.id.clone()).collect()
}

fn installs(machine: &Machine) -> bool {
    machine.may_be_set() && machine.layout.family == Family::Windows
}

fn is_among(drivers: &[String], item: &TrunkItem) -> bool {
    let name = item.facts.get(DRIVER);
    name.is_some_and(|name| drivers.iter().any(|known| known.eq_ignore_ascii_case(name)))
}

/// True for a driver that is installed before its printers are set up.
pub(crate) fn comes(changes: &Changes, driver: &str) -> bool {
    let mut drivers = changes.controls().iter().filter(|set| set.control.name() == CONTROL.name());
    drivers.any(|set| set.becomes.get(DRIVER).is_some_and(|known| known.eq_ignore_ascii_case(driver)))
}

/// The setup information of an item's package, if it is in the trunk as it was, and the names of the files
/// beside it.
struct Package {
    name: String,
    inf: Vec<u8>,
    beside: Vec<Vec<u8>>,
}

impl Package {
    fn of(item: &TrunkItem, ground: &Ground<'_>) -> Option<Self> {
        let folder = RelativePath::from_bytes(item.parts.first()?.path.as_bytes()).ok()?;
        let is_in_it = |entry: &Entry| entry.address.path.parent().as_ref() == Some(&folder);
        let files: Vec<Entry> = files_of(ground.trunk, item).ok()?.filter(is_in_it).collect();
        let name_of = |entry: &Entry| entry.address.path.name().unwrap_or_default().to_vec();
        // The store calls a package `NAME.inf_PROCESSOR_HASH`.
        let store_name = String::from_utf8_lossy(folder.name()?).to_lowercase();
        let wanted = store_name.split_inclusive(".inf").next()?;
        let entry = files.iter().find(|entry| fold::same_name(&name_of(entry), wanted.as_bytes()))?;
        let name = String::from_utf8(name_of(entry)).ok()?;
        let inf = trunk_file::read(ground.trunk, entry, LONGEST_INF_IN_BYTES)?;
        let whole = files.iter().filter(|entry| !entry.is_incomplete());
        Some(Self { name, inf, beside: whole.map(name_of).collect() })
    }

    /// Says why a driver of it is not to be installed, before the system is asked.
    fn refuse(&self, driver: &str, processor: &str) -> Result<(), DriverUnfit> {
        let inf = Inf::from_bytes(&self.inf).map_err(|_| DriverUnfit::WithoutSetupInformation)?;
        if !inf.is_of_printers() || !inf.has_model(processor, driver) {
            return Err(DriverUnfit::NotInItsPackage);
        }
        let signs = |name: &str| self.beside.iter().any(|file| fold::same_name(file, name.as_bytes()));
        if inf.catalogue(processor).is_some_and(|name| signs(&name)) {
            Ok(())
        } else {
            Err(DriverUnfit::NotSigned)
        }
    }
}

/// Says why a driver of one Windows is nothing for another one.
fn refuse_for(
    facts: &Facts,
    old: &SystemLabel,
    new: &SystemLabel,
    processor: Option<&str>,
) -> Result<(), DriverUnfit> {
    let of = facts.get("driver-processor").cloned();
    if of.is_none() || of.as_deref() != processor {
        return Err(DriverUnfit::OtherProcessor { of });
    }
    let numbers = |system: &SystemLabel| system.version.as_deref().map(version_numbers);
    match (numbers(old), numbers(new)) {
        (Some(old), Some(new)) if !old.is_empty() && old <= new => Ok(()),
        _ => Err(DriverUnfit::OlderWindows),
    }
}

/// The facts of a driver that is to be installed, and the folder in which its files land first.
fn coming(item: &TrunkItem, ground: &Ground<'_>) -> Result<(Facts, Moved), DriverUnfit> {
    let (old, machine) = (&ground.label().machine, ground.machine);
    let processor = control::processor();
    refuse_for(&item.facts, &old.system, &machine.system, processor)?;
    let (driver, processor) =
        item.facts.get(DRIVER).zip(processor).ok_or(DriverUnfit::WithoutSetupInformation)?;
    let package = Package::of(item, ground).ok_or(DriverUnfit::WithoutSetupInformation)?;
    package.refuse(driver, processor)?;
    let moved = into_documents(item, &old.name).ok_or(DriverUnfit::WithoutSetupInformation)?;
    let place = machine.place(None, Place::SharedDocuments).ok_or(DriverUnfit::NotOnARunningWindows)?;
    let folder = place.path.join_path(&moved.to).ok();
    let inf = folder.and_then(|folder| folder.join(package.name.as_bytes()).ok());
    let inf = inf.ok_or(DriverUnfit::WithoutSetupInformation)?;
    let texts = [
        (DRIVER, driver.clone()),
        (PROCESSOR, processor.to_owned()),
        (INF, String::from_utf8_lossy(inf.as_bytes()).into_owned()),
        (BLAKE3, ContentHash::of(&package.inf).to_string()),
    ];
    let mut facts: Facts = texts.map(|(name, value)| (name.to_owned(), value)).into();
    // The name of a package's folder in the store is made of its content.
    let in_store = machine.looker().find(&RelativePath::root(), &item.parts[0].path);
    if in_store.state != PlaceState::Present {
        facts.insert(PACKAGE_ADDED.to_owned(), "yes".to_owned());
    }
    Ok((facts, moved))
}

/// The folder that a package goes to: nothing is put into a system's own store but by the system.
fn into_documents(item: &TrunkItem, machine: &str) -> Option<Moved> {
    let part = item.parts.first()?;
    let from = RelativePath::from_bytes(part.path.as_bytes()).ok()?;
    let to = RelativePath::root().join(folder_name(machine).as_bytes()).ok()?.join(from.name()?).ok()?;
    let (from_place, to_place) = (part.place.clone(), Place::SharedDocuments.name().to_owned());
    Some(Moved { item: item.id.clone(), from_place, from, to_place, to })
}

impl Kind for PrinterDrivers {
    fn name(&self) -> &'static str {
        KIND
    }

    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        let there = if installs(ground.machine) { printing::drivers() } else { Vec::new() };
        let refusal = |why| Reason::DriverNotInstalled { why };
        for item in items.iter().filter(|item| !is_among(&there, item)) {
            let is_wished = ground.wishes.printer.install_drivers;
            if is_wished && !installs(ground.machine) {
                changes.note(&item.id, refusal(DriverUnfit::NotOnARunningWindows));
            } else if is_wished {
                match coming(item, ground) {
                    Ok((becomes, moved)) => {
                        changes.move_part(moved);
                        let if_not_set =
                            |detail| Reason::DriverNotInstalled { why: DriverUnfit::Refused { detail } };
                        changes.set(SetControl::new(&item.id, CONTROL, becomes, if_not_set));
                    }
                    Err(why) => changes.refuse(&item.id, refusal(why)),
                }
            } else if ground.land_held.wants_item(&item.id) {
                into_documents(item, &ground.label().machine.name)
                    .into_iter()
                    .for_each(|moved| changes.move_part(moved));
            }
        }
    }

    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        if installs(ground.machine) && !is_among(&printing::drivers(), item) {
            tell_of_landed(row, Reason::DriverNotInstalled { why: DriverUnfit::NotWished });
        }
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

#[cfg(test)]
mod tests {
    use super::*;

    fn windows(version: Option<&str>) -> SystemLabel {
        SystemLabel {
            family: "windows".to_owned(),
            product: String::new(),
            version: version.map(str::to_owned),
            processor: None,
        }
    }

    #[test]
    fn a_driver_goes_to_the_same_processor_and_upwards() {
        let facts = Facts::from([("driver-processor".to_owned(), "x64".to_owned())]);
        let (seven, ten) = (windows(Some("6.1.7601")), windows(Some("10.0.19045")));
        assert_eq!(refuse_for(&facts, &seven, &ten, Some("x64")), Ok(()));
        assert_eq!(refuse_for(&facts, &ten, &ten, Some("x64")), Ok(()));
        for (old, new) in [(&ten, &seven), (&windows(None), &ten), (&ten, &windows(None))] {
            assert_eq!(refuse_for(&facts, old, new, Some("x64")), Err(DriverUnfit::OlderWindows));
        }
        for (facts, processor) in [(&facts, Some("arm64")), (&facts, None), (&Facts::new(), Some("x64"))] {
            let refused = refuse_for(facts, &seven, &ten, processor);
            assert!(matches!(refused, Err(DriverUnfit::OtherProcessor { .. })), "{refused:?}");
        }
    }

    #[test]
    fn a_package_is_refused_before_the_system_is_asked() {
        let inf = "[Version]\nClass=Printer\nCatalogFile=Sail.cat\n[Manufacturer]\nR=R,NTamd64\n\
                   [R.NTamd64]\n\"Ropewalk Laser 200\"=S,hw\n";
        let package = |inf: &str, beside: &[&[u8]]| Package {
            name: "sail.inf".to_owned(),
            inf: inf.as_bytes().to_vec(),
            beside: beside.iter().map(|name| name.to_vec()).collect(),
        };
        let whole = package(inf, &[b"sail.inf", b"sail.CAT"]);
        assert_eq!(whole.refuse("ropewalk laser 200", "x64"), Ok(()));
        assert_eq!(whole.refuse("Ropewalk Laser 200", "x86"), Err(DriverUnfit::NotInItsPackage));
        assert_eq!(whole.refuse("Another", "x64"), Err(DriverUnfit::NotInItsPackage));
        let other = package(&inf.replace("Class=Printer", "Class=Net"), &[b"sail.cat"]);
        assert_eq!(other.refuse("Ropewalk Laser 200", "x64"), Err(DriverUnfit::NotInItsPackage));
        let unsigned = package(inf, &[b"sail.inf"]);
        assert_eq!(unsigned.refuse("Ropewalk Laser 200", "x64"), Err(DriverUnfit::NotSigned));
        let none = package("MZ", &[b"sail.cat"]);
        assert_eq!(none.refuse("Ropewalk Laser 200", "x64"), Err(DriverUnfit::WithoutSetupInformation));
    }
}
