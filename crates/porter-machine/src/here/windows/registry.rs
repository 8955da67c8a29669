//! The registry of the running Windows. It shows people's own registries while they are signed in; those of
//! all others are in files that nobody has open, and are read there.

use super::accounts;
use crate::facts::SystemFacts;
use crate::registry::{RegistryKey, RegistryRow, describe, hives, programs, settings};
use porter_names::RelativePath;
use porter_source::Volume;
use time::OffsetDateTime;
use winreg::RegKey;
use winreg::enums::{HKEY_LOCAL_MACHINE, HKEY_USERS};

const PROCESSOR: &str = "HARDWARE\\DESCRIPTION\\System\\CentralProcessor\\0";

impl RegistryKey for RegKey {
    fn subkey(&self, path: &str) -> Option<Self> {
        self.open_subkey(path).ok()
    }

    fn subkey_names(&self) -> Vec<String> {
        self.enum_keys().filter_map(Result::ok).collect()
    }

    fn last_written_utc(&self) -> Option<OffsetDateTime> {
        let info = self.query_info().ok()?;
        let (high, low) = (info.last_write_time.dwHighDateTime, info.last_write_time.dwLowDateTime);
        porter_source::utc_from_filetime(u64::from(high) << 32 | u64::from(low))
    }

    fn value_names(&self) -> Vec<String> {
        self.enum_values().filter_map(Result::ok).map(|(name, _)| name).collect()
    }

    fn text(&self, name: &str) -> Option<String> {
        self.get_value::<String, _>(name).ok()
    }

    fn number(&self, name: &str) -> Option<u64> {
        let number = self.get_value::<u32, _>(name).ok().map(u64::from);
        number.or_else(|| self.get_value::<u64, _>(name).ok())
    }

    fn bytes(&self, name: &str) -> Option<Vec<u8>> {
        self.get_raw_value(name).ok().map(|value| value.bytes.to_vec())
    }

    fn rows(&self) -> Vec<Option<RegistryRow>> {
        let row = |(name, value): (String, winreg::RegValue)| RegistryRow {
            name,
            kind: value.vtype as u32,
            data: value.bytes.into_owned(),
        };
        self.enum_values().map(|value| value.ok().map(row)).collect()
    }
}

pub(super) fn facts(system_drive: &str, volume: &dyn Volume) -> SystemFacts {
    let machine = RegKey::predef(HKEY_LOCAL_MACHINE);
    let kind =
        std::env::var("PROCESSOR_ARCHITEW6432").or_else(|_| std::env::var("PROCESSOR_ARCHITECTURE")).ok();
    let model = machine.subkey(PROCESSOR).and_then(|key| key.text("ProcessorNameString"));
    let words: Vec<String> = [kind, model]
        .into_iter()
        .flatten()
        .map(|words| words.trim().to_owned())
        .filter(|w| !w.is_empty())
        .collect();
    let mut facts = SystemFacts {
        name: machine.subkey("SYSTEM\\CurrentControlSet").and_then(|key| settings::computer_name(&key)),
        processor: (!words.is_empty()).then(|| words.join(", ")),
        ..SystemFacts::default()
    };
    let (software, control_set) = (machine.subkey("SOFTWARE"), machine.subkey("SYSTEM\\CurrentControlSet"));
    facts.settings = settings::of_machine(software.as_ref(), control_set.as_ref());
    facts.state.encrypted_with = control_set.as_ref().and_then(describe::encrypted_with);
    if let Some(software) = software {
        (facts.product, facts.version) = describe::product_and_version(&software);
        let of_person = |sid: &str, home: &RelativePath| match RegKey::predef(HKEY_USERS).subkey(sid) {
            Some(key) => describe::own(&key),
            None => hives::own_in_file(volume, home).unwrap_or_default(),
        };
        facts.accounts = describe::people(&software, system_drive, &accounts::told_of, &of_person);
        facts.programs = programs::of_machine(&software);
        facts.data_drivers = settings::data_drivers(&software);
    }
    facts
}
