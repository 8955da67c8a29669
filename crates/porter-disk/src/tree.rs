//! The folders and files of a file system in little memory: one arena for all names, 16 bytes a name, and the
//! facts that a listing shows.

use porter_source::{EntryKind, Listed, Metadata, Shut, utc_from_filetime};

/// A file or folder of a file system.
pub type Node = u32;

/// The facts of a node that a listing shows.
#[derive(Debug, Clone, Copy)]
pub struct Facts {
    /// Its kind.
    pub kind: EntryKind,
    /// Length of its content; 0 for all but files.
    pub size_in_bytes: u64,
    /// When its content last changed, as a `FILETIME`; 0 if that is not known.
    pub modified_in_ticks: u64,
    /// Windows' attribute bits.
    pub windows_attributes: u32,
    /// It has more names than one.
    pub has_more_names: bool,
    /// Its long stretches of zeros are holes.
    pub sparse: bool,
    /// Why its content cannot be had.
    pub shut: Option<Shut>,
    /// Where its content begins on the volume; 0 for content in a record, and where it is not known.
    pub begins_at_in_bytes: u64,
}

impl Facts {
    /// A folder of which nothing is known.
    pub(crate) const FOLDER: Self = Self {
        kind: EntryKind::Folder,
        size_in_bytes: 0,
        modified_in_ticks: 0,
        windows_attributes: 0,
        has_more_names: false,
        sparse: false,
        shut: None,
        begins_at_in_bytes: 0,
    };

    fn metadata(&self, node: Node) -> Metadata {
        Metadata {
            kind: self.kind,
            size_in_bytes: if self.kind == EntryKind::File { self.size_in_bytes } else { 0 },
            modified_utc: Some(self.modified_in_ticks).filter(|ticks| *ticks > 0).and_then(utc_from_filetime),
            unix_mode: None,
            windows_attributes: Some(self.windows_attributes),
            volume_id: None,
            same_file: (self.has_more_names && self.kind == EntryKind::File).then_some(u64::from(node)),
            sparse: self.sparse,
            shut: self.shut,
        }
    }
}

/// One name of a node in a folder.
#[derive(Debug, Clone, Copy)]
struct Link {
    parent: Node,
    node: Node,
    name: KeptName,
}

/// A name among all names.
#[derive(Debug, Clone, Copy)]
pub(crate) struct KeptName {
    at: u32,
    length_in_bytes: u16,
}

/// How many nodes share a page of facts: numbers that are far apart cost nothing for those between.
const NODES_A_PAGE: usize = 256;

/// All names and facts.
#[derive(Debug, Default)]
pub struct Tree {
    root: Node,
    names: Vec<u8>,
    links: Vec<Link>,
    facts: Vec<Option<Box<[Option<Facts>; NODES_A_PAGE]>>>,
    /// Folders of which not everything can be listed.
    not_all_listed: Vec<Node>,
}

impl Tree {
    pub(crate) fn new(root: Node) -> Self {
        Self { root, ..Self::default() }
    }

    /// Adds a name. False if it is none that a path can have, or there is no room for more names.
    pub(crate) fn name(&mut self, parent: Node, node: Node, name: &[u8]) -> bool {
        self.keep_name(name).is_some_and(|kept| {
            self.link(parent, node, kept);
            true
        })
    }

    /// Keeps a name whose folder is not known yet. None if no path can have it, or there is no room.
    pub(crate) fn keep_name(&mut self, name: &[u8]) -> Option<KeptName> {
        let is_name = !name.is_empty()
            && name != b"."
            && name != b".."
            && !name.iter().any(|byte| matches!(byte, 0 | b'/'));
        let at = u32::try_from(self.names.len()).ok()?;
        let kept = KeptName { at, length_in_bytes: u16::try_from(name.len()).ok()? };
        if is_name {
            self.names.extend_from_slice(name);
        }
        is_name.then_some(kept)
    }

    /// A name that was kept.
    pub(crate) fn kept(&self, name: KeptName) -> &[u8] {
        let from = name.at as usize;
        self.names.get(from..from + usize::from(name.length_in_bytes)).unwrap_or_default()
    }

    /// Adds a name that was kept.
    pub(crate) fn link(&mut self, parent: Node, node: Node, name: KeptName) {
        self.links.push(Link { parent, node, name });
    }

    pub(crate) fn set_facts(&mut self, node: Node, facts: Facts) {
        let (page, within) = (node as usize / NODES_A_PAGE, node as usize % NODES_A_PAGE);
        if page >= self.facts.len() {
            self.facts.resize_with(page + 1, || None);
        }
        self.facts[page].get_or_insert_with(|| Box::new([None; NODES_A_PAGE]))[within] = Some(facts);
    }

    pub(crate) fn facts_mut(&mut self, node: Node) -> Option<&mut Facts> {
        self.facts.get_mut(node as usize / NODES_A_PAGE)?.as_mut()?[node as usize % NODES_A_PAGE].as_mut()
    }

    pub(crate) fn note_not_all_listed(&mut self, folder: Node) {
        self.not_all_listed.push(folder);
    }

    /// How many folders may hold more than is listed.
    pub(crate) fn count_not_all_listed(&self) -> u64 {
        self.not_all_listed.len() as u64
    }

    /// Sorts the names, after which they are found. If two in a folder are equal, the first stays.
    pub(crate) fn finish(&mut self) {
        let names = &self.names;
        let key = |link: &Link| (link.parent, name_in(names, link));
        self.links.sort_by(|a, b| key(a).cmp(&key(b)));
        let before = self.links.len();
        let mut doubled = Vec::new();
        self.links.dedup_by(|later, earlier| {
            let is_same = key(later) == key(earlier);
            if is_same && later.node != earlier.node {
                doubled.push(later.parent);
            }
            is_same
        });
        if self.links.len() < before {
            self.not_all_listed.extend(doubled);
        }
        self.not_all_listed.sort_unstable();
        self.not_all_listed.dedup();
    }

    /// The node of the root.
    pub fn root(&self) -> Node {
        self.root
    }

    /// Its facts; none if there is no such node.
    pub fn facts(&self, node: Node) -> Option<&Facts> {
        self.facts.get(node as usize / NODES_A_PAGE)?.as_ref()?[node as usize % NODES_A_PAGE].as_ref()
    }

    /// The metadata of a node; none if there is no such.
    pub fn metadata(&self, node: Node) -> Option<Metadata> {
        self.facts(node).map(|facts| facts.metadata(node))
    }

    fn links_in(&self, folder: Node) -> &[Link] {
        let first = self.links.partition_point(|link| link.parent < folder);
        let last = self.links.partition_point(|link| link.parent <= folder);
        &self.links[first..last]
    }

    /// The rows of a folder, in the order of their names.
    pub fn list(&self, folder: Node) -> impl Iterator<Item = Listed> {
        self.links_in(folder).iter().filter_map(|link| {
            let metadata = self.metadata(link.node)?;
            Some(Listed { name: name_in(&self.names, link).to_vec(), metadata })
        })
    }

    /// The names in a folder with their nodes.
    pub fn nodes_in(&self, folder: Node) -> impl Iterator<Item = (&[u8], Node)> {
        self.links_in(folder).iter().map(|link| (name_in(&self.names, link), link.node))
    }

    /// The node of this exact name in a folder.
    pub fn find(&self, folder: Node, name: &[u8]) -> Option<Node> {
        let links = self.links_in(folder);
        let at = links.binary_search_by(|link| name_in(&self.names, link).cmp(name)).ok()?;
        Some(links[at].node)
    }

    /// True if there may be more in a folder than is listed.
    pub fn may_hold_more(&self, folder: Node) -> bool {
        self.not_all_listed.binary_search(&folder).is_ok()
    }

    /// How many names there are.
    pub fn count(&self) -> usize {
        self.links.len()
    }
}

fn name_in<'n>(names: &'n [u8], link: &Link) -> &'n [u8] {
    let from = link.name.at as usize;
    names.get(from..from + usize::from(link.name.length_in_bytes)).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_found_in_their_folders_and_no_impossible_name_is_taken() {
        let mut tree = Tree::new(5);
        tree.set_facts(5, Facts::FOLDER);
        tree.set_facts(70_000, Facts { kind: EntryKind::File, size_in_bytes: 9, ..Facts::FOLDER });
        tree.set_facts(6, Facts::FOLDER);
        assert!(
            tree.name(5, 6, b"kites") && tree.name(6, 70_000, b"plan") && tree.name(5, 70_000, b"a plan")
        );
        for refused in [&b""[..], b".", b"..", b"a/b", b"a\0"] {
            assert!(!tree.name(5, 6, refused));
        }
        tree.name(5, 70_000, b"kites");
        tree.finish();
        let names: Vec<Vec<u8>> = tree.list(5).map(|row| row.name).collect();
        assert_eq!(names, [&b"a plan"[..], b"kites"]);
        assert_eq!(tree.find(5, b"kites").and_then(|kites| tree.find(kites, b"plan")), Some(70_000));
        assert_eq!(tree.find(5, b"Kites"), None);
        assert_eq!(tree.metadata(70_000).unwrap().size_in_bytes, 9);
        assert!(tree.metadata(7).is_none() && tree.metadata(u32::MAX).is_none());
        assert!(tree.may_hold_more(5) && !tree.may_hold_more(6), "two things had one name");
    }
}
