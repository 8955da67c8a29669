//! The kinds' decisions: files that follow to the new machine, files of the machine that change, registries.

use super::super::plan::content_of;
use super::{MOST_LOST_PER_ENTRY_IN_BYTES, Planner};
use crate::journal::EntryKey;
use porter_kinds::changes::{Adapt, Changes};
use porter_kinds::receipt::Reason;
use porter_trunk::{Content, ContentHash, Entry, Trunk};
use std::io::Read;

impl Planner<'_> {
    /// Takes over what the kinds have decided.
    pub(in crate::restore) fn heed(&mut self, mut changes: Changes) {
        let owner_of = |item: &str| item.split_once('/').map(|(owner, _)| owner.to_owned());
        for Adapt { item, place, path, with } in changes.take_adapted() {
            self.adapts.insert(EntryKey { owner: owner_of(&item), place, path }, with);
        }
        self.changes = changes;
    }

    /// Puts its new content into an entry, if it is one of those that follow.
    pub(super) fn adapt(&mut self, trunk: &dyn Trunk, entry: &mut Entry, number: u32) {
        /// Such files are small; one that is not stays as it is.
        const LARGEST_IN_BYTES: u64 = 64 << 20;
        if self.adapts.is_empty()
            || entry.size_in_bytes() > LARGEST_IN_BYTES
            || entry.held.is_some()
            || entry.is_incomplete()
        {
            return;
        }
        let Some(with) = self.adapts.get(&EntryKey::of(&entry.address)) else { return };
        let mut content = Vec::new();
        let read = trunk.open_content(entry).map(|mut from| from.read_to_end(&mut content).is_ok());
        if matches!(read, Ok(true))
            && let Content::File { hash, .. } = entry.content
            && ContentHash::of(&content) == hash
            && let Some(new) = with(&content)
        {
            entry.content = content_of(&new);
            self.adapted.insert(number, new);
        }
    }

    /// Plans the files of the machine that get another content.
    pub(in crate::restore) fn plan_edits(&mut self) {
        for mut edit in self.changes.take_files() {
            match self.through_planned(&edit.at) {
                Ok(at) => edit.at = at,
                Err(reason) => {
                    self.changes.note(&edit.item, reason);
                    continue;
                }
            }
            let host = self.tree.host_path(&edit.at).ok();
            let there = host.and_then(|path| std::fs::symlink_metadata(path).ok());
            let planned = (|| {
                let mut beside = Vec::new();
                let aside = match there {
                    Some(found) if !found.is_file() => {
                        let what = "a folder or link".to_owned();
                        return Err(Reason::InTheWay { what, path: edit.at.to_string() });
                    }
                    Some(_) => Some(self.tree.choose_aside(&edit.at)?),
                    None => {
                        let folder = edit.at.parent().unwrap_or_default();
                        self.base_folder(&folder)?;
                        None
                    }
                };
                for path in &edit.set_aside_too {
                    beside.push((path.clone(), self.tree.choose_aside(path)?));
                }
                Ok((aside, beside))
            })();
            match planned {
                Ok((aside, beside)) => {
                    self.beside_edits.extend(beside);
                    let drive = self.tree.host().drive_of(&edit.at).to_path_buf();
                    *self.needed_on.entry(drive).or_default() +=
                        edit.content.len() as u64 + MOST_LOST_PER_ENTRY_IN_BYTES;
                    self.edits.push((edit, aside));
                }
                Err(reason) => self.changes.note(&edit.item, reason),
            }
        }
    }
}
