//! The picture of a person's account, from one Windows to a running one: a file in that person's folder of
//! pictures, and the registry's names of it.

use super::on_account_service::picture;
use crate::changes::{Changes, Edit, SetControl};
use crate::ground::Ground;
use crate::receipt::Reason;
use crate::values::same_on;
use porter_machine::account_picture::{FOLDER, is_sid};
use porter_machine::control::Control;
use porter_machine::control::account_picture::{AccountPictures, facts};
use porter_machine::layout::Family;
use porter_names::RelativePath;
use porter_trunk::TrunkItem;

const CONTROL: &dyn Control = &AccountPictures;

/// Decides about one setting. A picture that is there stays.
pub(super) fn land(item: &TrunkItem, ground: &Ground<'_>, changes: &mut Changes) {
    let machine = ground.machine;
    let may_set = machine.may_be_set();
    if !item.id.ends_with("/setting/picture") || machine.layout.family != Family::Windows || !may_set {
        return;
    }
    if same_on(item, machine, ground.accounts).is_some() {
        return;
    }
    let account = ground.account_of(item);
    let Some(sid) = account.and_then(|account| account.identifier.clone()).filter(|sid| is_sid(sid)) else {
        return;
    };
    let Some(content) = picture(item, ground) else { return };
    let ending = if content.starts_with(b"\x89PNG") { "png" } else { "jpg" };
    let name = format!("porter.{ending}");
    let Ok(at) = RelativePath::from_bytes(format!("{FOLDER}/{sid}/{name}").as_bytes()) else { return };
    changes.write(Edit::new(&item.id, at, content));
    let if_not_set = |detail| Reason::SettingNotSet { detail };
    changes.set(SetControl::new(&item.id, CONTROL, facts(&sid, &name), if_not_set));
}
