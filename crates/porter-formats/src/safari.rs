//! Safari's list of bookmarks: `Bookmarks.plist`, a property list, binary or XML.
//!
//! A `WebBookmarkTypeList` has `Title` and `Children`, a `WebBookmarkTypeLeaf` has `URLString` and its title
//! in `URIDictionary`. Below the root stand `BookmarksBar`, `BookmarksMenu` and the reading list.

use crate::bookmarks::{Bookmark, Bookmarks, DEEPEST, Folder, Node};
use crate::{FormatError, property_list};
use plist::{Dictionary, Value};

const FORMAT: &str = "Safari's bookmarks";
/// Where the reading list is shown elsewhere.
const READING_LIST: &str = "Reading List";

/// Reads such a list.
pub fn from_plist(bytes: &[u8]) -> Result<Bookmarks, FormatError> {
    let value = property_list::from_bytes(bytes)?;
    let root =
        value.as_dictionary().ok_or_else(|| FormatError::damaged(FORMAT, "its root is not a dictionary"))?;
    let mut bookmarks = Bookmarks::default();
    for node in children(root, 0)? {
        match node {
            Node::Folder(folder) if folder.title == "BookmarksBar" => {
                bookmarks.toolbar.children.extend(folder.children);
            }
            Node::Folder(folder) if folder.title == "BookmarksMenu" => {
                bookmarks.menu.children.extend(folder.children);
            }
            Node::Folder(folder) if folder.title == "com.apple.ReadingList" => {
                if !folder.children.is_empty() {
                    let list = Folder { title: READING_LIST.to_owned(), ..folder };
                    bookmarks.other.children.push(Node::Folder(list));
                }
            }
            node => bookmarks.other.children.push(node),
        }
    }
    Ok(bookmarks)
}

fn children(list: &Dictionary, depth: usize) -> Result<Vec<Node>, FormatError> {
    if depth > DEEPEST {
        return Err(FormatError::damaged(FORMAT, format!("folders more than {DEEPEST} deep")));
    }
    let mut nodes = Vec::new();
    for child in list.get("Children").and_then(Value::as_array).into_iter().flatten() {
        let Some(child) = child.as_dictionary() else { continue };
        let text = |name: &str| child.get(name).and_then(Value::as_string).map(str::to_owned);
        match child.get("WebBookmarkType").and_then(Value::as_string) {
            Some("WebBookmarkTypeList") => {
                let title = text("Title").unwrap_or_default();
                nodes.push(Node::Folder(Folder {
                    children: children(child, depth + 1)?,
                    ..Folder::new(&title)
                }));
            }
            Some("WebBookmarkTypeLeaf") => {
                let names = child.get("URIDictionary").and_then(Value::as_dictionary);
                let title = names.and_then(|names| names.get("title")?.as_string()).unwrap_or_default();
                if let Some(url) = text("URLString") {
                    let title = title.to_owned();
                    nodes.push(Node::Bookmark(Bookmark { title, url, ..Bookmark::default() }));
                }
            }
            _ => {}
        }
    }
    Ok(nodes)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_bar_the_menu_and_the_reading_list_are_told_apart() {
        let leaf = |url: &str| {
            format!(
                "<dict><key>WebBookmarkType</key><string>WebBookmarkTypeLeaf</string><key>URLString</key><string>{url}</string>\
                 <key>URIDictionary</key><dict><key>title</key><string>T</string></dict></dict>"
            )
        };
        let list = |title: &str, rows: &str| {
            format!(
                "<dict><key>WebBookmarkType</key><string>WebBookmarkTypeList</string><key>Title</key><string>{title}</string>\
                 <key>Children</key><array>{rows}</array></dict>"
            )
        };
        let inner = list("Plans", &leaf("https://p.example"));
        let rows = [
            list("BookmarksBar", &format!("{}{inner}", leaf("https://a.example"))),
            list("BookmarksMenu", &leaf("https://m.example")),
            list("com.apple.ReadingList", &leaf("https://r.example")),
        ];
        let plist =
            format!("<?xml version=\"1.0\"?><plist version=\"1.0\">{}</plist>", list("", &rows.concat()));
        let read = from_plist(plist.as_bytes()).unwrap();
        assert_eq!((read.toolbar.count(), read.menu.count(), read.other.count()), (2, 1, 1));
        assert!(matches!(&read.toolbar.children[1], Node::Folder(folder) if folder.title == "Plans"));
        assert!(from_plist(&plist.as_bytes()[..90]).is_err() && from_plist(b"").is_err());
    }
}
