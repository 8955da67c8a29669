//! The parts that tests of volumes share.

use porter_disk::FileSystem;
use porter_disk::tree::Node;
use porter_source::EntryKind;
use sha2::{Digest, Sha256};

/// Everything on a volume, by its path.
pub fn walk(volume: &dyn FileSystem) -> Vec<(String, Node)> {
    let tree = volume.tree();
    let mut waiting = vec![(String::new(), tree.root())];
    let mut found = Vec::new();
    while let Some((folder, node)) = waiting.pop() {
        for (name, node) in tree.nodes_in(node) {
            let path = format!("{folder}{}", String::from_utf8_lossy(name));
            if tree.facts(node).is_some_and(|facts| facts.kind == EntryKind::Folder) {
                waiting.push((format!("{path}/"), node));
            }
            found.push((path, node));
        }
    }
    found
}

/// As the lists beside the images have it.
pub fn sha256(bytes: &[u8]) -> String {
    Sha256::digest(bytes).iter().map(|byte| format!("{byte:02x}")).collect()
}
