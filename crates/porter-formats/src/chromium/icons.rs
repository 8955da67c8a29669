//! Pictures of pages: the database `Favicons`, joined to pages by their addresses.

use crate::FormatError;
use crate::bookmarks::{Bookmarks, icons};
use rusqlite::Connection;

/// Adds to each bookmark the smallest picture that is known of its page, as a `data:` address.
pub fn add_to(bookmarks: &mut Bookmarks, database: &Connection) -> Result<(), FormatError> {
    icons::add_to(
        bookmarks,
        database,
        "SELECT b.image_data FROM icon_mapping m JOIN favicon_bitmaps b ON b.icon_id = m.icon_id \
         WHERE m.page_url = ?1 AND b.image_data IS NOT NULL AND b.width >= 16 ORDER BY b.width LIMIT 1",
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::bookmarks::{Bookmark, Folder, Node};

    #[test]
    fn the_smallest_picture_of_a_page_is_given_and_what_is_no_picture_is_not() {
        let database = Connection::open_in_memory().unwrap();
        database
            .execute_batch(
                "CREATE TABLE icon_mapping (id INTEGER PRIMARY KEY, page_url LONGVARCHAR NOT NULL, icon_id INTEGER);
                 CREATE TABLE favicon_bitmaps (id INTEGER PRIMARY KEY, icon_id INTEGER NOT NULL, last_updated INTEGER DEFAULT 0, image_data BLOB, width INTEGER DEFAULT 0, height INTEGER DEFAULT 0);
                 INSERT INTO icon_mapping VALUES (1, 'k:1', 7), (2, 'k:2', 8);
                 INSERT INTO favicon_bitmaps VALUES (1, 7, 0, x'89504e47ff', 32, 32), (2, 7, 0, x'89504e47aa', 16, 16), (3, 8, 0, x'001122', 16, 16);",
            )
            .unwrap();
        let link = |url: &str| Node::Bookmark(Bookmark { url: url.to_owned(), ..Bookmark::default() });
        let children = vec![link("k:1"), link("k:2"), link("k:3")];
        let mut bookmarks =
            Bookmarks { other: Folder { children, ..Folder::default() }, ..Bookmarks::default() };
        add_to(&mut bookmarks, &database).unwrap();
        let icons: Vec<Option<&str>> = bookmarks
            .other
            .children
            .iter()
            .filter_map(|node| if let Node::Bookmark(one) = node { Some(one.icon.as_deref()) } else { None })
            .collect();
        assert_eq!(icons, [Some("data:image/png;base64,iVBOR6o="), None, None]);
    }
}
