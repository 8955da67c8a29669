//! Using a packed trunk.

use super::audit::PackedAudit;
use super::block::Kind;
use super::blocks::Blocks;
use super::layout::FileName;
use super::list::{self, List};
use super::parts::{Opener, Parts};
use super::reading::Reading;
use super::scattered::is_scattered;
use super::without_spare;
use crate::form::{Depth, Rows};
use crate::lock::Lock;
use crate::sealing::TrunkKey;
use crate::{
    Audit, CaptureProof, Damage, Entry, EntryRefused, Extent, Label, LeftBehind, Trunk, TrunkContent,
    TrunkError, TrunkItem, TrunkProgram,
};
use std::io;
use std::path::{Path, PathBuf};

/// A finished packed trunk.
pub struct PackedTrunk {
    folder: PathBuf,
    blocks: Blocks,
    flaws: Vec<Damage>,
}

impl PackedTrunk {
    /// Opens the newest finished state of a trunk, given all folders that it lies in.
    pub fn load(folders: &[PathBuf], opener: Option<&Opener>) -> Result<Self, TrunkError> {
        let parts = Parts::load(folders)?;
        let key = parts.unlock(opener)?;
        let Some((path, number)) = list::newest(&parts)? else {
            return Err(TrunkError::Unfinished(parts.first_folder()));
        };
        let mut trunk = Self::with_list(parts, &path, number, key, false)?;
        trunk.flaws = trunk.find_flaws();
        Ok(trunk)
    }

    /// Flaws where the trunk is less than it once was: the rest of it is not damaged by that.
    fn find_flaws(&self) -> Vec<Damage> {
        let mut flaws = Vec::new();
        if self.blocks.list.contents.lacks_packs(&self.blocks.parts) {
            flaws.push(Damage::HoldsMore);
        }
        let there = self.blocks.list.file.head.number;
        if let Some(said) = self.blocks.parts.captures().filter(|said| *said > there) {
            flaws.push(Damage::CapturesMissing { said, there });
        }
        let is_listed = |name: &String| {
            self.blocks.list.contents.packs.iter().any(|row| FileName::Pack(row.number).to_string() == *name)
        };
        let gone = without_spare::names_of_files_that_are_gone(&self.blocks.parts).into_iter();
        flaws.extend(gone.filter(|name| !is_listed(name)).map(Damage::FileMissing));
        if self.blocks.list.contents.spare_in_percent.is_some() {
            let files = self.blocks.list.contents.packs.iter().filter_map(|row| {
                Some(FileName::Pack(row.number).in_folder(self.blocks.parts.folder_of(row.part)?))
            });
            let files = files.chain([self.blocks.list.path().to_path_buf()]);
            let spare = files.map(|path: PathBuf| crate::spare::path_of(&path));
            let gone = spare.filter(|path| path.symlink_metadata().is_err());
            flaws.extend(gone.map(|path| Damage::SpareMissing(super::block_file::name_of(&path))));
        }
        flaws
    }

    pub(super) fn with_list(
        parts: Parts,
        path: &Path,
        number: u32,
        key: Option<TrunkKey>,
        from_medium: bool,
    ) -> Result<Self, TrunkError> {
        let trunk = parts.outside()?.trunk_id.clone();
        if from_medium {
            // The list, the indexes of packs and recovery data, too.
            parts.folders().for_each(|(_, folder)| crate::host::forget_files_in(folder));
        }
        let mut list = List::open(path, number, &trunk, key.as_ref())?;
        if from_medium {
            list.file.read_from_medium();
        }
        if let Some(row) = list.contents.packs.iter().find(|row| parts.folder_of(row.part).is_none()) {
            return Err(TrunkError::PartMissing { part: row.part, trunk_id: trunk });
        }
        Ok(Self {
            folder: parts.first_folder(),
            blocks: Blocks::new(parts, list, key, from_medium),
            flaws: Vec::new(),
        })
    }

    /// The folders that it consists of.
    pub fn parts(&self) -> &Parts {
        &self.blocks.parts
    }
}

impl Trunk for PackedTrunk {
    fn label(&self) -> &Label {
        &self.blocks.list.contents.label
    }

    fn folder(&self) -> &Path {
        &self.folder
    }

    fn items(&self) -> &[TrunkItem] {
        &self.blocks.list.contents.items
    }

    fn programs(&self) -> &[TrunkProgram] {
        &self.blocks.list.contents.programs
    }

    fn entries(&self) -> Result<Rows<'_, Entry, EntryRefused>, TrunkError> {
        Ok(Box::new(self.blocks.list.entries()))
    }

    fn left(&self) -> Result<Rows<'_, LeftBehind, EntryRefused>, TrunkError> {
        Ok(Box::new(self.blocks.list.left()))
    }

    fn holds_more(&self) -> bool {
        self.blocks.list.contents.lacks_packs(&self.blocks.parts)
    }

    fn complete_spare(&self, told: &mut dyn FnMut(&str, io::Result<()>)) -> Result<(), TrunkError> {
        let mut told = |file: &str, made| {
            told(file, made);
            Ok(())
        };
        for (_, folder) in self.blocks.parts.folders() {
            let percent = crate::spare::percent_in(folder)
                .map_err(|cause| TrunkError::io("reading recovery data in", folder, cause))?;
            if let Some(percent) = percent {
                let _lock = Lock::take(folder)?;
                let trunk = &self.blocks.list.contents.label.trunk_id;
                without_spare::complete(folder, trunk, self.blocks.key.as_ref(), percent, &mut told)?;
            }
        }
        Ok(())
    }

    fn list_name(&self) -> String {
        self.blocks.list.file.name.clone()
    }

    fn proof(&self) -> Result<CaptureProof, TrunkError> {
        Ok(self.blocks.list.proof())
    }

    fn flaws(&self) -> &[Damage] {
        &self.flaws
    }

    fn open_content(&self, entry: &Entry) -> Result<Box<dyn TrunkContent + Send + '_>, Damage> {
        // A length that a line only claims must not make anybody read for ever, and no file is longer than
        // its system counts.
        if entry.zeros_in_bytes() > entry.size_in_bytes() || entry.size_in_bytes() > i64::MAX as u64 / 2 {
            return Err(Damage::ListsDisagree(entry.address.path.to_string()));
        }
        let rest_in_bytes = entry.size_in_bytes();
        let extents = entry.extents.as_slice().to_vec().into_iter();
        Ok(Box::new(Reading::new(&self.blocks, extents, rest_in_bytes)))
    }

    fn spin(&self) {
        self.blocks.spin();
    }

    fn will_read(&self, entry: &Entry) {
        if let Some(Extent::Contents { block, .. }) = entry.extents.as_slice().first() {
            self.blocks.will_get(*block);
        }
    }

    fn will_read_in_all(&self, size_in_bytes: u64) {
        let rows = self.blocks.packs().files.iter().flat_map(|file| &file.rows);
        let of_contents = rows.filter(|(_, head)| head.kind == Kind::Contents);
        let kept_in_bytes: u64 = of_contents.map(|(_, head)| u64::from(head.raw_in_bytes)).sum();
        // A little comes again in every trunk. Attachments of mails come again and again, long after their
        // block was last asked for.
        let once = size_in_bytes <= kept_in_bytes.saturating_add(kept_in_bytes / 20);
        self.blocks.read_once(once);
    }

    fn is_at_hand(&self, entry: &Entry) -> bool {
        entry.extents.as_slice().iter().all(|extent| match extent {
            Extent::Contents { block, .. } => self.blocks.has(*block),
            Extent::Zeros { .. } => true,
        })
    }

    fn is_proved_by_block(&self, entry: &Entry) -> bool {
        // To see the directory of a sealed block, all of it has to be opened.
        matches!(entry.extents.as_slice(), [Extent::Contents { count: 1, .. }])
            || (self.blocks.key.is_none() && is_scattered(entry))
    }

    fn audit(&self, depth: Depth) -> Result<Box<dyn Audit + '_>, TrunkError> {
        self.blocks.prove_when_read(depth == Depth::Full);
        Ok(Box::new(PackedAudit::new(&self.blocks, &self.flaws, depth)))
    }
}
