//! Settings of a person's Windows that have a file in a Linux home: drives of servers, and the usual printer.

use crate::changes::{Changes, Edit};
use crate::ground::Ground;
use crate::printer::may_be_usual;
use crate::receipt::Reason;
use crate::values::USUAL_PRINTER;
use porter_machine::cups::files::{PERSONAL, usual_of_person, with_usual_of_person};
use porter_machine::cups::queue::queue_name;
use porter_machine::layout::Family;
use porter_machine::linux::server_folders::{BOOKMARKS, with_drive};
use porter_machine::small_file;
use porter_names::RelativePath;
use porter_trunk::TrunkItem;

/// Decides about one setting.
pub(super) fn land(item: &TrunkItem, ground: &Ground<'_>, changes: &mut Changes) {
    let (old, new) = (&ground.label().machine.system.family, ground.machine.layout.family);
    // From a Linux the file comes itself.
    if *old != Family::Windows.name() || new != Family::Linux {
        return;
    }
    let fact = |name: &str| item.facts.get(name);
    if item.id.contains("/setting/drive/") {
        if let (Some(letter), Some(folder)) = (fact("letter"), fact("server-folder")) {
            edit(item, ground, changes, BOOKMARKS, &|file| with_drive(file, letter, folder));
        }
    } else if item.id.ends_with(USUAL_PRINTER)
        && let Some(name) = fact("name").map(|name| queue_name(name))
        && may_be_usual(item, ground, changes)
    {
        edit(item, ground, changes, PERSONAL, &|file| {
            let is_it = usual_of_person(file).as_ref() == Some(&name);
            (!is_it).then(|| with_usual_of_person(file, &name))
        });
    }
}

/// Gives a file in the person's home another content, if there is anything to change.
pub(super) fn edit(
    item: &TrunkItem,
    ground: &Ground<'_>,
    changes: &mut Changes,
    below: &str,
    changed: &dyn Fn(&[u8]) -> Option<Vec<u8>>,
) {
    let Some(account) = ground.account_of(item) else { return };
    let below = RelativePath::from_bytes(below.as_bytes());
    let Ok(at) = below.and_then(|below| account.home.join_path(&below)) else { return };
    let volume = &*ground.machine.volume;
    let there = match changes.file(&at) {
        Some(planned) => planned.to_vec(),
        None if volume.metadata(&at).is_ok() => match small_file::read(volume, &at) {
            Some(file) => file,
            // A file that cannot be read is not replaced.
            None => {
                let detail = format!("{at} cannot be read");
                return changes.note(&item.id, Reason::SettingNotSet { detail });
            }
        },
        None => Vec::new(),
    };
    if let Some(content) = changed(&there) {
        changes.write(Edit::new(&item.id, at, content));
    }
}
