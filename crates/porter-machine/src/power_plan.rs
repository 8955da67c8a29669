//! When a Windows sleeps, turns its screen off, and what its lid does: its power plan, `PowerSchemes` of the
//! control set. Since Windows Vista. A value that is the plan's own default does not stand there.
//!
//! The numbers are those of `winnt.h` (`GUID_TYPICAL_POWER_SAVINGS` and its sisters).

use super::registry::RegistryKey;
use super::setting::Setting;
use porter_names::Facts;

/// The fact that names the plan.
pub const PLAN: &str = "plan";
/// The plan that every Windows has of itself.
const BALANCED: &str = "balanced";

/// Windows' own plans. A maker's is another one on each PC.
const PLANS: [(&str, &str); 3] = [
    (BALANCED, "381b4222-f694-41f0-9685-ff5bb260df2e"),
    ("high-performance", "8c5e7fda-e8bf-4a96-9a85-a6e23a8c635c"),
    ("power-saver", "a1841308-3541-4fab-bc81-f71556f20b4a"),
];

/// A value of a plan, for either source of power.
pub struct PlanValue {
    /// The beginning of its facts' names.
    pub name: &'static str,
    /// The group that it is in.
    pub group: &'static str,
    /// Its own number.
    pub setting: &'static str,
}

const SLEEP: &str = "238c9fa8-0aad-41ed-83f4-97be242c8f20";
const BUTTONS: &str = "4f971e89-eebd-4455-a8de-9e59040e7347";

/// Times are in seconds, 0 for never; lid and button: 0 nothing, 1 sleep, 2 hibernate, 3 shut down.
pub static VALUES: [PlanValue; 5] = [
    PlanValue {
        name: "screen-off",
        group: "7516b95f-f776-4464-8c53-06167f40cc99",
        setting: "3c0bc021-c8a8-4e07-a973-6b14cbcb2b7e",
    },
    PlanValue { name: "sleep", group: SLEEP, setting: "29f6c1db-86da-48c5-9fdb-f2b67b1f44da" },
    PlanValue { name: "hibernate", group: SLEEP, setting: "9d7815a6-7ee4-497e-8888-515a05f02364" },
    PlanValue { name: "lid", group: BUTTONS, setting: "5ca83367-6e45-459f-a27b-476b1d01c936" },
    PlanValue { name: "power-button", group: BUTTONS, setting: "7648efa3-dd9c-4e13-b566-50f929386280" },
];

/// Where the PC has its power from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Source {
    /// The mains.
    PluggedIn,
    /// Its battery.
    OnBattery,
}

impl Source {
    const BOTH: [Self; 2] = [Self::PluggedIn, Self::OnBattery];

    fn ending(self) -> &'static str {
        match self {
            Self::PluggedIn => "plugged-in",
            Self::OnBattery => "on-battery",
        }
    }

    fn value_name(self) -> &'static str {
        match self {
            Self::PluggedIn => "ACSettingIndex",
            Self::OnBattery => "DCSettingIndex",
        }
    }
}

/// The number of one of Windows' own plans.
pub fn number_of(plan: &str) -> Option<&'static str> {
    PLANS.iter().find(|(name, _)| *name == plan).map(|(_, number)| *number)
}

/// The plan of that number.
pub fn plan_of(number: &str) -> Option<&'static str> {
    PLANS.iter().find(|(_, known)| known.eq_ignore_ascii_case(number)).map(|(name, _)| *name)
}

/// The value that a fact is of: `sleep-on-battery`.
pub fn value_of(fact: &str) -> Option<(&'static PlanValue, Source)> {
    let both = VALUES.iter().flat_map(|value| Source::BOTH.map(|source| (value, source)));
    both.into_iter().find(|(value, source)| name_of(value, *source) == fact)
}

fn name_of(value: &PlanValue, source: Source) -> String {
    format!("{}-{}", value.name, source.ending())
}

/// The setting, of the control set in force. None if the plan is Windows' own default.
pub(crate) fn of_machine(control_set: &impl RegistryKey) -> Option<Setting> {
    let plans = control_set.subkey("Control\\Power\\User\\PowerSchemes")?;
    let number = plans.text("ActivePowerScheme")?;
    let mut facts = Facts::new();
    for value in &VALUES {
        let key = plans.subkey(&format!("{number}\\{}\\{}", value.group, value.setting));
        for source in Source::BOTH {
            if let Some(set) = key.as_ref().and_then(|key| key.number(source.value_name())) {
                facts.insert(name_of(value, source), set.to_string());
            }
        }
    }
    // A maker's plan is named by its number: nobody else has it.
    let plan = plan_of(&number).unwrap_or(&number).to_owned();
    if plan == BALANCED && facts.is_empty() {
        return None;
    }
    facts.insert(PLAN.to_owned(), plan);
    let rows: Vec<(&str, Option<String>)> =
        facts.iter().map(|(name, value)| (name.as_str(), Some(value.clone()))).collect();
    Setting::new("power", "Power plan", &rows)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn plans_and_values_are_known_by_name_and_by_number() {
        for (name, number) in PLANS {
            assert_eq!((number_of(name), plan_of(&number.to_uppercase())), (Some(number), Some(name)));
        }
        assert_eq!((number_of("maker"), plan_of("maker")), (None, None));
        let (value, source) = value_of("sleep-on-battery").unwrap();
        assert_eq!((value.group, source), (SLEEP, Source::OnBattery));
        assert!(value_of("sleep").is_none() && value_of(PLAN).is_none());
    }
}
