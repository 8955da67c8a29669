//! The file `Bookmarks`: JSON with a checksum.
//!
//! Three roots (`bookmark_bar`, `other`, `synced`), each a folder. The checksum is MD5 of every node's
//! number, title (UTF-16) and kind, and a bookmark's address, in the order of the file (Chromium's
//! `components/bookmarks/browser/bookmark_codec.cc`).

use super::{from_microseconds, microseconds};
use crate::FormatError;
use crate::bookmarks::{Bookmark, Bookmarks, DEEPEST, Folder, MENU_TITLE, Node};
use md5::{Digest, Md5};
use serde_json::{Map, Value, json};
use time::OffsetDateTime;

const FORMAT: &str = "Bookmarks";
const ROOTS: [&str; 3] = ["bookmark_bar", "other", "synced"];

/// Such a file, understood.
#[derive(Debug, Clone)]
pub struct BookmarksFile {
    json: Value,
    /// False if the checksum in it is another than its own: somebody changed it by hand, or it is damaged.
    pub checksum_fits: bool,
}

impl BookmarksFile {
    /// Reads a file.
    pub fn from_bytes(file: &[u8]) -> Result<Self, FormatError> {
        let json: Value =
            serde_json::from_slice(file).map_err(|cause| FormatError::damaged(FORMAT, cause))?;
        if let Some(version) = json.get("version").filter(|version| version.as_i64() != Some(1)) {
            return Err(FormatError::Unsupported { what: FORMAT, version: version.to_string() });
        }
        if !json.get("roots").is_some_and(Value::is_object) {
            return Err(FormatError::damaged(FORMAT, "it has no roots"));
        }
        let written = json.get("checksum").and_then(Value::as_str);
        let checksum_fits = written.is_none_or(|written| written == checksum(&json));
        Ok(Self { json, checksum_fits })
    }

    /// One without bookmarks.
    pub fn empty(now_utc: OffsetDateTime) -> Result<Self, FormatError> {
        let mut roots = Map::new();
        for (number, (root, title)) in
            ROOTS.into_iter().zip(["Bookmarks bar", "Other bookmarks", "Mobile bookmarks"]).enumerate()
        {
            roots.insert(root.to_owned(), folder_json(&Folder::new(title), number as u64 + 1, now_utc)?);
        }
        Ok(Self { json: json!({ "checksum": "", "roots": roots, "version": 1 }), checksum_fits: true })
    }

    /// The bookmarks in it.
    pub fn bookmarks(&self) -> Result<Bookmarks, FormatError> {
        let root = |name: &str| match self.json.pointer(&format!("/roots/{name}")) {
            Some(node) => folder(node, 0),
            None => Ok(Folder::default()),
        };
        let mut other = root("other")?;
        // A merge put it there for want of a menu.
        let menu = other
            .children
            .iter()
            .position(|node| matches!(node, Node::Folder(folder) if folder.title == MENU_TITLE));
        let menu = match menu.map(|at| other.children.remove(at)) {
            Some(Node::Folder(menu)) => menu,
            _ => Folder::default(),
        };
        Ok(Bookmarks { toolbar: root("bookmark_bar")?, menu, other, mobile: root("synced")? })
    }

    /// Adds what in `merged` has no number, behind what is there. The rest of the tree must be as it was
    /// read.
    pub fn add_new(&mut self, merged: &Bookmarks, now_utc: OffsetDateTime) -> Result<(), FormatError> {
        let mut other = merged.other.clone();
        if !merged.menu.children.is_empty() {
            let menu = Folder { title: MENU_TITLE.to_owned(), ..merged.menu.clone() };
            other.children.push(Node::Folder(menu));
        }
        let mut next = 1 + highest_number(&self.json, 0)?;
        for (name, tree) in ROOTS.into_iter().zip([&merged.toolbar, &other, &merged.mobile]) {
            if tree.children.is_empty() {
                continue;
            }
            let node = self.json.pointer_mut(&format!("/roots/{name}"));
            let node =
                node.ok_or_else(|| FormatError::damaged(FORMAT, format!("it has no root `{name}`")))?;
            add_below(node, tree, &mut next, now_utc)?;
        }
        Ok(())
    }

    /// The file, with the checksum that belongs to it.
    pub fn to_bytes(&self) -> Result<Vec<u8>, FormatError> {
        let mut json = self.json.clone();
        json["checksum"] = Value::String(checksum(&json));
        // The browser's own indent.
        let mut bytes = Vec::new();
        let formatter = serde_json::ser::PrettyFormatter::with_indent(b"   ");
        let mut serializer = serde_json::Serializer::with_formatter(&mut bytes, formatter);
        serde::Serialize::serialize(&json, &mut serializer)
            .map_err(|cause| FormatError::damaged(FORMAT, cause))?;
        bytes.push(b'\n');
        Ok(bytes)
    }
}

fn text<'v>(node: &'v Value, name: &str) -> &'v str {
    node.get(name).and_then(Value::as_str).unwrap_or_default()
}

fn children(node: &Value) -> &[Value] {
    node.get("children").and_then(Value::as_array).map(Vec::as_slice).unwrap_or_default()
}

fn deeper(depth: usize) -> Result<usize, FormatError> {
    if depth > DEEPEST {
        return Err(FormatError::damaged(FORMAT, format!("folders more than {DEEPEST} deep")));
    }
    Ok(depth + 1)
}

fn folder(node: &Value, depth: usize) -> Result<Folder, FormatError> {
    let deeper = deeper(depth)?;
    let mut rows = Vec::new();
    for child in children(node) {
        if text(child, "type") == "folder" {
            rows.push(Node::Folder(folder(child, deeper)?));
        } else if !text(child, "url").is_empty() {
            rows.push(Node::Bookmark(Bookmark {
                id: number(child),
                title: text(child, "name").to_owned(),
                url: text(child, "url").to_owned(),
                added_utc: added(child),
                ..Bookmark::default()
            }));
        }
    }
    Ok(Folder {
        id: number(node),
        title: text(node, "name").to_owned(),
        added_utc: added(node),
        children: rows,
    })
}

/// A node whose number cannot be read is still known.
fn number(node: &Value) -> Option<i64> {
    Some(text(node, "id").parse().unwrap_or(0))
}

fn added(node: &Value) -> Option<OffsetDateTime> {
    from_microseconds(text(node, "date_added").parse().ok()?)
}

fn highest_number(node: &Value, depth: usize) -> Result<u64, FormatError> {
    let deeper = deeper(depth)?;
    let below: Vec<&Value> = match node.get("roots").and_then(Value::as_object) {
        Some(roots) => roots.values().collect(),
        None => children(node).iter().collect(),
    };
    let mut highest = text(node, "id").parse().unwrap_or(0);
    for child in below {
        highest = highest.max(highest_number(child, deeper)?);
    }
    Ok(highest)
}

fn add_below(
    node: &mut Value,
    tree: &Folder,
    next: &mut u64,
    now_utc: OffsetDateTime,
) -> Result<(), FormatError> {
    let Some(object) = node.as_object_mut() else {
        return Err(FormatError::damaged(FORMAT, "a folder is not an object"));
    };
    let list = object.entry("children").or_insert_with(|| json!([]));
    let Some(list) = list.as_array_mut() else {
        return Err(FormatError::damaged(FORMAT, "a folder's children are no list"));
    };
    for child in &tree.children {
        match child {
            Node::Separator => {}
            Node::Bookmark(bookmark) if bookmark.id.is_some() => {}
            Node::Bookmark(bookmark) => {
                let url =
                    bookmark.feed_url.as_deref().filter(|_| bookmark.url.is_empty()).unwrap_or(&bookmark.url);
                let added = microseconds(bookmark.added_utc.unwrap_or(now_utc)).to_string();
                list.push(json!({
                    "date_added": added, "date_last_used": "0", "guid": new_guid()?, "id": next.to_string(),
                    "name": bookmark.title, "type": "url", "url": url,
                }));
                *next += 1;
            }
            Node::Folder(inner) => {
                let there = list
                    .iter()
                    .position(|node| text(node, "type") == "folder" && text(node, "name") == inner.title);
                let at = match there {
                    Some(at) => at,
                    None => {
                        list.push(folder_json(inner, *next, now_utc)?);
                        *next += 1;
                        list.len() - 1
                    }
                };
                if let Some(node) = list.get_mut(at) {
                    add_below(node, inner, next, now_utc)?;
                }
            }
        }
    }
    Ok(())
}

fn folder_json(folder: &Folder, number: u64, now_utc: OffsetDateTime) -> Result<Value, FormatError> {
    Ok(json!({
        "children": [], "date_added": microseconds(folder.added_utc.unwrap_or(now_utc)).to_string(), "date_last_used": "0",
        "date_modified": microseconds(now_utc).to_string(), "guid": new_guid()?, "id": number.to_string(),
        "name": folder.title, "type": "folder",
    }))
}

/// A random UUID (RFC 9562, version 4).
fn new_guid() -> Result<String, FormatError> {
    let mut b = [0_u8; 16];
    getrandom::fill(&mut b).map_err(|cause| FormatError::damaged("random numbers", cause))?;
    b[6] = b[6] & 0x0f | 0x40;
    b[8] = b[8] & 0x3f | 0x80;
    let hex: String = b.iter().map(|byte| format!("{byte:02x}")).collect();
    Ok([&hex[..8], &hex[8..12], &hex[12..16], &hex[16..20], &hex[20..]].join("-"))
}

fn checksum(json: &Value) -> String {
    let mut md5 = Md5::new();
    for root in ROOTS {
        if let Some(node) = json.pointer(&format!("/roots/{root}")) {
            add_to_checksum(&mut md5, node, 0);
        }
    }
    md5.finalize().iter().map(|byte| format!("{byte:02x}")).collect()
}

fn add_to_checksum(md5: &mut Md5, node: &Value, depth: usize) {
    if depth > DEEPEST {
        return;
    }
    md5.update(text(node, "id"));
    let title: Vec<u8> = text(node, "name").encode_utf16().flat_map(u16::to_le_bytes).collect();
    md5.update(title);
    let kind = text(node, "type");
    md5.update(kind);
    if kind == "url" {
        md5.update(text(node, "url"));
    } else {
        children(node).iter().for_each(|child| add_to_checksum(md5, child, depth + 1));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::bookmarks::merge;

    fn at(seconds: i64) -> OffsetDateTime {
        OffsetDateTime::from_unix_timestamp(seconds).unwrap()
    }

    #[test]
    fn a_merge_survives_writing_and_a_second_one_adds_nothing() {
        let link = |n: u32| {
            Node::Bookmark(Bookmark {
                title: format!("n{n} ☂"),
                url: format!("k:{n}"),
                added_utc: Some(at(1_400_000_000)),
                ..Bookmark::default()
            })
        };
        let inner = Folder { children: vec![link(2), link(3)], ..Folder::new("Inner") };
        let from = Bookmarks {
            toolbar: Folder { children: vec![link(1), Node::Folder(inner)], ..Folder::default() },
            menu: Folder { children: vec![link(4)], ..Folder::default() },
            ..Bookmarks::default()
        };
        let mut file = BookmarksFile::empty(at(1_700_000_000)).unwrap();
        for _ in 0..2 {
            let mut tree = file.bookmarks().unwrap();
            merge(&mut tree, &from);
            file.add_new(&tree, at(1_700_000_000)).unwrap();
            file = BookmarksFile::from_bytes(&file.to_bytes().unwrap()).unwrap();
            assert!(file.checksum_fits);
        }
        let read = file.bookmarks().unwrap();
        assert_eq!((read.count(), read.menu.count()), (4, 1));
        let mut read_again = read.clone();
        assert!(merge(&mut read_again, &from).is_nothing());
        let Node::Bookmark(first) = &read.toolbar.children[0] else { panic!("{read:?}") };
        assert_eq!(first.added_utc, Some(at(1_400_000_000)));
        let changed = String::from_utf8(file.to_bytes().unwrap()).unwrap().replace("k:3", "k:9");
        assert!(!BookmarksFile::from_bytes(changed.as_bytes()).unwrap().checksum_fits);
    }

    #[test]
    fn later_versions_and_what_is_no_such_file_are_refused() {
        assert!(matches!(
            BookmarksFile::from_bytes(br#"{"version":2,"roots":{}}"#),
            Err(FormatError::Unsupported { .. })
        ));
        for wrong in ["", "[]", "{\"version\":1}"] {
            assert!(matches!(BookmarksFile::from_bytes(wrong.as_bytes()), Err(FormatError::Damaged { .. })));
        }
    }
}
