//! A person's language, formats and picture on a Linux with a desktop: in the files of the service that its
//! sign-in asks.

use crate::changes::{Changes, Edit};
use crate::ground::Ground;
use crate::receipt::Reason;
use crate::trunk_file;
use crate::values::{is_met, same_on};
use porter_machine::layout::Family;
use porter_machine::linux::account_service::{
    BLAKE3, DISPLAY_LANGUAGE, FOLDER, file_of, has_locale, locale_of, picture_of, with_locale, with_picture,
};
use porter_machine::small_file;
use porter_names::RelativePath;
use porter_trunk::{Content, ContentHash, TrunkItem};

/// The item that holds the files of the old machine's service.
const FILES: &str = "machine/sign-in/accounts";
/// A picture is not larger.
const LARGEST_PICTURE_IN_BYTES: u64 = 4 << 20;

/// Decides about one setting.
pub(super) fn land(item: &TrunkItem, ground: &Ground<'_>, changes: &mut Changes) {
    let machine = ground.machine;
    let may_write = machine.here.is_none_or(|here| here.as_administrator);
    let Some(account) = ground.account_of(item) else { return };
    let Some((_, what)) = item.id.split_once("/setting/") else { return };
    if machine.layout.family != Family::Linux || !may_write || !["locale", "picture"].contains(&what) {
        return;
    }
    if same_on(item, machine, ground.accounts).is_some_and(|now| is_met(item, now)) {
        return;
    }
    let name = String::from_utf8_lossy(&account.name).into_owned();
    let path = |text: Option<String>| RelativePath::from_bytes(text?.as_bytes()).ok();
    // Without its folders nothing there asks the service.
    let is_there = |below: &str| {
        let folder = RelativePath::from_bytes(format!("{FOLDER}/{below}").as_bytes());
        folder.is_ok_and(|folder| machine.volume.metadata(&folder).is_ok())
    };
    let Some(at) = path(file_of(&name)).filter(|_| is_there("users")) else { return };
    let there = match changes.file(&at) {
        Some(planned) => planned.to_vec(),
        None if machine.volume.metadata(&at).is_ok() => match small_file::read(&*machine.volume, &at) {
            Some(file) => file,
            // A file that cannot be read is not replaced.
            None => {
                let detail = format!("{at} cannot be read");
                return changes.note(&item.id, Reason::SettingNotSet { detail });
            }
        },
        None => Vec::new(),
    };
    let changed = if what == "locale" {
        let known = |fact: &str| {
            let locale = locale_of(item.facts.get(fact)?)?;
            has_locale(&*machine.volume, &locale).then_some(locale)
        };
        let (formats, language) = (known("name"), known(DISPLAY_LANGUAGE));
        with_locale(&there, language.as_deref(), formats.as_deref())
    } else {
        let picture = picture(item, ground);
        let Some((to, content)) = path(picture_of(&name)).zip(picture).filter(|_| is_there("icons")) else {
            return;
        };
        changes.write(Edit::new(&item.id, to, content));
        with_picture(&there, &name)
    };
    if let Some(content) = changed {
        changes.write(Edit { is_private: true, ..Edit::new(&item.id, at, content) });
    }
}

/// The picture that the setting names, from the trunk.
pub(super) fn picture(item: &TrunkItem, ground: &Ground<'_>) -> Option<Vec<u8>> {
    let wanted = ContentHash::from_hex(item.facts.get(BLAKE3)?)?;
    let mut entries = ground.trunk.entries().ok()?.flatten();
    let entry = entries.find(|entry| {
        matches!(entry.content, Content::File { hash, .. } if hash == wanted)
            && (entry.item == FILES || entry.address.path.to_string().contains("AccountPictures/"))
    })?;
    trunk_file::read(ground.trunk, &entry, LARGEST_PICTURE_IN_BYTES)
}
