//! Fonts: their files are found by carry rules; a Windows finds those of everybody only if its registry lists
//! them.

use crate::catalogue::Catalogue;
use crate::changes::{Changes, SetControl};
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::Kind;
use crate::receipt::{ItemReceipt, Reason};
use crate::trunk_file::files_of;
use crate::values::tell_of_landed;
use porter_machine::Machine;
use porter_machine::control::Control;
use porter_machine::control::installed_font::{InstalledFonts, facts, is_listed};
use porter_machine::layout::Family;
use porter_names::RelativePath;
use porter_trunk::TrunkItem;
use std::collections::BTreeSet;

/// See the module.
pub struct Fonts;

const CONTROL: &dyn Control = &InstalledFonts;
const FOLDER: &str = "Windows/Fonts";

/// The files of an item that land in a Windows' folder of fonts, and are fonts.
fn fonts_of(item: &TrunkItem, ground: &Ground<'_>) -> BTreeSet<String> {
    let folder = RelativePath::from_bytes(FOLDER.as_bytes()).ok();
    let is_for_all = item.account.is_none() && ground.machine.layout.family == Family::Windows;
    let entries = files_of(ground.trunk, item).ok().filter(|_| is_for_all);
    let fonts = entries.into_iter().flatten().filter_map(|entry| {
        let at = ground.relocation.address_of(&item.id, &entry.address);
        let path = entry.landing_path_of(at.path);
        let is_in = path.parent().zip(folder.as_ref()).is_some_and(|(above, folder)| {
            porter_names::fold::same_name(above.as_bytes(), folder.as_bytes())
        });
        let name = std::str::from_utf8(path.name()?).ok()?.to_owned();
        (is_in && facts(&name).is_some()).then_some(name)
    });
    fonts.collect()
}

impl Kind for Fonts {
    fn name(&self) -> &'static str {
        "font"
    }

    /// Carry rules find them.
    fn find(&self, _: &Machine, _: &Catalogue) -> Vec<Item> {
        Vec::new()
    }

    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        for item in items.iter().filter(|_| ground.machine.may_be_set()) {
            for file in fonts_of(item, ground).iter().filter(|file| is_listed(file) == Some(false)) {
                let if_not_set = |detail| Reason::SettingNotSet { detail };
                let set = facts(file).map(|facts| SetControl::new(&item.id, CONTROL, facts, if_not_set));
                set.into_iter().for_each(|set| changes.set(set));
            }
        }
    }

    /// A Windows that does not run is not asked: its fonts are listed by hand.
    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        let runs = ground.machine.here.is_some();
        let is_missing = |file: &String| !runs || is_listed(file) == Some(false);
        let fonts: Vec<String> = fonts_of(item, ground).into_iter().filter(is_missing).collect();
        if !fonts.is_empty() {
            tell_of_landed(row, Reason::FontsNotListed { fonts });
        }
    }
}
