//! Sources of data for everybody, from one Windows to a running one, where their drivers are.

use crate::changes::{Changes, SetControl};
use crate::ground::Ground;
use crate::receipt::Reason;
use crate::values::same_on;
use porter_machine::control::Control;
use porter_machine::control::data_source::DataSources;
use porter_machine::data_driver::driver_of;
use porter_machine::layout::Family;
use porter_trunk::TrunkItem;

const CONTROL: &dyn Control = &DataSources;

/// Decides about one setting. A source of that name that is there stays; one without its driver is on the
/// receipt, with what to type.
pub(super) fn land(item: &TrunkItem, ground: &Ground<'_>, changes: &mut Changes) {
    let machine = ground.machine;
    let may_set = machine.may_be_set();
    let is_one = item.id.starts_with("machine/setting/odbc/") && machine.layout.family == Family::Windows;
    if !may_set || !is_one || same_on(item, machine, ground.accounts).is_some() {
        return;
    }
    if driver_of(&item.facts, &machine.data_drivers).is_some() {
        let if_not_set = |detail| Reason::SettingNotSet { detail };
        changes.set(SetControl::new(&item.id, CONTROL, item.facts.clone(), if_not_set));
    }
}
