//! One pass through the table of files: names, parents and facts of everything.

use super::attribute::{Attribute, AttributeKind, STANDARD_INFORMATION_IN_BYTES};
use super::content::Content;
use super::deleted::{self, Deleted, FolderName};
use super::file_name::FileName;
use super::record::{Record, Reference};
use super::reparse::{LINK_OF_UNIX, Reparse};
use super::runs;
use super::table::Table;
use crate::file_system::{Caution, FileSystemError};
use crate::numbers::{le_u16, le_u32, le_u64, utf16};
use crate::tree::{Facts, KeptName, Node, Tree};
use porter_source::{EntryKind, Shut};
use std::collections::BTreeSet;

const ROOT: Node = 5;
const VOLUME: Node = 3;
/// The records before it are the file system's own, the root apart.
const FIRST_OF_PEOPLE: Node = 16;
/// `FOLDER` of [MS-FSCC] 2.6, which the record says in its own way.
const FOLDER: u32 = 0x10;
const SYSTEM: u32 = 0x4;
/// The bits that programs see.
const SEEN: u32 = 0x00ff_ffb7;
const NOT_CLOSED: u16 = 1;
/// From here on a file counts as long, and holes in it are asked for.
const LONG_IN_BYTES: u64 = 1 << 20;
/// So much of the table is read at once.
const PIECE_IN_BYTES: usize = 4 << 20;
/// The folder for what is known to be in folders whose own records cannot be read.
const LOST: &str = "(folders without a name)";
/// The folder for what is in a folder that is none any more.
const ORPHANS: &str = "(files without a folder)";
/// Records that every file system has for itself, and that are not listed, stand for these two.
const LOST_NODE: Node = 0;
const ORPHANS_NODE: Node = 1;

/// The result of the pass.
pub(super) struct Swept {
    pub(super) tree: Tree,
    pub(super) label: Option<String>,
    pub(super) cautions: Vec<Caution>,
    pub(super) further: Vec<(u32, u32)>,
}

/// A name, as a record has it.
#[derive(Clone, Copy)]
struct Name {
    parent: Reference,
    node: Node,
    /// None if no path can have it.
    name: Option<KeptName>,
    is_dos: bool,
}

/// A record, as far as others refer to it.
#[derive(Debug, Clone, Copy, Default)]
struct Used {
    is_in_use: bool,
    is_folder: bool,
    /// How often it was given away.
    sequence: u16,
}

#[derive(Default)]
struct Pass {
    tree: Tree,
    names: Vec<Name>,
    used: Vec<Used>,
    further: Vec<(Reference, Node)>,
    unreadable: BTreeSet<Node>,
    label: Option<String>,
    is_not_closed: bool,
    /// Whose reparse points are outside of their records.
    to_ask: Vec<Node>,
    /// None if they are not wanted.
    deleted: Option<Vec<Deleted>>,
}

pub(super) fn sweep(table: &Table, deleted: bool) -> Result<Swept, FileSystemError> {
    let mut pass = Pass { tree: Tree::new(ROOT), deleted: deleted.then(Vec::new), ..Pass::default() };
    pass.read(table)?;
    Ok(pass.finish(table))
}

impl Pass {
    /// Reads the table in large pieces; where one fails, record by record.
    fn read(&mut self, table: &Table) -> Result<(), FileSystemError> {
        let clusters = table.clusters();
        let (cluster_in_bytes, record_in_bytes) =
            (clusters.boot.cluster_in_bytes, clusters.boot.record_in_bytes);
        let mut next = 0_u64;
        for run in table.runs() {
            let Some(on_volume) = run.on_volume else { continue };
            let run_end = run.end().saturating_mul(cluster_in_bytes) / record_in_bytes as u64;
            // A record that lies in two runs is read by itself.
            next = next.max((run.first * cluster_in_bytes).div_ceil(record_in_bytes as u64));
            while next < run_end.min(table.count()) {
                let within = next * record_in_bytes as u64 - run.first * cluster_in_bytes;
                let count = (PIECE_IN_BYTES / record_in_bytes) as u64;
                let count = count.min(run_end.min(table.count()) - next);
                let length = count as usize * record_in_bytes;
                let Ok(first) = Node::try_from(next) else { return Ok(()) };
                match clusters.stretch(on_volume, within, length) {
                    Ok(piece) => {
                        for (bytes, number) in piece.chunks_exact(record_in_bytes).zip(first..) {
                            self.take(number, bytes.to_vec(), table);
                        }
                    }
                    Err(cause) if clusters.source.is_gone() => return Err(cause.into()),
                    Err(_) => {
                        for number in first..first.saturating_add(count as u32) {
                            match table.bytes(number).or_else(|_| table.bytes_by_sector(number)) {
                                Ok(bytes) => self.take(number, bytes, table),
                                Err(cause) if clusters.source.is_gone() => return Err(cause.into()),
                                Err(_) => drop(self.unreadable.insert(number)),
                            }
                        }
                    }
                }
                next += count;
            }
        }
        Ok(())
    }

    fn take(&mut self, number: Node, bytes: Vec<u8>, table: &Table) {
        // Never used: most tables are longer than they need to be.
        if bytes.iter().take(4).all(|byte| *byte == 0) {
            return;
        }
        let Some(record) = Record::from_bytes(bytes) else {
            self.unreadable.insert(number);
            return;
        };
        if !record.is_in_use() {
            if let Some(deleted) = self.deleted.as_mut().filter(|_| number >= FIRST_OF_PEOPLE) {
                deleted.extend(Deleted::from_record(number, &record, table.clusters()));
            }
            return;
        }
        if number as usize >= self.used.len() {
            self.used.resize(number as usize + 1, Used::default());
        }
        self.used[number as usize] =
            Used { is_in_use: true, is_folder: record.is_folder(), sequence: record.sequence };
        match record.base {
            // Whether it is still of that file is known when all records are.
            Some(base) => self.further.push((base, number)),
            None if number == VOLUME => self.take_volume(&record),
            // Its bitmap of clusters and the like are not listed.
            None if number < FIRST_OF_PEOPLE && number != ROOT => {}
            None => {
                let kind = if record.is_folder() { EntryKind::Folder } else { EntryKind::File };
                self.tree.set_facts(number, Facts { kind, ..Facts::FOLDER });
                self.take_attributes(number, &record, table);
            }
        }
    }

    fn take_volume(&mut self, record: &Record) {
        for found in record.attributes() {
            let value = found.resident_value();
            match found.kind {
                AttributeKind::VolumeName => {
                    self.label = value.map(utf16).filter(|label| !label.is_empty());
                }
                AttributeKind::VolumeInformation => {
                    let flags = value.and_then(|value| le_u16(value, 10)).unwrap_or_default();
                    self.is_not_closed = flags & NOT_CLOSED != 0;
                }
                _ => {}
            }
        }
    }

    fn take_attributes(&mut self, node: Node, record: &Record, table: &Table) {
        for found in record.attributes() {
            match found.kind {
                AttributeKind::StandardInformation => self.take_standard(node, &found),
                AttributeKind::FileName => {
                    if let Some(name) = found.resident_value().and_then(FileName::from_bytes) {
                        self.take_name(node, &name);
                    }
                }
                AttributeKind::Data if !found.has_name() => {
                    self.take_size(node, &found);
                    self.take_beginning(node, &found, table);
                }
                AttributeKind::ReparsePoint => match found.resident_value() {
                    Some(value) => self.take_reparse(node, Reparse::from_bytes(value)),
                    None if found.is_first_piece() => self.to_ask.push(node),
                    None => {}
                },
                _ => {}
            }
        }
    }

    fn take_name(&mut self, node: Node, name: &FileName) {
        let kept = self.tree.keep_name(&name.name);
        self.names.push(Name { parent: name.parent, node, name: kept, is_dos: name.is_dos });
    }

    fn take_standard(&mut self, node: Node, found: &Attribute<'_>) {
        let value = found.resident_value().filter(|value| value.len() >= STANDARD_INFORMATION_IN_BYTES);
        if let (Some(value), Some(facts)) = (value, self.tree.facts_mut(node)) {
            facts.modified_in_ticks = le_u64(value, 8).unwrap_or_default();
            let folder = if facts.kind == EntryKind::Folder { FOLDER } else { 0 };
            facts.windows_attributes = le_u32(value, 32).unwrap_or_default() & SEEN | folder;
        }
    }

    fn take_size(&mut self, node: Node, found: &Attribute<'_>) {
        if let (Some(size_in_bytes), Some(facts)) = (found.size_in_bytes(), self.tree.facts_mut(node)) {
            facts.size_in_bytes = size_in_bytes;
            let allocated = found.allocated_in_bytes().filter(|_| !found.is_compressed());
            facts.sparse =
                size_in_bytes >= LONG_IN_BYTES && allocated.is_some_and(|a| a < size_in_bytes / 8 * 7);
            let is_system = facts.windows_attributes & SYSTEM != 0;
            if is_system && found.resident_value().is_some_and(|value| value.starts_with(LINK_OF_UNIX)) {
                facts.kind = EntryKind::Link;
            }
        }
    }

    fn take_beginning(&mut self, node: Node, found: &Attribute<'_>, table: &Table) {
        let Some(outside) = found.non_resident().filter(|outside| outside.first_cluster == 0) else { return };
        let first = runs::first_on_volume(outside.runs);
        if let (Some(cluster), Some(facts)) = (first, self.tree.facts_mut(node)) {
            let cluster_in_bytes = table.clusters().boot.cluster_in_bytes;
            facts.begins_at_in_bytes = cluster.saturating_mul(cluster_in_bytes);
        }
    }

    fn take_reparse(&mut self, node: Node, reparse: Option<Reparse>) {
        let Some(facts) = self.tree.facts_mut(node) else { return };
        match reparse {
            Some(Reparse::Link(_)) => facts.kind = EntryKind::Link,
            Some(Reparse::NotAFile) => facts.kind = EntryKind::Other,
            Some(Reparse::Shut(tag)) => facts.shut = Some(Shut::Tag(tag)),
            // The stream with the packed content says nothing: the size is that of the whole.
            Some(Reparse::Wof(_)) => facts.sparse = false,
            Some(Reparse::Cloud) => {}
            None => facts.shut = Some(Shut::Tag(0)),
        }
    }

    fn finish(mut self, table: &Table) -> Swept {
        // A record that was given to another file since is none of this one.
        let mut further: Vec<(Node, Node)> = self
            .further
            .iter()
            .filter(|(base, _)| self.is_same(*base))
            .filter_map(|(base, number)| Some((Node::try_from(base.number).ok()?, *number)))
            .collect();
        further.sort_unstable();
        // Names and the beginning of the content may be told of in these only.
        for (node, number) in &further {
            match table.record(*number) {
                Ok(record) if self.tree.facts(*node).is_some() => self.take_attributes(*node, &record, table),
                Ok(_) => {}
                Err(_) => drop(self.unreadable.insert(*number)),
            }
        }
        self.ask(table, &further);
        let lost = self.find_lost(table, &further);
        self.add_deleted(table);
        self.add_names(table.count());
        if self.tree.facts(ROOT).is_none() {
            self.tree.set_facts(ROOT, Facts::FOLDER);
        }
        self.tree.finish();
        let mut cautions = Vec::new();
        if self.is_not_closed {
            cautions.push(Caution::NotClosed);
        }
        if lost > 0 {
            cautions.push(Caution::RecordsUnreadable(lost));
        }
        Swept { tree: self.tree, label: self.label, cautions, further }
    }

    /// Finds the names of files whose records cannot be read, in the indexes of their folders. Returns how
    /// many records are in use, cannot be read, and have no name anywhere.
    fn find_lost(&mut self, table: &Table, further: &[(Node, Node)]) -> u64 {
        let in_use = table.in_use();
        let is_in_use = |number: Node| {
            let byte = in_use.as_ref().and_then(|bits| bits.get(number as usize / 8));
            byte.is_none_or(|byte| byte >> (number % 8) & 1 == 1)
        };
        let mut waiting: BTreeSet<Node> =
            self.unreadable.range(FIRST_OF_PEOPLE..).copied().filter(|number| is_in_use(*number)).collect();
        // The further records of files that can be read are no files of their own.
        for (_, number) in further {
            waiting.remove(number);
        }
        let folders = (0..self.used.len() as Node).filter(|n| self.used[*n as usize].is_folder);
        for folder in folders.collect::<Vec<_>>() {
            if waiting.is_empty() {
                break;
            }
            for child in table.children(folder) {
                let number = Node::try_from(child.reference.number).ok();
                let is_lost = |number: &Node| *number >= FIRST_OF_PEOPLE && self.unreadable.contains(number);
                let Some(number) = number.filter(is_lost) else { continue };
                waiting.remove(&number);
                let FileName { is_folder, windows_attributes, modified_in_ticks, size_in_bytes, .. } =
                    child.name;
                let (kind, folder_bit) =
                    if is_folder { (EntryKind::Folder, FOLDER) } else { (EntryKind::File, 0) };
                self.tree.set_facts(
                    number,
                    Facts {
                        kind,
                        size_in_bytes,
                        modified_in_ticks,
                        windows_attributes: windows_attributes & SEEN | folder_bit,
                        ..Facts::FOLDER
                    },
                );
                self.take_name(number, &child.name);
            }
        }
        waiting.len() as u64
    }

    fn add_deleted(&mut self, table: &Table) {
        const BITMAP: Node = 6;
        let Some(deleted) = self.deleted.take() else { return };
        let records = table.record(BITMAP).map(|record| [record]);
        let bitmap =
            records.and_then(|records| Content::of(table.clusters(), &records, AttributeKind::Data, None));
        // Without it nobody knows which clusters were taken since.
        let Ok(bitmap) = bitmap else { return };
        let in_use = deleted::clusters_in_use(&bitmap, table.clusters().count());
        let is_folder = |name: &&Name| self.used.get(name.node as usize).is_some_and(|used| used.is_folder);
        let folders = self.names.iter().filter(|name| !name.is_dos).filter(is_folder).filter_map(|name| {
            let sequence = self.used.get(name.node as usize)?.sequence;
            let text = self.tree.kept(name.name?).to_vec();
            Some((u64::from(name.node), FolderName { sequence, parent: name.parent, name: text }))
        });
        let folders = folders.collect();
        let first_free = Node::try_from(table.count()).unwrap_or(Node::MAX / 2);
        deleted::add(&mut self.tree, &deleted, &folders, &in_use, first_free);
    }

    fn used(&self, of: Reference) -> Option<Used> {
        let used = usize::try_from(of.number).ok().and_then(|number| self.used.get(number)).copied();
        used.filter(|used| used.is_in_use)
    }

    /// True if a record is still what it was when it was referred to. A sequence of 0 is not asked for.
    fn is_same(&self, of: Reference) -> bool {
        self.used(of).is_some_and(|used| of.sequence == 0 || used.sequence == of.sequence)
    }

    /// Reparse points that are too long for their records.
    fn ask(&mut self, table: &Table, further: &[(Node, Node)]) {
        for node in std::mem::take(&mut self.to_ask) {
            let first = further.partition_point(|(of, _)| *of < node);
            let own = further[first..].iter().take_while(|(of, _)| *of == node).map(|(_, number)| *number);
            let records: Vec<Record> =
                std::iter::once(node).chain(own).filter_map(|number| table.record(number).ok()).collect();
            let content = Content::of(table.clusters(), &records, AttributeKind::ReparsePoint, None);
            let reparse = content.ok().and_then(|content| Reparse::load(&content).ok());
            self.take_reparse(node, reparse);
        }
    }

    /// The folder that a name goes into: that of its parent, or one of ours if nothing is known of the
    /// parent, or the parent is something else now.
    fn folder_for(&self, parent: Reference, count: u64) -> Node {
        let Ok(number) = Node::try_from(parent.number) else { return ORPHANS_NODE };
        let is_lost = self.unreadable.contains(&number) || u64::from(number) >= count;
        let is_folder = self.used(parent).is_some_and(|used| used.is_folder);
        if is_lost || (is_folder && self.is_same(parent)) { number } else { ORPHANS_NODE }
    }

    fn add_names(&mut self, count: u64) {
        let names = std::mem::take(&mut self.names);
        // A short name that a longer one stands beside is the same thing once more.
        let mut with_short: Vec<Node> =
            names.iter().filter(|name| name.is_dos).map(|name| name.node).collect();
        with_short.sort_unstable();
        let mut with_both: Vec<(Node, u64)> = names
            .iter()
            .filter(|name| !name.is_dos && with_short.binary_search(&name.node).is_ok())
            .map(|name| (name.node, name.parent.number))
            .collect();
        with_both.sort_unstable();
        let mut named: Vec<Node> = Vec::with_capacity(names.len());
        let mut named_folders = BTreeSet::new();
        let mut made = BTreeSet::new();
        for name in names {
            let is_double = name.is_dos && with_both.binary_search(&(name.node, name.parent.number)).is_ok();
            let kind = self.tree.facts(name.node).map(|facts| facts.kind);
            let is_folder = kind == Some(EntryKind::Folder);
            // A folder has one name; with two it could be inside of itself.
            if is_double || name.node == ROOT || (is_folder && !named_folders.insert(name.node)) {
                continue;
            }
            let folder = self.folder_for(name.parent, count);
            if folder == ORPHANS_NODE || self.tree.facts(folder).is_none() {
                made.insert(folder);
            }
            match name.name {
                Some(kept) => self.tree.link(folder, name.node, kept),
                None => self.tree.note_not_all_listed(folder),
            }
            named.push(name.node);
        }
        named.sort_unstable();
        for pair in named.windows(2).filter(|pair| pair[0] == pair[1]) {
            if let Some(facts) = self.tree.facts_mut(pair[0]) {
                facts.has_more_names = true;
            }
        }
        self.add_made(&made);
    }

    /// Adds the folders that only their children tell of.
    fn add_made(&mut self, made: &BTreeSet<Node>) {
        let mut lost = made.iter().filter(|folder| **folder != ORPHANS_NODE && **folder >= FIRST_OF_PEOPLE);
        let mut lost = lost.by_ref().peekable();
        if lost.peek().is_some() {
            self.tree.set_facts(LOST_NODE, Facts::FOLDER);
            self.tree.name(ROOT, LOST_NODE, LOST.as_bytes());
        }
        for folder in lost {
            self.tree.set_facts(*folder, Facts::FOLDER);
            self.tree.name(LOST_NODE, *folder, format!("folder {folder}").as_bytes());
        }
        if made.contains(&ORPHANS_NODE) {
            self.tree.set_facts(ORPHANS_NODE, Facts::FOLDER);
            self.tree.name(ROOT, ORPHANS_NODE, ORPHANS.as_bytes());
        }
    }
}
