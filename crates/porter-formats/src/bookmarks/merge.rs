//! One tree of bookmarks into another.

use super::{Bookmark, Bookmarks, Folder, Node};

/// The bookmarks that a merge added.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Added {
    /// Bookmarks.
    pub bookmarks: u64,
    /// Folders.
    pub folders: u64,
    /// Bookmarks that were there already.
    pub were_there: u64,
}

impl Added {
    /// True if nothing was new.
    pub fn is_nothing(&self) -> bool {
        self.bookmarks == 0 && self.folders == 0
    }
}

/// Adds the bookmarks that are missing, behind those that are present. A bookmark is present if its folder
/// has one with the same address; a folder, if its own has one of the same title. Added ones have no number.
pub fn merge(into: &mut Bookmarks, from: &Bookmarks) -> Added {
    let mut added = Added::default();
    for (into, from) in [
        (&mut into.toolbar, &from.toolbar),
        (&mut into.menu, &from.menu),
        (&mut into.other, &from.other),
        (&mut into.mobile, &from.mobile),
    ] {
        merge_folder(into, from, &mut added);
    }
    added
}

fn merge_folder(into: &mut Folder, from: &Folder, added: &mut Added) {
    // Lines have no names: as many as the folder has are taken for the same.
    let mut separators_there = into.children.iter().filter(|node| **node == Node::Separator).count();
    // A line stands before something: alone it is not worth having.
    let mut separator_waits = false;
    for node in &from.children {
        match node {
            Node::Separator if separators_there > 0 => separators_there -= 1,
            Node::Separator => separator_waits = !into.children.is_empty(),
            Node::Bookmark(bookmark) => {
                let same = |node: &Node| matches!(node, Node::Bookmark(there) if there.url == bookmark.url);
                if into.children.iter().any(same) {
                    added.were_there += 1;
                    continue;
                }
                if std::mem::take(&mut separator_waits) {
                    into.children.push(Node::Separator);
                }
                into.children.push(Node::Bookmark(Bookmark { id: None, ..bookmark.clone() }));
                added.bookmarks += 1;
            }
            Node::Folder(folder) => {
                let at = into
                    .children
                    .iter()
                    .position(|node| matches!(node, Node::Folder(there) if there.title == folder.title));
                let at = at.unwrap_or_else(|| {
                    if std::mem::take(&mut separator_waits) {
                        into.children.push(Node::Separator);
                    }
                    added.folders += 1;
                    let added_utc = folder.added_utc;
                    into.children.push(Node::Folder(Folder { added_utc, ..Folder::new(&folder.title) }));
                    into.children.len() - 1
                });
                if let Some(Node::Folder(there)) = into.children.get_mut(at) {
                    merge_folder(there, folder, added);
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn link(url: &str) -> Node {
        Node::Bookmark(Bookmark { url: url.to_owned(), title: format!("to {url}"), ..Bookmark::default() })
    }

    #[test]
    fn merging_twice_adds_nothing_and_what_was_there_keeps_its_place() {
        let plans = Folder { children: vec![link("k:2"), link("k:3")], ..Folder::new("Plans") };
        let from = Bookmarks {
            toolbar: Folder {
                children: vec![link("k:1"), Node::Separator, Node::Folder(plans)],
                ..Folder::default()
            },
            ..Bookmarks::default()
        };
        let there = Folder { id: Some(9), children: vec![link("k:3")], ..Folder::new("Plans") };
        let mut into = Bookmarks {
            toolbar: Folder { children: vec![Node::Folder(there), link("k:0")], ..Folder::default() },
            ..Bookmarks::default()
        };
        let added = merge(&mut into, &from);
        assert_eq!((added.bookmarks, added.folders, added.were_there), (2, 0, 1));
        let Node::Folder(plans) = &into.toolbar.children[0] else { panic!("the folder moved") };
        assert_eq!((plans.id, plans.children.len()), (Some(9), 2));
        assert_eq!(into.toolbar.children[1..], [link("k:0"), link("k:1")]);
        let once = into.clone();
        assert!(merge(&mut into, &from).is_nothing());
        assert_eq!(into, once);
    }
}
