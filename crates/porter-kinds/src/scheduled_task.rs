//! Tasks that a Windows did by itself at times: on a running Windows each is made again, switched off. Carry
//! rules find them, and their files stay in the trunk.

use crate::catalogue::Catalogue;
use crate::changes::{Changes, SetControl};
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::Kind;
use crate::receipt::{Finding, ItemReceipt, Reason, Verdict};
use crate::trunk_file::{self, files_of};
use porter_formats::scheduled_task::{FOLDER, ScheduledTask};
use porter_machine::control::Control;
use porter_machine::control::scheduled_task::{DEFINITION, NAME, ScheduledTasks as Tasks};
use porter_machine::layout::Family;
use porter_machine::{Machine, Place, small_file};
use porter_names::portable::as_one_step;
use porter_names::{Facts, RelativePath};
use porter_trunk::{Entry, TrunkItem};

/// See the module.
pub struct ScheduledTasks;

const CONTROL: &dyn Control = &Tasks;
/// A definition is not longer.
const LONGEST_IN_BYTES: u64 = 64 << 10;

/// A task of the old machine, as it is to be on the new one.
struct Task {
    /// Its name, with the folders that it is in.
    name: String,
    /// Its file, below the root of the drive.
    at: RelativePath,
    definition: ScheduledTask,
}

impl Task {
    /// None for what is no task: lists of other programs stand between them.
    fn of(entry: &Entry, ground: &Ground<'_>) -> Option<Self> {
        let folder = RelativePath::from_bytes(FOLDER.as_bytes()).ok()?;
        let at =
            entry.address.path.below(&folder).filter(|_| entry.address.place == Place::DriveRoot.name())?;
        let above = format!("From {}", as_one_step(&ground.label().machine.name));
        let at = RelativePath::root().join(above.as_bytes()).ok()?.join_path(&at).ok()?;
        let steps: Result<Vec<&str>, _> = at.steps().map(std::str::from_utf8).collect();
        let file = trunk_file::read(ground.trunk, entry, LONGEST_IN_BYTES)?;
        Some(Self {
            name: steps.ok()?.join("\\"),
            definition: ScheduledTask::from_bytes(&file).ok()?,
            at: folder.join_path(&at).ok()?,
        })
    }
}

/// The tasks of an item from a Windows to a Windows.
fn tasks_of(item: &TrunkItem, ground: &Ground<'_>) -> Vec<Task> {
    let are_windows = ground.label().machine.system.family == Family::Windows.name()
        && ground.machine.layout.family == Family::Windows
        && item.account.is_none();
    let files = files_of(ground.trunk, item).ok().filter(|_| are_windows);
    files.into_iter().flatten().filter_map(|entry| Task::of(&entry, ground)).collect()
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
        if !ground.machine.may_be_set() || ground.wishes.setting.keep {
            return;
        }
        for item in items {
            let is_missing = |task: &Task| ground.machine.volume.metadata(&task.at).is_err();
            for task in tasks_of(item, ground).into_iter().filter(is_missing) {
                let becomes = [(NAME, task.name), (DEFINITION, task.definition.to_disabled())];
                let becomes: Facts = becomes.map(|(name, value)| (name.to_owned(), value)).into();
                let if_not_set = |detail| Reason::SettingNotSet { detail };
                changes.set(SetControl::new(&item.id, CONTROL, becomes, if_not_set));
            }
        }
    }

    fn prove_brought(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        for Task { name, at, definition } in tasks_of(item, ground) {
            let now = small_file::read(&*ground.machine.volume, &at);
            let now = now.and_then(|file| ScheduledTask::from_bytes(&file).ok());
            let Some(now) = now.filter(|now| now.actions() == definition.actions()) else { continue };
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
