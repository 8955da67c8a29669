//! Using an open trunk.

use super::layout::{
    BAG_DECLARATION, BAG_DECLARATION_TEXT, ENTRIES, ITEMS, LABEL, LEFT, MANIFEST, PAYLOAD, PROGRAMS,
    TAG_FILES, TAG_MANIFEST, payload_path_of,
};
use super::manifest;
use super::sha512::Sha512Hash;
use crate::content_hash::content_in;
use crate::form::{Depth, Rows};
use crate::host::{forget_cached, open_plain_file, will_be_read};
use crate::label::{FORMAT, MAJOR};
use crate::{
    Audit, CaptureProof, Content, ContentHash, Damage, Entry, EntryRefused, Label, LeftBehind, Trunk,
    TrunkContent, TrunkError, TrunkItem, TrunkProgram,
};
use porter_names::{RelativePath, host};
use std::collections::{HashMap, HashSet};
use std::fs::{self, File};
use std::io::{self, BufRead, BufReader, Read};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

/// A longer line of a list is damage: the longest real one holds a path and a few small streams.
const LONGEST_LINE_IN_BYTES: u64 = 16 * 1024 * 1024;
/// Tag files that are read whole may not be larger.
const LARGEST_WHOLE_FILE_IN_BYTES: u64 = 64 * 1024 * 1024;

/// Minor version of the first trunks with a list of programs.
const PROGRAMS_SINCE_MINOR: u32 = 1;

/// A finished open trunk.
pub struct OpenTrunk {
    folder: PathBuf,
    label: Label,
    items: Vec<TrunkItem>,
    programs: Vec<TrunkProgram>,
    /// Tag files that are not what was written.
    flaws: Vec<Damage>,
    /// Read from the medium, not from what the system remembers of writing it.
    from_medium: bool,
    /// Payload folders that were seen to be folders and no links.
    plain_folders: Mutex<HashSet<PathBuf>>,
}

impl OpenTrunk {
    /// Opens a trunk; its tag files are proved against the tag manifest, its payload is not. A damaged one is
    /// a flaw, unless nothing can be understood without it: the trunk may be the only copy of its contents.
    pub fn load(folder: &Path) -> Result<Self, TrunkError> {
        let not_a_trunk = |missing: &str| TrunkError::NotATrunk {
            folder: folder.to_path_buf(),
            missing: missing.to_owned(),
        };
        match (folder.join(BAG_DECLARATION).is_file(), folder.join(LABEL).is_file()) {
            (true, true) => {}
            (true, false) => return Err(not_a_trunk(LABEL)),
            (false, true) => return Err(TrunkError::Unfinished(folder.to_path_buf())),
            (false, false) => return Err(not_a_trunk(BAG_DECLARATION)),
        }
        let declaration = read_whole(folder, BAG_DECLARATION)?;
        if declaration != BAG_DECLARATION_TEXT.as_bytes() {
            let shown = String::from_utf8_lossy(&declaration);
            let version = shown.lines().find_map(|line| line.strip_prefix("BagIt-Version:"));
            if let Some(version) = version.map(str::trim).filter(|version| *version != "1.0") {
                return Err(TrunkError::Unsupported {
                    folder: folder.to_path_buf(),
                    reason: format!("it is a BagIt bag of version {version}, and only 1.0 is known"),
                });
            }
        }
        Self::load_parts(folder, false)
    }

    pub(super) fn load_unpublished(folder: &Path) -> Result<Self, TrunkError> {
        Self::load_parts(folder, true)
    }

    fn load_parts(folder: &Path, from_medium: bool) -> Result<Self, TrunkError> {
        let label_text = read_whole(folder, LABEL)?;
        // The version first: the rest of a later label may look different.
        #[derive(serde::Deserialize)]
        struct Outside {
            format: String,
            version: crate::label::FormatVersion,
        }
        let outside: Outside = from_json(LABEL, &label_text)?;
        if outside.format != FORMAT || outside.version.major != MAJOR {
            let reason = format!(
                "its label says {} version {}, and this is {FORMAT} version {MAJOR}",
                outside.format, outside.version.major
            );
            return Err(TrunkError::Unsupported { folder: folder.to_path_buf(), reason });
        }
        let flaws = flaws_of_tag_files(folder, from_medium)?;
        let label = from_json(LABEL, &label_text)?;
        let items = from_json(ITEMS, &read_whole(folder, ITEMS)?)?;
        let programs = if outside.version.minor >= PROGRAMS_SINCE_MINOR {
            let programs = read_whole(folder, PROGRAMS).and_then(|text| from_json(PROGRAMS, &text));
            if is_named(&flaws, PROGRAMS) { programs.unwrap_or_default() } else { programs? }
        } else {
            Vec::new()
        };
        // Without it there is nothing that could be used.
        open_plain_file(&folder.join(ENTRIES))
            .map_err(|cause| TrunkError::Damaged(Damage::of_reading(&cause, ENTRIES)))?;
        Ok(Self {
            flaws,
            folder: folder.to_path_buf(),
            label,
            items,
            programs,
            from_medium,
            plain_folders: Mutex::default(),
        })
    }

    fn lines(&self, name: &'static str) -> Result<Lines, TrunkError> {
        let path = self.folder.join(name);
        let file = open_plain_file(&path).map_err(|cause| TrunkError::io("reading", &path, cause))?;
        Ok(Lines { from: BufReader::with_capacity(256 * 1024, file), number: 0, ended: false })
    }

    /// The same; none for a list that is gone, which is a flaw.
    fn lines_if_there(&self, name: &'static str) -> Result<Option<Lines>, TrunkError> {
        match self.lines(name) {
            Err(_) if is_named(&self.flaws, name) => Ok(None),
            lines => lines.map(Some),
        }
    }

    /// Makes sure that no folder on the way to a payload file is a link: a trunk from a stranger must not
    /// make us read the bench's own files.
    fn refuse_links_above(&self, payload: &RelativePath, shown: &str) -> Result<(), Damage> {
        let mut folder = self.folder.clone();
        let steps: Vec<&[u8]> = payload.steps().collect();
        let known = |folder: &Path| {
            self.plain_folders.lock().unwrap_or_else(PoisonError::into_inner).contains(folder)
        };
        let parent = host_path(&self.folder, &payload.parent().unwrap_or_default())?;
        if known(&parent) {
            return Ok(());
        }
        for step in &steps[..steps.len().saturating_sub(1)] {
            let step = RelativePath::root().join(step).map_err(|_| Damage::FileMissing(shown.to_owned()))?;
            folder = host_path(&folder, &step)?;
            match fs::symlink_metadata(&folder) {
                Ok(found) if found.is_dir() && !found.is_symlink() => {}
                Ok(_) => return Err(Damage::NotAPlainFile(shown.to_owned())),
                Err(cause) => return Err(Damage::of_reading(&cause, shown)),
            }
        }
        self.plain_folders.lock().unwrap_or_else(PoisonError::into_inner).insert(folder);
        Ok(())
    }
}

impl Trunk for OpenTrunk {
    fn label(&self) -> &Label {
        &self.label
    }

    fn folder(&self) -> &Path {
        &self.folder
    }

    fn items(&self) -> &[TrunkItem] {
        &self.items
    }

    fn programs(&self) -> &[TrunkProgram] {
        &self.programs
    }

    fn entries(&self) -> Result<Rows<'_, Entry, EntryRefused>, TrunkError> {
        Ok(Box::new(self.lines(ENTRIES)?.map(|(number, line)| match line {
            Ok(line) => Entry::from_line(&line, number),
            Err(problem) => Err(EntryRefused { line: number, item: None, path: Vec::new(), problem }),
        })))
    }

    fn left(&self) -> Result<Rows<'_, LeftBehind, EntryRefused>, TrunkError> {
        Ok(Box::new(self.lines_if_there(LEFT)?.into_iter().flatten().map(|(number, line)| {
            line.and_then(|line| serde_json::from_slice(&line).map_err(|cause| cause.to_string()))
                .map_err(|problem| EntryRefused { line: number, item: None, path: Vec::new(), problem })
        })))
    }

    fn open_content(&self, entry: &Entry) -> Result<Box<dyn TrunkContent + Send + '_>, Damage> {
        let address = &entry.address;
        let shown_path = address.safe_path.as_ref().unwrap_or(&address.path);
        let payload = payload_path_of(entry).map_err(|_| Damage::FileMissing(shown_path.to_string()))?;
        let shown = shown(&payload);
        self.refuse_links_above(&payload, &shown)?;
        let file = open_plain_file(&host_path(&self.folder, &payload)?)
            .map_err(|cause| Damage::of_reading(&cause, &shown))?;
        if self.from_medium {
            forget_cached(&file);
        }
        // The beginning of a large file is enough; from there the system reads ahead.
        will_be_read(&file, 0, 512 * 1024);
        Ok(Box::new(content_in(file, entry.size_in_bytes())))
    }

    fn flaws(&self) -> &[Damage] {
        &self.flaws
    }

    fn list_name(&self) -> String {
        ENTRIES.to_owned()
    }

    /// It is captured once; its tag manifest pins down all the rest.
    fn proof(&self) -> Result<CaptureProof, TrunkError> {
        let path = self.folder.join(TAG_MANIFEST);
        let hash = open_plain_file(&path).and_then(|mut file| ContentHash::of_reader(&mut file));
        // One that is gone is a flaw, and proves nothing.
        Ok(CaptureProof { capture: 1, list: hash.map_or_else(|_| String::new(), |hash| hash.to_string()) })
    }

    fn audit(&self, _depth: Depth) -> Result<Box<dyn Audit + '_>, TrunkError> {
        let mut audit =
            OpenAudit { trunk: self, listed: HashMap::new(), damage: self.flaws.clone(), is_blind: false };
        let Some(lines) = self.lines_if_there(MANIFEST)? else {
            audit.is_blind = true;
            return Ok(Box::new(audit));
        };
        for (number, line) in lines {
            match line.and_then(|line| manifest::from_line(&line)) {
                Ok((_, path)) => {
                    audit.listed.insert(path, false);
                }
                Err(problem) => {
                    audit.damage.push(Damage::BadLine { file: MANIFEST.to_owned(), line: number, problem });
                }
            }
        }
        Ok(Box::new(audit))
    }
}

/// The manifest, against the list of entries and against the payload that is there.
struct OpenAudit<'t> {
    trunk: &'t OpenTrunk,
    /// The files in the manifest, and whether an entry was seen for each.
    listed: HashMap<RelativePath, bool>,
    damage: Vec<Damage>,
    /// The manifest is gone: then a missing line proves nothing.
    is_blind: bool,
}

impl Audit for OpenAudit<'_> {
    fn see(&mut self, entry: &Entry, _is_whole: bool) -> Option<Damage> {
        let Content::File { .. } = &entry.content else { return None };
        let path = payload_path_of(entry).ok()?;
        match self.listed.get_mut(&path) {
            Some(seen) => {
                *seen = true;
                None
            }
            None => (!self.is_blind).then(|| Damage::ListsDisagree(shown(&path))),
        }
    }

    fn finish(mut self: Box<Self>) -> Result<Vec<Damage>, TrunkError> {
        let unseen = self.listed.iter().filter(|(_, seen)| !**seen);
        let mut unseen: Vec<Damage> = unseen.map(|(path, _)| Damage::ListsDisagree(shown(path))).collect();
        self.damage.append(&mut unseen);
        let mut folders: Vec<RelativePath> =
            RelativePath::from_bytes(PAYLOAD.as_bytes()).into_iter().collect();
        while let Some(folder) = folders.pop() {
            let Ok(host_folder) = host_path(&self.trunk.folder, &folder) else { continue };
            let failed = |cause| TrunkError::io("looking into", &host_folder, cause);
            for row in fs::read_dir(&host_folder).map_err(failed)? {
                let row = row.map_err(failed)?;
                let Ok(path) = folder.join(&host::name_from_host(&row.file_name())) else { continue };
                let kind = row.file_type().map_err(failed)?;
                if kind.is_dir() {
                    folders.push(path);
                } else if !kind.is_file() {
                    self.damage.push(Damage::NotAPlainFile(shown(&path)));
                } else if !self.is_blind && !self.listed.contains_key(&path) {
                    self.damage.push(Damage::FileNotListed(shown(&path)));
                }
            }
        }
        Ok(self.damage)
    }
}

fn shown(path: &RelativePath) -> String {
    String::from_utf8_lossy(path.as_bytes()).into_owned()
}

fn host_path(root: &Path, below: &RelativePath) -> Result<PathBuf, Damage> {
    host::to_host(root, below).map_err(|_| Damage::FileMissing(below.to_string()))
}

fn read_whole(folder: &Path, name: &str) -> Result<Vec<u8>, TrunkError> {
    let path = folder.join(name);
    let mut content = Vec::new();
    open_plain_file(&path)
        .and_then(|file| file.take(LARGEST_WHOLE_FILE_IN_BYTES).read_to_end(&mut content))
        .map_err(|cause| match cause.kind() {
            io::ErrorKind::NotFound => TrunkError::Damaged(Damage::FileMissing(name.to_owned())),
            _ => TrunkError::io("reading", &path, cause),
        })?;
    Ok(content)
}

/// Reads a tag file's JSON; what is wrong with it is damage at a line of that file.
fn from_json<T: serde::de::DeserializeOwned>(name: &str, text: &[u8]) -> Result<T, TrunkError> {
    serde_json::from_slice(text).map_err(|cause| {
        TrunkError::Damaged(Damage::BadLine {
            file: name.to_owned(),
            line: cause.line() as u64,
            problem: cause.to_string(),
        })
    })
}

/// True if one of them is about this file.
fn is_named(flaws: &[Damage], name: &str) -> bool {
    flaws.iter().any(|flaw| flaw.file() == name)
}

/// Every tag file must be named by the tag manifest and be what it says.
fn flaws_of_tag_files(folder: &Path, unpublished: bool) -> Result<Vec<Damage>, TrunkError> {
    let text = match read_whole(folder, TAG_MANIFEST) {
        Err(TrunkError::Damaged(damage)) => return Ok(vec![damage]),
        text => text?,
    };
    let mut flaws = Vec::new();
    let mut proved = HashMap::new();
    for (number, line) in (1..).zip(text.split(|b| *b == b'\n').filter(|line| !line.is_empty())) {
        match manifest::from_line(line) {
            Ok((hash, path)) => {
                proved.insert(path.as_bytes().to_vec(), hash);
            }
            Err(problem) => {
                flaws.push(Damage::BadLine { file: TAG_MANIFEST.to_owned(), line: number, problem });
            }
        }
    }
    for name in TAG_FILES {
        if unpublished && name == BAG_DECLARATION {
            continue;
        }
        if name == PROGRAMS && !proved.contains_key(name.as_bytes()) && !folder.join(name).exists() {
            continue;
        }
        let Some(expected) = proved.get(name.as_bytes()) else {
            flaws.push(Damage::ListsDisagree(name.to_owned()));
            continue;
        };
        let found = open_plain_file(&folder.join(name)).and_then(|mut file| {
            if unpublished {
                forget_cached(&file);
            }
            Sha512Hash::of_reader(&mut file)
        });
        match found {
            Ok(found) if found == *expected => {}
            Ok(_) => flaws.push(Damage::ContentChanged(name.to_owned())),
            Err(cause) => flaws.push(Damage::of_reading(&cause, name)),
        }
    }
    Ok(flaws)
}

/// The lines of a list, counted from 1, none longer than is reasonable.
struct Lines {
    from: BufReader<File>,
    number: u64,
    ended: bool,
}

impl Iterator for Lines {
    type Item = (u64, Result<Vec<u8>, String>);

    fn next(&mut self) -> Option<Self::Item> {
        if self.ended {
            return None;
        }
        self.number += 1;
        let mut line = Vec::new();
        match (&mut self.from).take(LONGEST_LINE_IN_BYTES).read_until(b'\n', &mut line) {
            Ok(0) => None,
            Ok(_) => {
                if line.last() == Some(&b'\n') {
                    line.pop();
                } else if line.len() as u64 == LONGEST_LINE_IN_BYTES {
                    return Some((self.number, Err("the line is longer than any real one".to_owned())));
                }
                Some((self.number, Ok(line)))
            }
            Err(cause) => {
                // Asking again would give the same error for ever.
                self.ended = true;
                Some((self.number, Err(cause.to_string())))
            }
        }
    }
}
