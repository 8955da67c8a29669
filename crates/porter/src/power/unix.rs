//! Linux shows its power supplies as folders (`Documentation/ABI/testing/sysfs-class-power`).

use super::Power;
use std::fs;
use std::path::Path;

pub(super) fn power() -> Power {
    power_in(Path::new("/sys/class/power_supply"))
}

/// A battery that powers the machine while nothing else does.
fn power_in(supplies: &Path) -> Power {
    let mut found = Power::Mains;
    for supply in fs::read_dir(supplies).into_iter().flatten().flatten() {
        let told = |name: &str| {
            fs::read_to_string(supply.path().join(name))
                .map(|text| text.trim().to_owned())
                .unwrap_or_default()
        };
        match told("type").as_str() {
            "Mains" | "USB" if told("online") == "1" => return Power::Mains,
            // The battery of a mouse says nothing about the machine.
            "Battery" if told("status") == "Discharging" && told("scope") != "Device" => {
                found = Power::Battery { percent: told("capacity").parse().ok() };
            }
            _ => {}
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_a_battery_that_drains_with_nothing_plugged_in_counts() {
        let folder = tempfile::tempdir().unwrap();
        let supply = |name: &str, told: &[(&str, &str)]| {
            fs::create_dir_all(folder.path().join(name)).unwrap();
            for (file, text) in told {
                fs::write(folder.path().join(name).join(file), format!("{text}\n")).unwrap();
            }
        };
        supply("mouse", &[("type", "Battery"), ("status", "Discharging"), ("scope", "Device")]);
        assert_eq!(power_in(folder.path()), Power::Mains);
        supply("BAT0", &[("type", "Battery"), ("status", "Discharging"), ("capacity", "43")]);
        supply("AC", &[("type", "Mains"), ("online", "0")]);
        assert_eq!(power_in(folder.path()), Power::Battery { percent: Some(43) });
        supply("AC", &[("online", "1")]);
        assert_eq!(power_in(folder.path()), Power::Mains);
    }
}
