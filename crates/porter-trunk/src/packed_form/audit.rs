//! The list of a packed trunk against its packs: whether every entry leads to contents that are there, and
//! whether every byte of every file is what was written.
//!
//! A file that is one content is proved with its block, in the order of the packs: each block is unpacked
//! once, however many files refer to it from wherever in the list, and each of its contents is hashed once.
//! So are the parts of files that are scattered over the packs. A file whose contents lie together is hashed
//! as a whole by the caller who reads it.

use super::block::{ContentId, Directory, Head, Kind, Proving};
use super::block_file::{BlockFile, NotRead};
use super::blocks::Blocks;
use super::file_frame::Role;
use super::layout::{FileName, LABEL};
use super::scattered::Scattered;
use crate::{Audit, Content, ContentHash, Damage, Depth, Entry, Extent, TrunkError};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::ops::Range;
use std::sync::{Mutex, PoisonError};

/// A file that is one content of a block. There are as many as files in the trunk, so it is kept short.
struct OneContent {
    block: u32,
    at: u32,
    row: u32,
    size_in_bytes: u32,
    hash: ContentHash,
}

pub(super) struct PackedAudit<'t> {
    blocks: &'t Blocks,
    flaws: &'t [Damage],
    depth: Depth,
    /// For each block that an entry counts on: which of its contents are proved by entries that are whole.
    used: HashMap<u32, Vec<bool>>,
    /// Entries that were seen.
    seen: u64,
    ones: Vec<OneContent>,
    scattered: Scattered,
    /// The blocks that these two need.
    due: Vec<DueBlock>,
    /// Blocks all of whose contents are what their ids say; parts of scattered files are left to these.
    whole: Mutex<HashSet<u32>>,
}

/// A block, with the files that it is one content of and the parts of scattered ones.
#[derive(Default)]
struct DueBlock {
    number: u32,
    ones: Range<usize>,
    parts: Range<usize>,
}

impl<'t> PackedAudit<'t> {
    pub(super) fn new(blocks: &'t Blocks, flaws: &'t [Damage], depth: Depth) -> Self {
        Self {
            blocks,
            flaws,
            depth,
            used: HashMap::new(),
            seen: 0,
            ones: Vec::new(),
            scattered: Scattered::default(),
            due: Vec::new(),
            whole: Mutex::default(),
        }
    }

    /// The number of contents in a block; none if there is no such block.
    fn contents_in(&self, block: u32) -> Option<u32> {
        let packs = self.blocks.packs();
        let (file, row) = packs.blocks.get(&block)?;
        Some(Directory::rows_in(packs.files[*file].rows[*row].1.directory_in_bytes))
    }
}

impl Audit for PackedAudit<'_> {
    fn see(&mut self, entry: &Entry, is_whole: bool) -> Option<Damage> {
        self.seen += 1;
        let Content::File { size_in_bytes, .. } = entry.content else { return None };
        let shown = || entry.address.path.to_string();
        if (entry.extents.is_empty() && size_in_bytes > 0) || entry.zeros_in_bytes() > size_in_bytes {
            return Some(Damage::ListsDisagree(shown()));
        }
        for extent in entry.extents.as_slice() {
            let Extent::Contents { block, first, count } = *extent else { continue };
            let Some(contents) = self.contents_in(block) else {
                return Some(Damage::FileMissing(shown()));
            };
            let used = self.used.entry(block).or_insert_with(|| vec![false; contents as usize]);
            let end = (first as usize).saturating_add(count as usize);
            match used.get_mut(first as usize..end) {
                Some(rows) if is_whole => rows.fill(true),
                Some(_) => {}
                None => return Some(Damage::ListsDisagree(shown())),
            }
        }
        None
    }

    fn see_for_block(&mut self, row: u32, entry: &Entry) -> Option<Damage> {
        let Content::File { size_in_bytes, hash } = entry.content else { return self.see(entry, false) };
        self.seen += 1;
        for extent in entry.extents.as_slice() {
            let Extent::Contents { block, first, count } = *extent else { continue };
            let Some(contents) = self.contents_in(block) else {
                return Some(Damage::FileMissing(entry.address.path.to_string()));
            };
            if first.checked_add(count).is_none_or(|end| end > contents) {
                return Some(Damage::ListsDisagree(entry.address.path.to_string()));
            }
        }
        match (entry.extents.as_slice(), u32::try_from(size_in_bytes)) {
            (&[Extent::Contents { block, first: at, .. }], Ok(size_in_bytes)) => {
                self.ones.push(OneContent { block, at, row, size_in_bytes, hash });
            }
            // No block is as long as a length that does not fit.
            (&[_], Err(_)) => return Some(Damage::ListsDisagree(entry.address.path.to_string())),
            _ => self.scattered.add(row, entry, hash),
        }
        None
    }

    fn blocks(&mut self) -> Vec<u64> {
        // Blocks are numbered in the order of the packs.
        self.ones.sort_unstable_by_key(|one| (one.block, one.at, one.row));
        let mut due: BTreeMap<u32, DueBlock> = BTreeMap::new();
        let mut end = 0;
        for of_block in self.ones.chunk_by(|one, next| one.block == next.block) {
            end += of_block.len();
            due.entry(of_block[0].block).or_default().ones = end - of_block.len()..end;
        }
        for (block, parts) in self.scattered.by_block(self.blocks) {
            due.entry(block).or_default().parts = parts;
        }
        self.due = due.into_iter().map(|(number, due)| DueBlock { number, ..due }).collect();
        let size_of = |due: &DueBlock| {
            let ones = self.ones[due.ones.clone()].iter().map(|one| u64::from(one.size_in_bytes));
            ones.sum::<u64>() + self.scattered.size_in_bytes(due.parts.clone())
        };
        self.due.iter().map(size_of).collect()
    }

    fn prove_block(&self, number: usize) -> Vec<(u32, Damage)> {
        let Some(DueBlock { number, ones, parts }) = self.due.get(number) else { return Vec::new() };
        let (number, ones) = (*number, &self.ones[ones.clone()]);
        let prove = |directory: &Directory, body: &[u8]| {
            let in_parts = self.scattered.contents_in(parts.clone(), directory.rows.len());
            let hashed = self.scattered.hash(parts.clone(), directory, body);
            (hashed, self.prove_contents(number, &directory.rows, body, ones, &in_parts))
        };
        let mut looked_at = None;
        let seen = self.blocks.look_at_block(number, &mut |directory, body| {
            looked_at = Some(prove(directory, body));
        });
        let proved = match (seen, looked_at) {
            (Ok(true), Some(proved)) => Ok(proved),
            (Ok(_), _) => self.blocks.read_block(number).map(|block| prove(&block.directory, block.body())),
            (Err(damage), _) => Err(damage),
        };
        match proved {
            Ok((hashed, proved)) => {
                let mut wrong = self.scattered.take(parts.clone(), hashed);
                wrong.extend(self.noted(number, proved));
                wrong
            }
            Err(damage) => {
                let mut wrong = self.scattered.take_damaged(parts.clone(), &damage);
                wrong.extend(ones.iter().map(|one| (one.row, damage.clone())));
                wrong
            }
        }
    }

    fn finish(self: Box<Self>) -> Result<Vec<Damage>, TrunkError> {
        let blocks = self.blocks;
        let packs = blocks.packs();
        let mut damage = packs.damage.clone();
        damage.extend(self.flaws.iter().cloned());
        if !blocks.parts.have_labels(&blocks.list.contents.parts) {
            damage.push(Damage::ContentChanged(LABEL.to_owned()));
        }
        if blocks.key.is_some() {
            damage.extend(blocks.parts.seal_files().damage());
        }
        let captured: u64 = blocks.list.contents.items.iter().map(|item| item.captured.entries()).sum();
        if captured != self.seen {
            damage.push(Damage::ListsDisagree(blocks.list.file.name.clone()));
        }
        damage.extend(self.unlisted()?);
        if self.depth == Depth::Full {
            let proved = blocks.proved.lock().unwrap_or_else(PoisonError::into_inner);
            let mut whole = self.whole.lock().unwrap_or_else(PoisonError::into_inner);
            self.scattered.not_proved().for_each(|number| _ = whole.remove(&number));
            let all_used = |number| self.used.get(&number).is_some_and(|rows| rows.iter().all(|used| *used));
            let is_open = |head: &Head| {
                let is_proved =
                    proved.contains(&head.number) && (whole.contains(&head.number) || all_used(head.number));
                head.kind != Kind::Contents || !is_proved
            };
            for file in packs.files.iter().chain([&blocks.list.file]) {
                let rows = file.rows.iter().enumerate().filter(|(_, (_, head))| is_open(head));
                damage.extend(rows.filter_map(|(row, _)| file.read(row, Proving::Everything).err()));
            }
            drop((proved, whole));
            damage.extend(self.damage_in_older_lists()?);
            for (_, folder) in blocks.parts.folders() {
                damage.extend(crate::spare::damage_in(folder, &blocks.list.file.name)?);
            }
        }
        damage.dedup();
        Ok(damage)
    }
}

/// The wrong files of a block, by their rows, and whether all its contents are what their ids say.
type Proved = (Vec<(u32, Damage)>, bool);

impl PackedAudit<'_> {
    /// Hashes each content of a block once. `in_parts` says which of them are parts of scattered files.
    fn prove_contents(
        &self,
        number: u32,
        rows: &[(ContentId, u32)],
        body: &[u8],
        ones: &[OneContent],
        in_parts: &[bool],
    ) -> Proved {
        let mut wrong = Vec::new();
        let (mut ones, mut rest) = (ones.iter().peekable(), body);
        // A sealed block was proved when it was opened, and its ids are of another kind.
        let mut are_whole = true;
        for (at, (id, length)) in (0_u32..).zip(rows) {
            let Some((content, more)) = rest.split_at_checked(*length as usize) else { break };
            rest = more;
            let is_in_part = in_parts.get(at as usize).is_some_and(|is| *is);
            // The hash of a part's file proves it.
            if is_in_part && ones.peek().is_none_or(|one| one.at != at) {
                continue;
            }
            let hash = ContentHash::of(content);
            are_whole &= self.blocks.key.is_some() || ContentId::from(hash) == *id;
            while let Some(one) = ones.next_if(|one| one.at == at) {
                if one.hash != hash || one.size_in_bytes != *length {
                    wrong.push((one.row, Damage::ContentChanged(number.to_string())));
                }
            }
        }
        wrong.extend(ones.map(|one| (one.row, Damage::ListsDisagree(number.to_string()))));
        (wrong, are_whole)
    }

    fn noted(&self, number: u32, (wrong, are_whole): Proved) -> Vec<(u32, Damage)> {
        if are_whole {
            self.whole.lock().unwrap_or_else(PoisonError::into_inner).insert(number);
        }
        wrong
    }

    /// Files that no list names. Files of an unfinished top-up are not this state's business.
    fn unlisted(&self) -> Result<Vec<Damage>, TrunkError> {
        let rows = &self.blocks.list.contents.packs;
        let last = rows.iter().map(|row| row.number).max().unwrap_or(0);
        let mut damage = Vec::new();
        for (part, folder) in self.blocks.parts.folders() {
            let failed = |cause| TrunkError::io("looking into", folder, cause);
            for row in std::fs::read_dir(folder).map_err(failed)? {
                let name = row.map_err(failed)?.file_name().to_string_lossy().into_owned();
                let is_ours = match FileName::parse(&name) {
                    Some(FileName::Pack(number)) => {
                        number > last || rows.iter().any(|row| row.number == number && row.part == part)
                    }
                    Some(FileName::OpenPack(_) | FileName::OpenList(_) | FileName::List(_)) => true,
                    None => {
                        name == LABEL
                            || crate::signature::is_of_a_list(&name)
                            || crate::host::BEGUN.contains(&name.as_str())
                            || crate::spare::is_spare(&name)
                            || name.ends_with(super::set_aside::SET_ASIDE)
                            || crate::host::NOT_A_PERSONS.contains(&name.as_str())
                    }
                };
                if !is_ours {
                    damage.push(Damage::FileNotListed(name));
                }
            }
        }
        Ok(damage)
    }

    /// Lists of earlier captures into the same trunk.
    fn damage_in_older_lists(&self) -> Result<Vec<Damage>, TrunkError> {
        let mut damage = Vec::new();
        for (name, _, path) in self.blocks.parts.files()? {
            let FileName::List(number) = name else { continue };
            if number == self.blocks.list.file.head.number {
                continue;
            }
            let trunk = &self.blocks.list.contents.label.trunk_id;
            match BlockFile::open(&path, Role::List, number, trunk, self.blocks.key.as_ref()) {
                Ok(file) => damage.extend(file.damage()),
                Err(NotRead::Damaged(found)) => damage.push(found),
                Err(NotRead::CutOff | NotRead::Version(_)) => {
                    damage.push(Damage::ContentChanged(name.to_string()));
                }
            }
        }
        Ok(damage)
    }
}
