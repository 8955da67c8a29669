//! Pictures of pages, for the forms that have them.

use super::{Bookmarks, Folder, Node};
use crate::FormatError;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use rusqlite::{CachedStatement, Connection, OptionalExtension};

/// Larger pictures are not icons.
const LARGEST_IN_BYTES: usize = 64 << 10;

/// Adds to each bookmark the picture that a question finds for its address (`?1`), as a `data:` address.
pub(crate) fn add_to(
    bookmarks: &mut Bookmarks,
    database: &Connection,
    question: &str,
) -> Result<(), FormatError> {
    let mut statement = database.prepare_cached(question)?;
    for root in [&mut bookmarks.toolbar, &mut bookmarks.menu, &mut bookmarks.other, &mut bookmarks.mobile] {
        add_below(root, &mut statement)?;
    }
    Ok(())
}

fn add_below(folder: &mut Folder, statement: &mut CachedStatement<'_>) -> Result<(), FormatError> {
    for node in &mut folder.children {
        match node {
            Node::Folder(inner) => add_below(inner, statement)?,
            Node::Bookmark(bookmark) => {
                let data: Option<Vec<u8>> =
                    statement.query_row([&bookmark.url], |row| row.get(0)).optional()?;
                let data = data.filter(|data| data.len() <= LARGEST_IN_BYTES);
                bookmark.icon = data.and_then(|data| {
                    let kind = kind_of(&data)?;
                    Some(format!("data:{kind};base64,{}", STANDARD.encode(&data)))
                });
            }
            Node::Separator => {}
        }
    }
    Ok(())
}

/// By the first bytes, which browsers store only of what they have drawn themselves.
fn kind_of(data: &[u8]) -> Option<&'static str> {
    match data {
        [0x89, b'P', b'N', b'G', ..] => Some("image/png"),
        [b'<', ..] => Some("image/svg+xml"),
        [0xff, 0xd8, ..] => Some("image/jpeg"),
        [0, 0, 1, 0, ..] => Some("image/x-icon"),
        _ => None,
    }
}
