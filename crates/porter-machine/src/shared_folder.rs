//! Folders that other machines may use, and who may do what in them: `LanmanServer\Shares` of a Windows'
//! control set, since Windows 2000, and `Shares\Security`. Windows' own, such as `C$`, do not stand there.

use crate::account::{Account, id_from_name};
use crate::registry::{RegistryKey, RegistryRow};
use crate::setting::Setting;
use crate::setting::windows::own::TEXTS;
use porter_formats::security_descriptor::{Right, rights_in};
use porter_names::Facts;

/// The begin of the ids of these settings.
pub const PREFIX: &str = "share/";
/// Names of facts.
pub const NAME: &str = "name";
/// The folder, as its system writes it.
pub const FOLDER: &str = "folder";
/// In a person's words.
pub const COMMENT: &str = "comment";
/// Those who may do nothing there.
const DENIED: &str = "denied";
/// Rights that are none of the three: they are told, and not carried.
const SPECIAL: &str = "special-rights";
/// Between those who have a right.
const BETWEEN: &str = ", ";
const PERSON: &str = "person ";
/// The three rights that Windows shows, with their bits ([MS-DTYP] 2.4.3).
const RIGHTS: [(&str, u32); 3] = [("full", 0x001f_01ff), ("change", 0x0013_01bf), ("read", 0x0012_00a9)];
/// Those whom every Windows knows ([MS-DTYP] 2.4.2.4), in words.
const KNOWN: [(&str, &str); 6] = [
    ("everyone", "S-1-1-0"),
    ("everybody who signs in", "S-1-5-11"),
    ("the system", "S-1-5-18"),
    ("administrators", "S-1-5-32-544"),
    ("users", "S-1-5-32-545"),
    ("guests", "S-1-5-32-546"),
];

/// The shared folders, with the numbers of those who have rights.
pub(crate) fn of_machine(control_set: &impl RegistryKey) -> Vec<Setting> {
    let Some(list) = control_set.subkey("Services\\LanmanServer\\Shares") else { return Vec::new() };
    let security: Vec<RegistryRow> =
        list.subkey("Security").into_iter().flat_map(|key| key.rows()).flatten().collect();
    let share = |row: RegistryRow| {
        let units: Vec<u16> =
            row.data.as_chunks::<2>().0.iter().map(|pair| u16::from_le_bytes(*pair)).collect();
        let lines: Vec<String> = units.split(|unit| *unit == 0).map(String::from_utf16_lossy).collect();
        let value = |name: &str| {
            let line = lines.iter().find_map(|line| line.strip_prefix(name)?.strip_prefix('='));
            line.filter(|value| !value.is_empty()).map(str::to_owned)
        };
        let its_own = security.iter().find(|other| other.name.eq_ignore_ascii_case(&row.name));
        let mut facts =
            vec![(NAME, Some(row.name.clone())), (FOLDER, value("Path")), (COMMENT, value("Remark"))];
        facts.extend(its_own.map(|own| facts_of(rights_in(&own.data).ok())).unwrap_or_default());
        let id = format!("{PREFIX}{}", id_from_name(row.name.as_bytes()));
        // A share of a printer has another type than 0.
        let is_folder = row.kind == TEXTS && value("Type").is_none_or(|kind| kind == "0");
        let title = format!("Shared folder {}", row.name);
        Setting::new(&id, &title, &facts).filter(|share| is_folder && share.facts.contains_key(FOLDER))
    };
    let mut shares: Vec<Setting> = list.rows().into_iter().flatten().filter_map(share).collect();
    shares.sort_by(|one, other| one.id.cmp(&other.id));
    shares
}

/// The rights as facts: those who have each of the three, by their numbers. `None` is what cannot be read.
fn facts_of(rights: Option<Option<Vec<Right>>>) -> Vec<(&'static str, Option<String>)> {
    let special = vec![(SPECIAL, Some("yes".to_owned()))];
    let everybody = || vec![Right { sid: "S-1-1-0".to_owned(), mask: RIGHTS[0].1, is_denied: false }];
    let Some(rights) = rights.map(|rights| rights.unwrap_or_else(everybody)) else { return special };
    let is_known = |right: &Right| match right.is_denied {
        true => right.mask == RIGHTS[0].1,
        false => RIGHTS.iter().any(|(_, mask)| *mask == right.mask),
    };
    if !rights.iter().all(is_known) {
        return special;
    }
    let whose = |has: &dyn Fn(&&Right) -> bool| {
        let mut sids: Vec<&str> = rights.iter().filter(|right| has(right)).map(|right| &*right.sid).collect();
        sids.sort_unstable();
        sids.dedup();
        Some(sids.join(BETWEEN)).filter(|all| !all.is_empty())
    };
    let allowed =
        RIGHTS.iter().map(|(name, mask)| (*name, whose(&|right| !right.is_denied && right.mask == *mask)));
    allowed.chain([(DENIED, whose(&|right| right.is_denied))]).collect()
}

/// The same facts with words for those whom every Windows knows, and with the people of the machine by their
/// ids; others keep their numbers.
pub(crate) fn with_names(facts: &mut Facts, accounts: &[Account]) {
    let word = |sid: &str| {
        let known = KNOWN.iter().find(|(_, known)| *known == sid).map(|(word, _)| (*word).to_owned());
        let person = || accounts.iter().find(|account| account.identifier.as_deref() == Some(sid));
        known.or_else(|| Some(format!("{PERSON}{}", person()?.id))).unwrap_or_else(|| sid.to_owned())
    };
    each_list(facts, |whose| Some(whose.split(BETWEEN).map(word).collect::<Vec<_>>()));
}

/// The facts of a share of another machine as they are to be on this one: people by the ids that `person`
/// gives. Those who are not here are left out. None if nobody would have a right, or the rights are not
/// known.
pub fn for_machine(facts: &Facts, person: impl Fn(&str) -> Option<String>) -> Option<Facts> {
    let mut facts = facts.clone();
    let here = |who: &str| match who.strip_prefix(PERSON) {
        Some(id) => Some(format!("{PERSON}{}", person(id)?)),
        None => KNOWN.iter().any(|(word, _)| *word == who).then(|| who.to_owned()),
    };
    each_list(&mut facts, |whose| Some(whose.split(BETWEEN).filter_map(here).collect()));
    let is_used = RIGHTS.iter().any(|(name, _)| facts.contains_key(*name));
    (is_used && !facts.contains_key(SPECIAL)).then_some(facts)
}

/// The same facts by numbers: `sid` has those of people, by their ids.
pub fn with_numbers(facts: &Facts, sid: impl Fn(&str) -> Option<String>) -> Facts {
    let mut facts = facts.clone();
    let number = |who: &str| match who.strip_prefix(PERSON) {
        Some(id) => sid(id),
        None => KNOWN.iter().find(|(word, _)| *word == who).map(|(_, sid)| (*sid).to_owned()),
    };
    each_list(&mut facts, |whose| {
        let mut sids: Vec<String> = whose.split(BETWEEN).filter_map(number).collect();
        sids.sort_unstable();
        Some(sids)
    });
    facts
}

/// The rights of facts by numbers; those who are denied come first, as Windows wants it.
pub fn rights_of(facts: &Facts) -> Vec<Right> {
    let of = |name: &str, mask: u32, is_denied: bool| {
        let sids = facts.get(name).into_iter().flat_map(|whose| whose.split(BETWEEN));
        sids.map(|sid| Right { sid: sid.to_owned(), mask, is_denied }).collect::<Vec<_>>()
    };
    let denied = of(DENIED, RIGHTS[0].1, true);
    denied.into_iter().chain(RIGHTS.iter().flat_map(|(name, mask)| of(name, *mask, false))).collect()
}

/// True if two are the same to those who use them.
pub fn is_same(one: &Facts, other: &Facts) -> bool {
    let same_text = |name: &str| match (one.get(name), other.get(name)) {
        (Some(one), Some(other)) => {
            one.trim_end_matches('\\').eq_ignore_ascii_case(other.trim_end_matches('\\'))
        }
        (one, other) => one == other,
    };
    let lists = RIGHTS.iter().map(|(name, _)| *name).chain([DENIED, SPECIAL]);
    same_text(NAME) && same_text(FOLDER) && lists.into_iter().all(|name| one.get(name) == other.get(name))
}

/// Changes each list of those who have a right; a list of nobody goes.
fn each_list(facts: &mut Facts, change: impl Fn(&str) -> Option<Vec<String>>) {
    for name in RIGHTS.iter().map(|(name, _)| *name).chain([DENIED]) {
        let Some(whose) = facts.remove(name) else { continue };
        let whose = change(&whose).unwrap_or_default();
        if !whose.is_empty() {
            facts.insert(name.to_owned(), whose.join(BETWEEN));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use porter_formats::security_descriptor::with_rights;

    #[test]
    fn rights_go_by_meaning_from_one_machine_to_another() {
        let right = |sid: &str, mask: u32, is_denied: bool| Right { sid: sid.to_owned(), mask, is_denied };
        let rights = [
            right("S-1-5-21-7-1009", 0x1f_01ff, true),
            right("S-1-1-0", 0x12_00a9, false),
            right("S-1-5-21-7-1001", 0x13_01bf, false),
            right("S-1-5-32-544", 0x1f_01ff, false),
        ];
        let descriptor = with_rights(&rights).unwrap();
        let mut facts: Facts = facts_of(rights_in(&descriptor).ok())
            .into_iter()
            .filter_map(|(name, value)| Some((name.to_owned(), value?)))
            .collect();
        assert_eq!((&*facts["denied"], &*facts["read"]), ("S-1-5-21-7-1009", "S-1-1-0"));
        with_names(&mut facts, &[]);
        assert_eq!((&*facts["full"], &*facts["change"]), ("administrators", "S-1-5-21-7-1001"));
        facts.insert("change".to_owned(), "person odile, person bram".to_owned());
        let here = for_machine(&facts, |id| (id == "odile").then(|| "tamsin".to_owned())).unwrap();
        assert_eq!((&*here["change"], here.get("denied")), ("person tamsin", None));
        let numbers = with_numbers(&here, |id| Some(format!("S-1-5-21-9-{}", id.len())));
        let expected = [
            right("S-1-5-32-544", 0x1f_01ff, false),
            right("S-1-5-21-9-6", 0x13_01bf, false),
            right("S-1-1-0", 0x12_00a9, false),
        ];
        assert_eq!(rights_of(&numbers), expected);
        // No other right is guessed.
        let odd = with_rights(&[right("S-1-1-0", 0x12_00a8, false)]).unwrap();
        for rights in [rights_in(&odd).ok(), None] {
            let special: Facts = facts_of(rights)
                .into_iter()
                .filter_map(|(name, value)| Some((name.to_owned(), value?)))
                .collect();
            assert!(special.contains_key(SPECIAL) && for_machine(&special, |_| None).is_none());
        }
    }
}
