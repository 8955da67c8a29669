//! A profile that landed, read again with the reader that read it on the old machine.

use super::find::{KeeperOf, OUTSIDE};
use super::version::is_newer;
use super::{Entering, Keeper, ProfileFolder, roots};
use crate::catalogue::PROFILE_PART;
use crate::ground::Ground;
use crate::receipt::{CountReceipt, Finding, ItemReceipt, PASSWORDS, Reason, Verdict};
use porter_machine::Machine;
use porter_machine::layout::Family;
use porter_names::RelativePath;
use porter_trunk::TrunkItem;

/// Counts what landed, sees whether its databases are whole, and whether the program knows of it.
pub fn prove(item: &TrunkItem, ground: &Ground<'_>, keeper_of: KeeperOf, row: &mut ItemReceipt) {
    let machine = ground.machine;
    let (Some(rule), Some(account)) = (ground.catalogue.rule_of(item), ground.account_of(item)) else {
        return;
    };
    let part = item.parts.iter().find(|part| part.name == PROFILE_PART);
    let (Some(keeper), Some(at)) = (keeper_of(rule), part.and_then(|part| ground.folder_of(item, part)))
    else {
        return;
    };
    let at = &at;
    let profile = ProfileFolder { volume: &*machine.volume, at: at.clone() };
    if !profile.volume.metadata(at).is_ok_and(|found| found.kind == porter_source::EntryKind::Folder) {
        return;
    }
    let learned = keeper.learn(&profile, machine.layout.family);
    let outside = item.parts.iter().filter(|part| part.name.starts_with(OUTSIDE));
    let outside: Vec<RelativePath> = outside
        .filter_map(|part| ground.folder_of(item, part))
        // A folder that came inside is read with the profile.
        .filter(|folder| !folder.is_within(at))
        .collect();
    let counted = keeper.count(&profile, &outside, &|| true);
    for then in item.counts.iter().filter(|then| then.files.is_empty()) {
        let mut now = learned.counts.iter().chain(&counted.counts);
        let now = now.find(|(name, _)| *name == then.name).map_or(0, |(_, now)| *now);
        let opens = then.name != PASSWORDS || passwords_open(item, machine.layout.family);
        row.counts.push(CountReceipt {
            name: then.name.clone(),
            captured: then.captured,
            // Bookmarks added since the restore are the person's.
            landed: if opens { now.min(then.captured) } else { 0 },
        });
    }
    let mut note = |verdict, reason: Reason, needs_attention| {
        row.find(Finding {
            path: RelativePath::root(),
            verdict,
            reason,
            needs_attention,
            expected_at: Some(at.clone()),
        });
    };
    for file in keeper.databases() {
        let damage = match profile.database(file) {
            Ok(Some(database)) => database.damage().unwrap_or_else(|cause| Some(cause.to_string())),
            Ok(None) => None,
            Err(cause) => Some(cause.to_string()),
        };
        if let Some(detail) = damage {
            note(Verdict::Changed, Reason::DatabaseDamaged { file: (*file).to_owned(), detail }, true);
        }
    }
    let roots = roots(machine, account, rule);
    let root = roots.iter().find(|root| at.is_within(&root.on_volume));
    let known = root.map(|root| keeper.list().profiles(machine, &root.on_volume)).unwrap_or_default();
    let entered = known.iter().find(|known| known.folder.as_ref().is_ok_and(|folder| folder == at));
    match (entered, root) {
        (Some(entered), _) if entered.is_default => note(Verdict::Landed, Reason::OpensByItself, false),
        (Some(entered), Some(root)) if is_listed(machine, &root.on_volume, at, keeper) => {
            note(Verdict::Landed, Reason::Entered { name: entered.name.clone() }, false);
        }
        _ => note(Verdict::Changed, Reason::NotRegistered { title: rule.title.clone() }, true),
    }
    if let Some(has) = item.facts.get("version")
        && let Some(installed) = super::landing::installed_version(machine, rule, keeper, &roots)
        && is_newer(has, &installed)
    {
        note(Verdict::Changed, Reason::NewerThanProgram { has: has.clone(), installed }, true);
    }
}

/// False if the passwords of a profile are locked by something that stays with the old machine.
fn passwords_open(item: &TrunkItem, here: Family) -> bool {
    match item.facts.get("passwords").map(String::as_str) {
        Some("key-missing" | "bound-to-windows" | "bound-to-keychain" | "bound-to-keyring") => false,
        Some("same-on-linux") => here == Family::Linux,
        _ => true,
    }
}

/// True if the program's own list names it; a folder that merely lies there is found, too, when profiles are
/// looked for.
fn is_listed(machine: &Machine, root: &RelativePath, at: &RelativePath, keeper: &dyn Keeper) -> bool {
    let Some(folder) = at.below(root) else { return false };
    let read =
        |name: &str| porter_machine::small_file::read(&*machine.volume, &root.join(name.as_bytes()).ok()?);
    let entering = Entering { folder: &folder, name: "?", opens: false, installed_in: &[] };
    keeper.list().enter(&read, &entering).is_ok_and(|changes| changes.is_empty())
}
