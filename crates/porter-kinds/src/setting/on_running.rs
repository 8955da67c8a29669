//! Settings of a whole system that runs: set by the controls that it has.

use crate::changes::{Changes, SetControl};
use crate::ground::Ground;
use crate::receipt::Reason;
use crate::values::{is_met, same_on};
use porter_machine::computer_name::fits;
use porter_machine::control::Control;
use porter_machine::control::system_setting::{SystemSettings, facts};
use porter_machine::layout::Family;
use porter_machine::power_plan::{PLAN, number_of, value_of};
use porter_machine::setting::variables::may_be_set;
use porter_names::Facts;
use porter_trunk::TrunkItem;

const CONTROL: &dyn Control = &SystemSettings;

/// Decides about one setting.
pub(super) fn land(item: &TrunkItem, ground: &Ground<'_>, changes: &mut Changes) {
    let machine = ground.machine;
    // Only an administrator may; everybody else finds it on the receipt, with what to type.
    let may_set = machine.may_be_set();
    if !may_set || item.account.is_some() {
        return;
    }
    let now = same_on(item, machine, ground.accounts);
    if now.is_some_and(|now| is_met(item, now)) {
        return;
    }
    let Some((_, what)) = item.id.split_once("/setting/") else { return };
    let from = Family::from_name(&ground.label().machine.system.family);
    let is_renamed = ground.wishes.setting.rename_machine;
    if what == "computer-name" && !is_renamed {
        return;
    }
    for (what, value) in values(what, &item.facts, from, machine.layout.family) {
        let if_not_set = |detail| Reason::SettingNotSet { detail };
        changes.set(SetControl::new(&item.id, CONTROL, facts(&what, &value), if_not_set));
    }
}

/// The values of a system of the family `to` by which it has a setting as it was: what, and its value.
fn values(what: &str, facts: &Facts, from: Option<Family>, to: Family) -> Vec<(String, String)> {
    let of = |fact: &str| facts.get(fact).map(|value| (what.to_owned(), value.clone()));
    let both_windows = from == Some(Family::Windows) && to == Family::Windows;
    match (what, to) {
        ("time-zone", Family::Linux) => of("iana").into_iter().collect(),
        ("time-zone", Family::Windows) => of("windows").into_iter().collect(),
        ("locale", Family::Linux) => of("name").into_iter().collect(),
        ("keyboard", Family::Linux) => of("layouts").into_iter().collect(),
        ("computer-name", _) => of("name").filter(|(_, name)| fits(name, to)).into_iter().collect(),
        ("environment", Family::Windows) if both_windows => {
            let may = facts.iter().filter(|(name, _)| may_be_set(name));
            may.map(|(name, value)| (format!("variable/{name}"), value.clone())).collect()
        }
        ("power", Family::Windows) if both_windows => power(facts),
        _ => Vec::new(),
    }
}

/// A maker's plan is not on another PC, and so its values have no place.
fn power(facts: &Facts) -> Vec<(String, String)> {
    let Some(plan) = facts.get(PLAN).filter(|plan| number_of(plan).is_some()) else { return Vec::new() };
    let is_number = |value: &str| value.parse::<u32>().is_ok();
    let rows = facts.iter().filter(|(name, value)| value_of(name).is_some() && is_number(value));
    let values = rows.map(|(name, value)| (format!("power/{plan}/{name}"), value.clone()));
    std::iter::once((format!("power/{PLAN}"), plan.clone())).chain(values).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_setting_becomes_the_values_that_the_new_system_has_for_it() {
        let facts = |rows: &[(&str, &str)]| -> Facts {
            rows.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
        };
        let (windows, linux) = (Family::Windows, Family::Linux);
        let shown = |what: &str, rows: &[(&str, &str)], from: Family, to: Family| {
            let values = values(what, &facts(rows), Some(from), to);
            values.iter().map(|(what, value)| format!("{what}={value}")).collect::<Vec<_>>().join(" ")
        };
        let zone = &[("windows", "GMT Standard Time"), ("iana", "Europe/Lisbon")][..];
        assert_eq!(shown("time-zone", zone, linux, windows), "time-zone=GMT Standard Time");
        assert_eq!(shown("time-zone", zone, windows, linux), "time-zone=Europe/Lisbon");
        let power =
            &[("plan", "balanced"), ("sleep-plugged-in", "0"), ("sleep", "7"), ("lid-on-battery", "x")];
        assert_eq!(
            shown("power", power, windows, windows),
            "power/plan=balanced power/balanced/sleep-plugged-in=0"
        );
        assert_eq!(shown("power", &[("plan", "{maker}"), ("sleep-plugged-in", "0")], windows, windows), "");
        let variables = &[("KITES", "9"), ("PATH", "C:\\bad"), ("COR_PROFILER", "x")];
        assert_eq!(shown("environment", variables, windows, windows), "variable/KITES=9");
        assert_eq!(shown("environment", variables, windows, linux), "");
        assert_eq!(shown("computer-name", &[("name", "LOFT-PC")], windows, windows), "computer-name=LOFT-PC");
        assert_eq!(shown("computer-name", &[("name", "Odile's Mac")], windows, windows), "");
    }
}
