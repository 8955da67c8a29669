//! The bookmark file that browsers import and export: `NETSCAPE-Bookmark-file-1`.
//!
//! Each row begins with `<DT>`; a folder is `<H3>` and a `<DL>` behind it, a bookmark `<A>`, a line `<HR>`.
//! Attributes carry dates (seconds since 1970), tags, icons, feeds. Browsers mark their bar with
//! `PERSONAL_TOOLBAR_FOLDER` and what is shown apart with `UNFILED_BOOKMARKS_FOLDER`; everything else at the
//! top is the menu's. Tags may be left open: none is ever closed in practice.

use super::{Bookmark, Bookmarks, DEEPEST, Folder, Node};
use crate::FormatError;
use crate::html::{escaped, unescaped};
use std::fmt::Write;
use time::OffsetDateTime;

const FORMAT: &str = "bookmark file";
const DOCTYPE: &str = "<!DOCTYPE NETSCAPE-Bookmark-file-1>";

/// Writes a file that every browser imports.
pub fn to_html(bookmarks: &Bookmarks) -> String {
    let mut html = format!(
        "{DOCTYPE}\n<!-- Bookmarks, for the import of any browser. -->\n\
         <META HTTP-EQUIV=\"Content-Type\" CONTENT=\"text/html; charset=UTF-8\">\n<TITLE>Bookmarks</TITLE>\n<H1>Bookmarks</H1>\n\n<DL><p>\n"
    );
    for node in &bookmarks.menu.children {
        write_node(&mut html, node, 1);
    }
    for (folder, mark, title) in [
        (&bookmarks.toolbar, " PERSONAL_TOOLBAR_FOLDER=\"true\"", "Bookmarks Toolbar"),
        (&bookmarks.other, " UNFILED_BOOKMARKS_FOLDER=\"true\"", "Other Bookmarks"),
        (&bookmarks.mobile, "", MOBILE_TITLE),
    ] {
        if !folder.children.is_empty() {
            write_folder(&mut html, folder, title, mark, 1);
        }
    }
    html.push_str("</DL>\n");
    html
}

const MOBILE_TITLE: &str = "Mobile Bookmarks";

fn write_folder(html: &mut String, folder: &Folder, title: &str, mark: &str, depth: usize) {
    let indent = "    ".repeat(depth);
    let added = date_attribute("ADD_DATE", folder.added_utc);
    // Writing to a string cannot fail.
    let _ = writeln!(html, "{indent}<DT><H3{added}{mark}>{}</H3>\n{indent}<DL><p>", escaped(title));
    for node in &folder.children {
        write_node(html, node, depth + 1);
    }
    let _ = writeln!(html, "{indent}</DL><p>");
}

fn write_node(html: &mut String, node: &Node, depth: usize) {
    let indent = "    ".repeat(depth);
    match node {
        Node::Folder(folder) => write_folder(html, folder, &folder.title, "", depth),
        Node::Separator => {
            let _ = writeln!(html, "{indent}<HR>");
        }
        Node::Bookmark(bookmark) => {
            let mut attributes = date_attribute("ADD_DATE", bookmark.added_utc);
            let tags = Some(bookmark.tags.join(",")).filter(|tags| !tags.is_empty());
            for (name, value) in [
                ("FEEDURL", bookmark.feed_url.as_ref()),
                ("SHORTCUTURL", bookmark.keyword.as_ref()),
                ("TAGS", tags.as_ref()),
                ("ICON", bookmark.icon.as_ref()),
            ] {
                if let Some(value) = value {
                    let _ = write!(attributes, " {name}=\"{}\"", escaped(value));
                }
            }
            let (url, title) = (escaped(&bookmark.url), escaped(&bookmark.title));
            let _ = writeln!(html, "{indent}<DT><A HREF=\"{url}\"{attributes}>{title}</A>");
        }
    }
}

fn date_attribute(name: &str, at: Option<OffsetDateTime>) -> String {
    at.map(|at| format!(" {name}=\"{}\"", at.unix_timestamp())).unwrap_or_default()
}

/// Reads such a file, by whichever browser it was written.
pub fn from_html(html: &str) -> Result<Bookmarks, FormatError> {
    let is_one = html.get(..html.len().min(4096)).or(Some(html)).is_some_and(|head| {
        let head = head.to_ascii_uppercase();
        head.contains("NETSCAPE-BOOKMARK-FILE-1") || head.contains("<DL>")
    });
    if !is_one {
        return Err(FormatError::damaged(FORMAT, "it does not begin as one"));
    }
    let mut open: Vec<(Folder, Root)> = vec![(Folder::default(), Root::Menu)];
    let mut bookmarks = Bookmarks::default();
    // A title that is still to get its list.
    let mut announced: Option<(Folder, Root)> = None;
    let mut rest = html;
    while let Some((before, tag, after)) = next_tag(rest) {
        let _ = before;
        rest = after;
        let (name, attributes) = tag.split_once(|c: char| c.is_whitespace()).unwrap_or((tag, ""));
        match name.to_ascii_uppercase().as_str() {
            "H3" => {
                if let Some(folder) = announced.take() {
                    close(&mut open, &mut bookmarks, folder);
                }
                let (title, after) = text_until(rest, "H3");
                rest = after;
                let root = if attribute(attributes, "PERSONAL_TOOLBAR_FOLDER").is_some() {
                    Root::Toolbar
                } else if attribute(attributes, "UNFILED_BOOKMARKS_FOLDER").is_some() {
                    Root::Other
                } else if open.len() == 1 && title == MOBILE_TITLE {
                    Root::Mobile
                } else {
                    Root::None
                };
                let added_utc = date(attributes, "ADD_DATE");
                announced = Some((Folder { added_utc, ..Folder::new(&title) }, root));
            }
            "DL" => {
                if let Some(folder) = announced.take() {
                    if open.len() > DEEPEST {
                        return Err(FormatError::damaged(
                            FORMAT,
                            format!("folders more than {DEEPEST} deep"),
                        ));
                    }
                    open.push(folder);
                }
            }
            "/DL" if open.len() > 1 => {
                if let Some(folder) = open.pop() {
                    close(&mut open, &mut bookmarks, folder);
                }
            }
            "A" => {
                let (title, after) = text_until(rest, "A");
                rest = after;
                let url = attribute(attributes, "HREF").unwrap_or_default();
                let tags = attribute(attributes, "TAGS").unwrap_or_default();
                let bookmark = Bookmark {
                    id: None,
                    title,
                    added_utc: date(attributes, "ADD_DATE"),
                    tags: tags.split(',').filter(|tag| !tag.is_empty()).map(str::to_owned).collect(),
                    keyword: attribute(attributes, "SHORTCUTURL"),
                    feed_url: attribute(attributes, "FEEDURL"),
                    icon: attribute(attributes, "ICON"),
                    url,
                };
                if !bookmark.url.is_empty() || bookmark.feed_url.is_some() {
                    push(&mut open, Node::Bookmark(bookmark));
                }
            }
            "HR" => push(&mut open, Node::Separator),
            _ => {}
        }
    }
    while let Some(folder) = announced.take().or_else(|| open.pop()) {
        if open.is_empty() {
            bookmarks.menu.children.extend(folder.0.children);
            break;
        }
        close(&mut open, &mut bookmarks, folder);
    }
    Ok(bookmarks)
}

/// The purpose of a folder.
#[derive(Clone, Copy)]
enum Root {
    None,
    Menu,
    Toolbar,
    Other,
    Mobile,
}

fn push(open: &mut [(Folder, Root)], node: Node) {
    if let Some((folder, _)) = open.last_mut() {
        folder.children.push(node);
    }
}

fn close(open: &mut [(Folder, Root)], bookmarks: &mut Bookmarks, (folder, root): (Folder, Root)) {
    let into = match root {
        Root::None | Root::Menu => return push(open, Node::Folder(folder)),
        Root::Toolbar => &mut bookmarks.toolbar,
        Root::Other => &mut bookmarks.other,
        Root::Mobile => &mut bookmarks.mobile,
    };
    into.children.extend(folder.children);
}

/// The text before the next tag, what is between its brackets, and what comes behind it. Comments are passed
/// over.
fn next_tag(html: &str) -> Option<(&str, &str, &str)> {
    let mut from = 0;
    loop {
        let begin = from + html.get(from..)?.find('<')?;
        let behind = &html[begin + 1..];
        if let Some(comment) = behind.strip_prefix("!--") {
            from = html.len() - comment.len() + comment.find("-->")? + 3;
            continue;
        }
        // A bracket within quotes does not end the tag.
        let mut quote = None;
        let end = behind.char_indices().find(|(_, c)| match (quote, *c) {
            (None, '>') => true,
            (None, '"' | '\'') => {
                quote = Some(*c);
                false
            }
            (Some(open), c) if c == open => {
                quote = None;
                false
            }
            _ => false,
        });
        let (end, _) = end?;
        return Some((&html[..begin], &behind[..end], &behind[end + 1..]));
    }
}

/// The text up to the tag that ends it, without other tags in it.
fn text_until<'h>(html: &'h str, name: &str) -> (String, &'h str) {
    let mut text = String::new();
    let mut rest = html;
    while let Some((before, tag, after)) = next_tag(rest) {
        text.push_str(before);
        rest = after;
        if tag.strip_prefix('/').is_some_and(|closed| closed.trim().eq_ignore_ascii_case(name)) {
            break;
        }
    }
    (unescaped(text.trim()), rest)
}

fn attribute(attributes: &str, name: &str) -> Option<String> {
    let mut rest = attributes;
    loop {
        let equals = rest.find('=')?;
        let found = rest[..equals].trim();
        let behind = rest[equals + 1..].trim_start();
        let (value, after) = match behind.chars().next()? {
            quote @ ('"' | '\'') => {
                let inner = &behind[1..];
                let end = inner.find(quote)?;
                (&inner[..end], &inner[end + 1..])
            }
            _ => behind.split_once(char::is_whitespace).unwrap_or((behind, "")),
        };
        // An attribute without a value may stand before it.
        if found.split_whitespace().next_back().is_some_and(|found| found.eq_ignore_ascii_case(name)) {
            return Some(unescaped(value));
        }
        rest = after;
    }
}

/// Seconds since 1970; some programs write longer numbers.
fn date(attributes: &str, name: &str) -> Option<OffsetDateTime> {
    let number: i64 = attribute(attributes, name)?.parse().ok()?;
    let seconds = match number {
        0 => return None,
        n if n > 100_000_000_000_000 => n / 1_000_000,
        n if n > 100_000_000_000 => n / 1000,
        n => n,
    };
    OffsetDateTime::from_unix_timestamp(seconds).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_written_file_is_read_as_it_was() {
        let at = OffsetDateTime::from_unix_timestamp(1_400_000_000).ok();
        let tides = Bookmark {
            title: "Tides & <winds>".to_owned(),
            url: "https://tides.example/?a=1&b=\"2\"".to_owned(),
            added_utc: at,
            tags: vec!["sea".to_owned(), "daily".to_owned()],
            keyword: Some("tide".to_owned()),
            icon: Some("data:image/png;base64,AAAA".to_owned()),
            ..Bookmark::default()
        };
        let feed = Bookmark { feed_url: Some("https://k.example/feed".to_owned()), ..Bookmark::default() };
        let inner = Folder { added_utc: at, children: vec![Node::Bookmark(feed)], ..Folder::new("Inner") };
        let rows = vec![Node::Bookmark(tides), Node::Separator, Node::Folder(inner)];
        let root = |title: &str, children| Folder { title: title.to_owned(), children, ..Folder::default() };
        let bookmarks = Bookmarks {
            toolbar: root("", rows.clone()),
            menu: root("", rows.clone()),
            other: root("", rows.clone()),
            mobile: root("", rows),
        };
        let read = from_html(&to_html(&bookmarks)).unwrap();
        assert_eq!(read, bookmarks);
    }

    #[test]
    fn what_other_browsers_write_is_read_and_what_is_cut_off_keeps_its_beginning() {
        let html = "<!DOCTYPE NETSCAPE-Bookmark-file-1>\n<DL><p>\n<DT><H3 ADD_DATE=1400000000 personal_toolbar_folder='true'>Bar</H3>\n\
                    <DL><p><DT><A HREF=https://a.example ADD_DATE=\"1400000000000\">A &amp; B</A>\n<DD>noted\n<!-- > <A HREF=no> -->\
                    </DL><p><DT><H3>Plans</H3><DL><DT><A HREF=\"https://c.example/>\">C</A><HR><DT><H3>Deep";
        let read = from_html(html).unwrap();
        assert_eq!((read.toolbar.children.len(), read.count()), (1, 2));
        let Node::Bookmark(a) = &read.toolbar.children[0] else { panic!("{read:?}") };
        assert_eq!((a.url.as_str(), a.title.as_str()), ("https://a.example", "A & B"));
        assert_eq!(a.added_utc, OffsetDateTime::from_unix_timestamp(1_400_000_000).ok());
        let Node::Folder(plans) = &read.menu.children[0] else { panic!("{read:?}") };
        assert_eq!(plans.children.len(), 3);
        assert!(from_html("a letter").is_err());
        for end in (0..html.len()).filter(|end| html.is_char_boundary(*end)) {
            let _ = from_html(&html[..end]);
        }
        assert!(from_html(&"<DL><H3>x</H3>".repeat(1000)).is_err());
    }
}
