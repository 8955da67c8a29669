//! Filling an open trunk.

use super::layout::{
    BAG_DECLARATION, BAG_DECLARATION_TEXT, BAG_INFO, ENTRIES, ITEMS, LABEL, LEFT, MANIFEST, OWN_FOLDER,
    PAYLOAD, PROGRAMS, TAG_FILES, TAG_MANIFEST, payload_path, payload_path_of,
};
use super::sha512::{Sha512, Sha512Hash};
use super::{OpenTrunk, bag_info, manifest};
use crate::content_hash::{ContentHasher, PieceFailed, read_in_pieces};
use crate::flush_volume;
use crate::host::open_plain_file;
use crate::{
    Content, Entry, EntryAddress, Extents, Inventory, Label, LeftBehind, StoreError, Stored, Tally, Trunk,
    TrunkError, TrunkWriter,
};
use porter_names::{NameRules, RelativePath, host};
use std::collections::{HashMap, HashSet};
use std::fs::{self, File};
use std::io::{self, BufWriter, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use time::OffsetDateTime;

/// An open trunk that is being filled.
pub struct OpenTrunkWriter {
    folder: PathBuf,
    label: Label,
    name_rules: NameRules,
    lists: Mutex<Lists>,
    folders_made: Mutex<HashSet<PathBuf>>,
    /// For the manifest: of files that were stored and are not recorded yet.
    stored: Mutex<HashMap<RelativePath, Sha512Hash>>,
}

struct Lists {
    entries: BufWriter<File>,
    left: BufWriter<File>,
    manifest: BufWriter<File>,
    payload: Tally,
}

impl OpenTrunkWriter {
    /// Begins a trunk in `folder`, which is made if it is not there and must be empty if it is.
    pub fn create(folder: &Path, label: Label) -> Result<Self, TrunkError> {
        refuse_unless_free(folder)?;
        for needed in [folder.join(OWN_FOLDER), folder.join(PAYLOAD)] {
            fs::create_dir_all(&needed)
                .map_err(|cause| TrunkError::io("making the folder", &needed, cause))?;
        }
        write_json(&folder.join(LABEL), &label)?;
        let list = |name: &str| {
            let path = folder.join(name);
            let file = File::create_new(&path).map_err(|cause| TrunkError::io("making", &path, cause))?;
            Ok::<_, TrunkError>(BufWriter::with_capacity(256 * 1024, file))
        };
        let lists = Lists {
            entries: list(ENTRIES)?,
            left: list(LEFT)?,
            manifest: list(MANIFEST)?,
            payload: Tally::default(),
        };
        Ok(Self {
            folder: folder.to_path_buf(),
            label,
            name_rules: names_that_fit(folder),
            lists: Mutex::new(lists),
            folders_made: Mutex::default(),
            stored: Mutex::default(),
        })
    }

    fn lists(&self) -> MutexGuard<'_, Lists> {
        // A list that a panicking thread left half-written would be found by the read-back.
        self.lists.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn host_path(&self, below: &RelativePath) -> Result<PathBuf, TrunkError> {
        host::to_host(&self.folder, below)
            .map_err(|cause| TrunkError::io("writing", &self.folder, io::Error::other(cause)))
    }

    fn payload(&self, address: &EntryAddress) -> Result<RelativePath, TrunkError> {
        payload_path(address)
            .map_err(|refused| TrunkError::io("writing", &self.folder, io::Error::other(refused)))
    }

    fn make_folder(&self, folder: &Path) -> Result<(), TrunkError> {
        let mut made = self.folders_made.lock().unwrap_or_else(PoisonError::into_inner);
        if !made.contains(folder) {
            fs::create_dir_all(folder).map_err(|cause| TrunkError::io("making the folder", folder, cause))?;
            made.insert(folder.to_path_buf());
        }
        Ok(())
    }
}

impl TrunkWriter for OpenTrunkWriter {
    fn name_rules(&self) -> NameRules {
        self.name_rules
    }

    fn store(
        &self,
        address: &EntryAddress,
        modified_utc: Option<OffsetDateTime>,
        content: &mut dyn Read,
        progress: &dyn Fn(u64),
    ) -> Result<Stored, StoreError> {
        let payload = self.payload(address)?;
        let path = self.host_path(&payload)?;
        if let Some(parent) = path.parent() {
            self.make_folder(parent)?;
        }
        let was_stored = self.stored.lock().unwrap_or_else(PoisonError::into_inner).remove(&payload);
        if was_stored.is_some() {
            fs::remove_file(&path).map_err(|cause| TrunkError::io("making", &path, cause))?;
        }
        let mut file = File::create_new(&path).map_err(|cause| TrunkError::io("making", &path, cause))?;
        let stored = copy_and_hash(content, &mut file, progress).map_err(|failed| match failed {
            PieceFailed::Reading(cause) => StoreError::Source(cause),
            PieceFailed::Using(cause) if cause.kind() == io::ErrorKind::FileTooLarge => StoreError::TooLarge,
            PieceFailed::Using(cause) => StoreError::Trunk(TrunkError::io("writing", &path, cause)),
        });
        match &stored {
            Ok((_, sha512)) => {
                let mut stored = self.stored.lock().unwrap_or_else(PoisonError::into_inner);
                stored.insert(payload, *sha512);
                drop(stored);
                if let Some(modified_utc) = modified_utc {
                    // For a person who browses the trunk; the true time stands in the list of entries.
                    let _ = file.set_modified(modified_utc.into());
                }
            }
            Err(_) => {
                // A half-written file is not in the lists, so it must not stay.
                drop(file);
                let _ = fs::remove_file(&path);
            }
        }
        stored.map(|(stored, _)| stored)
    }

    fn discard(&self, address: &EntryAddress) -> Result<(), TrunkError> {
        let payload = self.payload(address)?;
        if self.stored.lock().unwrap_or_else(PoisonError::into_inner).remove(&payload).is_some() {
            let path = self.host_path(&payload)?;
            fs::remove_file(&path).map_err(|cause| TrunkError::io("removing", &path, cause))?;
        }
        Ok(())
    }

    fn record(&self, entry: &Entry) -> Result<(), TrunkError> {
        let payload = self.payload(&entry.address)?;
        if entry.content == Content::Folder {
            self.make_folder(&self.host_path(&payload)?)?;
        }
        let mut lists = self.lists();
        let mut line =
            entry.to_line().map_err(|cause| TrunkError::io("listing", &self.folder, cause.into()))?;
        line.push('\n');
        lists
            .entries
            .write_all(line.as_bytes())
            .map_err(|cause| TrunkError::io("writing", &self.folder.join(ENTRIES), cause))?;
        if let Content::File { size_in_bytes, .. } = &entry.content {
            lists.payload += Tally::file(*size_in_bytes);
            let sha512 = self.stored.lock().unwrap_or_else(PoisonError::into_inner).remove(&payload);
            let Some(sha512) = sha512 else {
                let cause = io::Error::other("an entry was recorded whose content was not stored");
                return Err(TrunkError::io("listing", &self.folder.join(MANIFEST), cause));
            };
            let named = payload_path_of(entry).unwrap_or_else(|_| payload.clone());
            if named != payload {
                let (from, to) = (self.host_path(&payload)?, self.host_path(&named)?);
                if to.symlink_metadata().is_ok() {
                    return Err(TrunkError::io("naming", &to, io::ErrorKind::AlreadyExists.into()));
                }
                fs::rename(&from, &to).map_err(|cause| TrunkError::io("naming", &to, cause))?;
            }
            manifest::write_line(&mut lists.manifest, &sha512, &named)
                .map_err(|cause| TrunkError::io("writing", &self.folder.join(MANIFEST), cause))?;
        }
        Ok(())
    }

    fn record_left(&self, left: &LeftBehind) -> Result<(), TrunkError> {
        let mut lists = self.lists();
        serde_json::to_writer(&mut lists.left, left)
            .map_err(io::Error::from)
            .and_then(|()| lists.left.write_all(b"\n"))
            .map_err(|cause| TrunkError::io("writing", &self.folder.join(LEFT), cause))
    }

    fn close(&self, inventory: &Inventory<'_>, finished_utc: OffsetDateTime) -> Result<(), TrunkError> {
        let payload = {
            let mut lists = self.lists();
            let Lists { entries, left, manifest, .. } = &mut *lists;
            for (list, name) in [(entries, ENTRIES), (left, LEFT), (manifest, MANIFEST)] {
                list.flush().map_err(|cause| TrunkError::io("writing", &self.folder.join(name), cause))?;
            }
            lists.payload
        };
        write_json(&self.folder.join(ITEMS), inventory.items)?;
        write_json(&self.folder.join(PROGRAMS), inventory.programs)?;
        write_new(
            &self.folder.join(BAG_INFO),
            bag_info::text(&self.label, payload, finished_utc).as_bytes(),
        )?;

        let mut tag_manifest = Vec::new();
        for name in TAG_FILES {
            let hash = if name == BAG_DECLARATION {
                Sha512Hash::of(BAG_DECLARATION_TEXT.as_bytes())
            } else {
                let path = self.folder.join(name);
                open_plain_file(&path)
                    .and_then(|mut file| Sha512Hash::of_reader(&mut file))
                    .map_err(|cause| TrunkError::io("reading back", &path, cause))?
            };
            tag_manifest.extend_from_slice(format!("{hash}  {name}\n").as_bytes());
        }
        write_new(&self.folder.join(TAG_MANIFEST), &tag_manifest)?;
        flush_volume(&self.folder).map_err(|cause| TrunkError::io("flushing", &self.folder, cause))
    }

    fn read_back(&self) -> Result<Box<dyn Trunk>, TrunkError> {
        Ok(Box::new(OpenTrunk::load_unpublished(&self.folder)?))
    }

    fn publish(&self) -> Result<(), TrunkError> {
        let aside = self.folder.join("bagit.txt.new");
        let declaration = self.folder.join(BAG_DECLARATION);
        write_new(&aside, BAG_DECLARATION_TEXT.as_bytes())?;
        fs::rename(&aside, &declaration)
            .map_err(|cause| TrunkError::io("publishing", &declaration, cause))?;
        flush_volume(&self.folder).map_err(|cause| TrunkError::io("flushing", &self.folder, cause))
    }
}

/// Finds out by trying: old drivers for FAT take no letters beyond ASCII, or turn them into others.
fn names_that_fit(folder: &Path) -> NameRules {
    const PROBE: &str = "probe é 🪁.new";
    let path = folder.join(OWN_FOLDER).join(PROBE);
    let made = File::create_new(&path).is_ok();
    let is_probe = |row: io::Result<fs::DirEntry>| row.is_ok_and(|row| row.file_name() == PROBE);
    let fits = made && fs::read_dir(folder.join(OWN_FOLDER)).is_ok_and(|mut rows| rows.any(is_probe));
    let _ = fs::remove_file(&path);
    NameRules { only_ascii: !fits, ..NameRules::TRUNK }
}

/// Only an empty folder may become a trunk.
fn refuse_unless_free(folder: &Path) -> Result<(), TrunkError> {
    let shown = folder.to_path_buf();
    crate::host::refuse_unless_empty(folder).map_err(|error| {
        match (error, folder.join(LABEL).exists(), folder.join(BAG_DECLARATION).exists()) {
            (TrunkError::HoldsSomethingElse(_), true, true) => TrunkError::HoldsTrunk(shown),
            (TrunkError::HoldsSomethingElse(_), true, false) => TrunkError::Unfinished(shown),
            (error, ..) => error,
        }
    })
}

fn write_json<T: serde::Serialize + ?Sized>(path: &Path, value: &T) -> Result<(), TrunkError> {
    let text = serde_json::to_vec_pretty(value);
    let mut text = text.map_err(|cause| TrunkError::io("writing", path, cause.into()))?;
    text.push(b'\n');
    write_new(path, &text)
}

fn write_new(path: &Path, content: &[u8]) -> Result<(), TrunkError> {
    File::create_new(path)
        .and_then(|mut file| file.write_all(content).and_then(|()| file.sync_all()))
        .map_err(|cause| TrunkError::io("writing", path, cause))
}

fn copy_and_hash(
    from: &mut dyn Read,
    to: &mut File,
    progress: &dyn Fn(u64),
) -> Result<(Stored, Sha512Hash), PieceFailed<io::Error>> {
    let mut hasher = ContentHasher::default();
    let mut sha512 = Sha512::new();
    let mut size_in_bytes = 0;
    read_in_pieces(from, |piece| {
        to.write_all(piece)?;
        hasher.update(piece);
        sha512.update(piece);
        size_in_bytes += piece.len() as u64;
        progress(piece.len() as u64);
        Ok(())
    })?;
    Ok((Stored { size_in_bytes, hash: hasher.finish(), extents: Extents::None }, sha512.finish()))
}
