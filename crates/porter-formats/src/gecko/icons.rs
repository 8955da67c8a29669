//! Pictures of pages: `favicons.sqlite`, joined to pages by their addresses.

use crate::FormatError;
use crate::bookmarks::{Bookmarks, icons};
use rusqlite::Connection;

/// Adds to each bookmark the smallest picture that is known of its page, as a `data:` address.
pub fn add_to(bookmarks: &mut Bookmarks, database: &Connection) -> Result<(), FormatError> {
    icons::add_to(
        bookmarks,
        database,
        "SELECT i.data FROM moz_pages_w_icons p JOIN moz_icons_to_pages t ON t.page_id = p.id JOIN moz_icons i ON i.id = t.icon_id \
         WHERE p.page_url = ?1 AND i.data IS NOT NULL AND i.width >= 16 ORDER BY i.width LIMIT 1",
    )
}
