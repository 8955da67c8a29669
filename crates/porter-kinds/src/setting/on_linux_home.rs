//! Settings of a person's Windows that have a file in a Linux home: drives of servers.

use crate::changes::{Changes, Edit};
use crate::ground::Ground;
use crate::receipt::Reason;
use porter_machine::layout::Family;
use porter_machine::linux::server_folders::{BOOKMARKS, with_drive};
use porter_machine::small_file;
use porter_names::RelativePath;
use porter_trunk::TrunkItem;

/// Decides about one setting.
pub(super) fn land(item: &TrunkItem, ground: &Ground<'_>, changes: &mut Changes) {
    let (old, new) = (&ground.label().machine.system.family, ground.machine.layout.family);
    // From a Linux the file comes itself.
    if *old != Family::Windows.name() || new != Family::Linux || !item.id.contains("/setting/drive/") {
        return;
    }
    let (Some(account), Some(letter), Some(folder)) =
        (ground.account_of(item), item.facts.get("letter"), item.facts.get("server-folder"))
    else {
        return;
    };
    let below = RelativePath::from_bytes(BOOKMARKS.as_bytes());
    let Ok(at) = below.and_then(|below| account.home.join_path(&below)) else { return };
    let volume = &*ground.machine.volume;
    let is_there = volume.metadata(&at).is_ok();
    let there = match changes.file(&at) {
        Some(planned) => planned.to_vec(),
        None if is_there => match small_file::read(volume, &at) {
            Some(file) => file,
            // What cannot be read is not replaced.
            None => {
                let detail = format!("{at} cannot be read");
                return changes.note(&item.id, Reason::SettingNotSet { detail });
            }
        },
        None => Vec::new(),
    };
    if let Some(content) = with_drive(&there, letter, folder) {
        changes.write(Edit { item: item.id.clone(), at, content, set_aside_too: Vec::new() });
    }
}
