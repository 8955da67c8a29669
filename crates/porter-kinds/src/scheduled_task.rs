//! Tasks that a Windows did by itself at times: on a running Windows each is made again, switched off. Carry
//! rules find them, and their files stay in the trunk.

use crate::catalogue::Catalogue;
use crate::changes::{Changes, SetControl};
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::Kind;
use crate::receipt::{Finding, ItemReceipt, Reason, Verdict};
use crate::trunk_file;
use porter_formats::scheduled_task::{FOLDER, ScheduledTask};
use porter_machine::control::Control;
use porter_machine::control::scheduled_task::{DEFINITION, NAME, ScheduledTasks as Tasks};
use porter_machine::layout::Family;
use porter_machine::{Machine, Place, small_file};
use porter_names::{Facts, RelativePath};
use porter_trunk::{Entry, TrunkItem};

/// See the module.
pub struct ScheduledTasks;

const CONTROL: &dyn Control = &Tasks;
/// A definition is not longer.
const LONGEST_IN_BYTES: u64 = 64 << 10;

/// A task of the old machine.
struct Task {
    /// Below the folder of tasks.
    at: RelativePath,
    entry: Entry,
}

/// The tasks of an item from a Windows to a Windows.
fn tasks_of(item: &TrunkItem, ground: &Ground<'_>) -> Vec<Task> {
    let windows = Family::Windows.name();
    let are_windows = ground.label().machine.system.family == windows
        && ground.machine.layout.family == Family::Windows
        && item.account.is_none();
    let (Some(entries), true) = (ground.trunk.entries().ok(), are_windows) else { return Vec::new() };
    let task = |entry: Entry| {
        let is_file = entry.item == item.id
            && entry.address.place == Place::DriveRoot.name()
            && entry.size_in_bytes() > 0;
        let at = entry.address.path.below(&folder()?).filter(|at| is_file && !at.is_root())?;
        Some(Task { at, entry })
    };
    entries.flatten().filter_map(task).collect()
}

fn folder() -> Option<RelativePath> {
    RelativePath::from_bytes(FOLDER.as_bytes()).ok()
}

/// Where a task of that machine is on the new one, below the folder of tasks.
fn place_of(task: &Task, machine: &str) -> Option<RelativePath> {
    let above = format!("From {}", machine.replace(['/', '\\', ':'], "-"));
    RelativePath::root().join(above.as_bytes()).ok()?.join_path(&task.at).ok()
}

fn name_of(at: &RelativePath) -> Option<String> {
    let steps: Result<Vec<&str>, _> = at.steps().map(std::str::from_utf8).collect();
    Some(steps.ok()?.join("\\"))
}

impl Kind for ScheduledTasks {
    fn name(&self) -> &'static str {
        "task"
    }

    /// Carry rules find them.
    fn find(&self, _: &Machine, _: &Catalogue) -> Vec<Item> {
        Vec::new()
    }

    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        let machine = ground.machine;
        let may_set = machine.here.is_some_and(|here| here.as_administrator);
        if !may_set || ground.wishes.setting.keep {
            return;
        }
        for (item, task) in
            items.iter().flat_map(|item| tasks_of(item, ground).into_iter().map(move |task| (item, task)))
        {
            let Some(at) = place_of(&task, &ground.label().machine.name) else { continue };
            let is_there = folder()
                .and_then(|folder| folder.join_path(&at).ok())
                .is_some_and(|at| machine.volume.metadata(&at).is_ok());
            // Lists of other programs stand between the tasks.
            let file = trunk_file::read(ground.trunk, &task.entry, LONGEST_IN_BYTES);
            let known = file.and_then(|file| ScheduledTask::from_bytes(&file).ok()).zip(name_of(&at));
            if let Some((definition, name)) = known.filter(|_| !is_there) {
                let becomes = [(NAME, name), (DEFINITION, definition.to_disabled())];
                let becomes: Facts = becomes.map(|(name, value)| (name.to_owned(), value)).into();
                let if_not_set = |detail| Reason::SettingNotSet { detail };
                changes.set(SetControl::new(&item.id, CONTROL, becomes, if_not_set));
            }
        }
    }

    fn prove_brought(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        for task in tasks_of(item, ground) {
            let at = place_of(&task, &ground.label().machine.name);
            let Some((name, at)) = at.and_then(|at| Some((name_of(&at)?, folder()?.join_path(&at).ok()?)))
            else {
                continue;
            };
            let then = trunk_file::read(ground.trunk, &task.entry, LONGEST_IN_BYTES);
            let now = small_file::read(&*ground.machine.volume, &at);
            let [then, now] = [then, now].map(|file| ScheduledTask::from_bytes(&file?).ok());
            let Some((_, now)) = then.zip(now).filter(|(then, now)| then.actions() == now.actions()) else {
                continue;
            };
            row.find(Finding {
                path: at,
                verdict: Verdict::Landed,
                reason: Reason::TaskThere { name, is_enabled: now.is_enabled() },
                needs_attention: false,
                expected_at: None,
            });
        }
    }
}
