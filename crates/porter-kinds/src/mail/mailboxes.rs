//! The letters of an item of a trunk, folder by folder, whatever program kept them: in Outlook's data files,
//! in stores of Outlook Express, in mailboxes (Thunderbird and most others), in Maildirs, and in files of
//! their own (Apple Mail, Windows Mail).

mod data_files;
mod mbox;
mod single;
mod stores;
mod visitor;

pub(super) use data_files::{each_data_file, flaw_of, folder_of};
pub(super) use single::{content_of, each_msg_file};
pub(crate) use visitor::unpack;
pub use visitor::{MailFolder, MailLetter, Visitor};

use crate::not_taken::NotTaken;
use porter_trunk::{Trunk, TrunkItem};
use std::path::Path;

/// Shows all letters of an item. Files of a mailbox that can only be read out of order are unpacked in
/// `aside`, one at a time. False if the item has no letters. `go_on` ends it early.
pub fn visit(
    trunk: &dyn Trunk,
    item: &TrunkItem,
    aside: &Path,
    visitor: &mut dyn Visitor,
    go_on: &dyn Fn() -> bool,
) -> Result<bool, NotTaken> {
    let in_files = data_files::visit(trunk, item, aside, visitor, go_on)?;
    let in_stores = stores::visit(trunk, item, aside, visitor, go_on)?;
    let in_mailboxes = mbox::visit(trunk, item, visitor, go_on)?;
    let single = single::visit(trunk, item, visitor, go_on)?;
    Ok(in_files || in_stores || in_mailboxes || single)
}
