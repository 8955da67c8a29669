//! Deleted files whose records are still there, and whose clusters nobody has taken since. They stand in a
//! folder of their own, below the names of the folders they were in: never among the files that are there.

use super::attribute::AttributeKind;
use super::clusters::Clusters;
use super::content::Content;
use super::file_name::FileName;
use super::record::{Record, Reference};
use crate::tree::{Facts, Node, Tree};
use porter_source::{EntryKind, VolumeFile};
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

const ROOT: u64 = 5;
/// A record that every file system has for itself stands for the folder.
const FOLDER_NODE: Node = 2;
const FOLDER: &str = "(deleted files)";
/// Folders in folders, as deep as they are looked up.
const MOST_STEPS: usize = 128;

/// A file or folder that was deleted.
pub(super) struct Deleted {
    node: Node,
    /// The record counts one more since the deletion.
    sequence: u16,
    name: FileName,
    is_folder: bool,
    modified_in_ticks: u64,
    windows_attributes: u32,
    content: Option<Content>,
}

impl Deleted {
    /// None if the record does not tell enough: pieces of it lay in others.
    pub(super) fn from_record(node: Node, record: &Record, clusters: &Arc<Clusters>) -> Option<Self> {
        if record.base.is_some() {
            return None;
        }
        let names = || {
            let values = record.attributes().filter(|found| found.kind == AttributeKind::FileName);
            values.filter_map(|found| found.resident_value()).filter_map(FileName::from_bytes)
        };
        let name = names().find(|name| !name.is_dos).or_else(|| names().next())?;
        let is_folder = record.is_folder();
        let records = std::slice::from_ref(record);
        let content = Content::of(clusters, records, AttributeKind::Data, None).ok();
        Some(Self {
            node,
            sequence: record.sequence,
            is_folder,
            modified_in_ticks: name.modified_in_ticks,
            windows_attributes: name.windows_attributes & 0x27,
            content: content.filter(|content| !is_folder && !content.is_encrypted()),
            name,
        })
    }

    /// True if all that it had is still as it was.
    fn is_whole(&self, in_use: &[u8]) -> bool {
        let is_free = |cluster: u64| {
            let byte = usize::try_from(cluster / 8).ok().and_then(|at| in_use.get(at));
            byte.is_some_and(|byte| byte >> (cluster % 8) & 1 == 0)
        };
        self.content
            .as_ref()
            .is_some_and(|content| content.size_in_bytes() > 0 && content.clusters_on_volume().all(is_free))
    }
}

/// A folder, as a path is put together from it: how often its record was given away, where it is, and its
/// name.
pub(super) struct FolderName {
    pub(super) sequence: u16,
    pub(super) parent: Reference,
    pub(super) name: Vec<u8>,
}

/// Adds the files to the tree. `first_free` is a number that no record has; `folders` are those that are
/// there.
pub(super) fn add(
    tree: &mut Tree,
    deleted: &[Deleted],
    folders: &HashMap<u64, FolderName>,
    in_use: &[u8],
    first_free: Node,
) {
    let gone: HashMap<u64, &Deleted> =
        deleted.iter().filter(|found| found.is_folder).map(|found| (u64::from(found.node), found)).collect();
    let path_of = |mut at: Reference| {
        let mut steps: Vec<Vec<u8>> = Vec::new();
        while at.number != ROOT && steps.len() < MOST_STEPS {
            let there = folders.get(&at.number).filter(|folder| folder.sequence == at.sequence);
            let was = gone.get(&at.number).filter(|folder| folder.sequence == at.sequence.wrapping_add(1));
            let (name, parent) = match (there, was) {
                (Some(folder), _) => (folder.name.clone(), folder.parent),
                (None, Some(folder)) => (folder.name.name.clone(), folder.name.parent),
                (None, None) => {
                    steps.push(format!("(folder {})", at.number).into_bytes());
                    break;
                }
            };
            steps.push(name);
            at = parent;
        }
        steps.reverse();
        steps
    };
    let mut nodes: BTreeMap<Vec<Vec<u8>>, Node> = BTreeMap::new();
    let mut next = first_free;
    for found in deleted.iter().filter(|found| found.is_whole(in_use)) {
        if nodes.is_empty() {
            tree.set_facts(FOLDER_NODE, Facts::FOLDER);
            tree.name(tree.root(), FOLDER_NODE, FOLDER.as_bytes());
            nodes.insert(Vec::new(), FOLDER_NODE);
        }
        let steps = path_of(found.name.parent);
        let mut folder = FOLDER_NODE;
        for depth in 1..=steps.len() {
            folder = match nodes.get(&steps[..depth]) {
                Some(node) => *node,
                None => {
                    tree.set_facts(next, Facts::FOLDER);
                    tree.name(folder, next, &steps[depth - 1]);
                    nodes.insert(steps[..depth].to_vec(), next);
                    next += 1;
                    next - 1
                }
            };
        }
        let size_in_bytes = found.content.as_ref().map_or(0, Content::size_in_bytes);
        tree.set_facts(
            found.node,
            Facts {
                kind: EntryKind::File,
                size_in_bytes,
                modified_in_ticks: found.modified_in_ticks,
                windows_attributes: found.windows_attributes,
                ..Facts::FOLDER
            },
        );
        // Several of one name were there one after the other, so each has the number of its record.
        let name = String::from_utf8_lossy(&found.name.name).into_owned();
        let name = match name.rsplit_once('.').filter(|(stem, _)| !stem.is_empty()) {
            Some((stem, ending)) => format!("{stem} (recovered {}).{ending}", found.node),
            None => format!("{name} (recovered {})", found.node),
        };
        tree.name(folder, found.node, name.as_bytes());
    }
}

/// Whole bitmap of clusters; what of it cannot be read counts as in use.
pub(super) fn clusters_in_use(bitmap: &dyn VolumeFile, clusters: u64) -> Vec<u8> {
    let mut bits = vec![0xff; usize::try_from(clusters.div_ceil(8)).unwrap_or_default()];
    for (number, piece) in bits.chunks_mut(1 << 20).enumerate() {
        let mut read = vec![0; piece.len()];
        if let Ok(length) = bitmap.read_at((number as u64) << 20, &mut read) {
            piece[..length].copy_from_slice(&read[..length]);
        }
    }
    bits
}
