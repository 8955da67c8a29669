//! A person's settings from one Windows to another: the values that they are, set and compared.

use crate::changes::Changes;
use crate::crossing::old_paths::OldPaths;
use crate::ground::Ground;
use crate::receipt::{ItemReceipt, Reason, Verdict};
use crate::registry_part::source::{self, RegistryTrouble, WithKey};
use crate::values::{same_on, tell_of_unknown};
use porter_machine::layout::Family;
use porter_machine::registry::{KeyValues, RegistryKey};
use porter_machine::setting::windows::list::called;
use porter_machine::setting::windows::own::Own;
use porter_machine::setting::windows::personal_setting::PersonalSetting;
use porter_machine::setting::windows::server_printer::SERVER_PRINTER;
use porter_machine::setting::windows::table::build;
use porter_machine::{Account, Machine, PlaceState, Setting};
use porter_names::{Facts, RelativePath};
use porter_trunk::TrunkItem;

/// A setting as it is to be on the new machine.
pub(super) struct Coming<'g> {
    setting: &'static dyn PersonalSetting,
    account: &'g Account,
    /// With the paths in it as they are on the new machine, and without facts that its Windows does not know.
    facts: Facts,
    /// The names of these.
    unknown: Vec<String>,
}

impl<'g> Coming<'g> {
    /// None unless both machines are Windows, it is a person's, and the person has an account there.
    pub(super) fn of(item: &TrunkItem, ground: &Ground<'g>) -> Option<Self> {
        let both = [&ground.label().machine.system.family, &ground.machine.system.family];
        if both.iter().any(|family| **family != Family::Windows.name()) {
            return None;
        }
        let account = ground.account_of(item)?;
        let setting = match item.id.split_once("/setting/") {
            Some((_, id)) => called(id)?,
            None => item.facts.get(SERVER_PRINTER).and_then(|_| called(SERVER_PRINTER))?,
        };
        let mut unknown = match ground.machine.system.version.as_deref().and_then(build_of) {
            Some(build) => setting.unknown_to(build, &item.facts),
            None => Vec::new(),
        };
        unknown.extend(foreign_programs(setting, item, ground.machine));
        let old = ground.label().accounts.iter().find(|old| Some(&old.id) == item.account.as_ref())?;
        let paths = OldPaths::of_person(ground.label(), old, ground.machine, account);
        let known = item.facts.iter().filter(|(name, _)| !unknown.contains(name));
        let mut facts: Facts = known.map(|(name, value)| (name.clone(), follow(&paths, value))).collect();
        facts.extend(setting.of_machine(&item.facts, &ground.machine.data_drivers));
        Some(Self { setting, account, facts, unknown })
    }

    /// True if the new machine has it so, as far as it knows it.
    pub(super) fn is_met(&self, now: Option<&Setting>) -> bool {
        self.facts.is_empty() || now.is_some_and(|now| self.setting.is_same(&self.facts, &now.facts))
    }

    /// Names the facts that the new Windows does not know; if it knows none, the setting did not land.
    pub(super) fn tell_of_unknown(&self, row: &mut ItemReceipt) {
        if !self.unknown.is_empty() && self.facts.is_empty() {
            row.verdict = Verdict::KeptInTrunk;
        }
        tell_of_unknown(&self.unknown, row);
    }
}

/// Decides about one setting.
pub(crate) fn land(item: &TrunkItem, ground: &Ground<'_>, changes: &mut Changes) {
    let Some(coming) = Coming::of(item, ground) else { return };
    if coming.setting.is_only_told() || coming.is_met(same_on(item, ground.machine, ground.accounts)) {
        return;
    }
    let keys = source::open(ground.machine, coming.account)
        .and_then(|registry| registry.read(&coming).ok_or(RegistryTrouble::Unreadable));
    match keys {
        Ok(keys) => changes.enter(&item.id, keys),
        Err(cause) => changes.note(&item.id, Reason::RegistryNotEntered { detail: cause.to_string() }),
    }
}

impl WithKey for &Coming<'_> {
    type Gives = Vec<KeyValues>;

    fn with(self, root: &impl RegistryKey) -> Vec<KeyValues> {
        self.setting.values(&self.facts, &Own::new(root))
    }
}

/// The facts that name a program which is not the new Windows' own.
fn foreign_programs(setting: &dyn PersonalSetting, item: &TrunkItem, machine: &Machine) -> Vec<String> {
    const OWN_FOLDERS: [&str; 2] = ["windows/system32/", "windows/"];
    let is_own = |path: &str| {
        let below = path.to_ascii_lowercase().replace('\\', "/").replace("%systemroot%", "c:/windows");
        let Some((_, below)) = below.split_once(":/") else { return false };
        let is_in = |folder: &str| below.strip_prefix(folder).is_some_and(|name| !name.contains('/'));
        OWN_FOLDERS.iter().any(|folder| is_in(folder))
            && below.ends_with(".scr")
            && machine.looker().find(&RelativePath::root(), below).state == PlaceState::IsFile
    };
    let named = setting.programs().iter().filter_map(|fact| Some((*fact, item.facts.get(*fact)?)));
    named.filter(|(_, path)| !is_own(path)).map(|(fact, _)| fact.to_owned()).collect()
}

/// The build of a version: `19045` of `10.0.19045`; of one without, the first that has its other numbers.
fn build_of(version: &str) -> Option<u32> {
    let number = |text: &str| text.split(|c: char| !c.is_ascii_digit()).next()?.parse::<u32>().ok();
    let first = version.split(' ').next().unwrap_or_default();
    let mut numbers = first.split('.').map(number);
    let (major, minor) = (numbers.next()??, numbers.next()??);
    numbers.next().flatten().or(match (major, minor) {
        (5, 0) => Some(2195),
        (5, _) => Some(2600),
        (6, 0) => Some(build::VISTA),
        (6, 1) => Some(build::SEVEN),
        (6, _) => Some(build::EIGHT),
        (10, _) => Some(build::TEN),
        _ => None,
    })
}

/// A value with its paths as they are on the new machine: one, or a list of them.
fn follow(paths: &OldPaths, value: &str) -> String {
    let one = |text: &str| paths.follow(text).unwrap_or_else(|| text.to_owned());
    let whole = one(value);
    if whole != value {
        return whole;
    }
    match [';', ','].iter().find(|mark| value.contains(**mark)) {
        Some(mark) => value.split(*mark).map(one).collect::<Vec<_>>().join(&mark.to_string()),
        None => whole,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn builds_are_known_of_every_form_of_version() {
        for (version, build) in [
            ("10.0.19045", Some(19_045)),
            ("10.0.22631.3447", Some(22_631)),
            ("6.0 or 6.1", Some(build::VISTA)),
            ("6.1", Some(build::SEVEN)),
            ("5.1", Some(2600)),
            ("kite", None),
            ("", None),
        ] {
            assert_eq!(build_of(version), build, "{version}");
        }
    }
}
