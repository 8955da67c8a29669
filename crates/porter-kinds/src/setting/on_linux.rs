//! Settings of a Linux that runs: its time zone, its language, and its keyboard.

use crate::changes::{Changes, SetControl};
use crate::ground::Ground;
use crate::receipt::Reason;
use crate::values::{is_met, same_on};
use porter_machine::control::Control;
use porter_machine::control::system_setting::{SystemSettings, facts};
use porter_machine::layout::Family;
use porter_trunk::TrunkItem;

const CONTROL: &dyn Control = &SystemSettings;

/// Decides about one setting.
pub(super) fn land(item: &TrunkItem, ground: &Ground<'_>, changes: &mut Changes) {
    let machine = ground.machine;
    // Only root may; everybody else finds it on the receipt, with what to type.
    let may_set = machine.here.is_some_and(|here| here.as_administrator);
    if !may_set || machine.layout.family != Family::Linux || item.account.is_some() {
        return;
    }
    let Some((_, what)) = item.id.split_once("/setting/") else { return };
    let name = match what {
        "time-zone" => "iana",
        "locale" => "name",
        "keyboard" => "layouts",
        _ => return,
    };
    let now = same_on(item, machine, ground.accounts);
    let Some(value) = item.facts.get(name).filter(|_| !now.is_some_and(|now| is_met(item, now))) else {
        return;
    };
    changes.set(SetControl {
        item: item.id.clone(),
        control: CONTROL,
        owner: String::new(),
        becomes: facts(what, value),
        if_not_set: |detail| Reason::SettingNotSet { detail },
    });
}
