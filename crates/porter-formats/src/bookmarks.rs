//! Bookmarks as a tree, whichever browser they come from.
//!
//! - [`mod@merge`]: one tree into another, without duplicates;
//! - [`mod@file`]: the HTML file that browsers import and export.

pub mod file;
pub(crate) mod icons;
pub mod merge;

pub use merge::{Added, merge};

use time::OffsetDateTime;

/// All bookmarks of one profile, by where the browser shows them.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Bookmarks {
    /// Shown as a bar below the address.
    pub toolbar: Folder,
    /// Shown in the menu; browsers around Chromium have no such place.
    pub menu: Folder,
    /// Shown apart.
    pub other: Folder,
    /// Come from a telephone.
    pub mobile: Folder,
}

/// One row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Node {
    /// A folder with what is in it.
    Folder(Folder),
    /// An address.
    Bookmark(Bookmark),
    /// A line between others.
    Separator,
}

/// A folder of bookmarks.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Folder {
    /// Its number where it was read from; none for one that is new there.
    pub id: Option<i64>,
    /// Its title.
    pub title: String,
    /// When it was made.
    pub added_utc: Option<OffsetDateTime>,
    /// Its children, in order.
    pub children: Vec<Node>,
}

/// One bookmark.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Bookmark {
    /// Its number where it was read from; none for one that is new there.
    pub id: Option<i64>,
    /// Its title.
    pub title: String,
    /// Where it leads.
    pub url: String,
    /// When it was made.
    pub added_utc: Option<OffsetDateTime>,
    /// Words that it is filed under as well.
    pub tags: Vec<String>,
    /// The keyword that opens it when typed.
    pub keyword: Option<String>,
    /// The address of the feed, if it stands for one.
    pub feed_url: Option<String>,
    /// Its picture, as a `data:` address.
    pub icon: Option<String>,
}

/// The title that a menu gets in a browser that has none; it is known again by this.
pub const MENU_TITLE: &str = "Bookmarks Menu";

impl Bookmarks {
    /// The four roots.
    pub fn roots(&self) -> [&Folder; 4] {
        [&self.toolbar, &self.menu, &self.other, &self.mobile]
    }

    /// All bookmarks, however deep; separators and folders do not count.
    pub fn count(&self) -> u64 {
        self.roots().into_iter().map(Folder::count).sum()
    }

    /// All feeds: titles and addresses.
    pub fn feeds(&self) -> Vec<(String, String)> {
        let mut feeds = Vec::new();
        for root in self.roots() {
            root.each(&mut |bookmark| {
                feeds.extend(bookmark.feed_url.clone().map(|url| (bookmark.title.clone(), url)));
            });
        }
        feeds
    }
}

impl Folder {
    /// A folder that is nowhere yet.
    pub fn new(title: &str) -> Self {
        Self { title: title.to_owned(), ..Self::default() }
    }

    /// Bookmarks in it, however deep.
    pub fn count(&self) -> u64 {
        let mut count = 0;
        self.each(&mut |_| count += 1);
        count
    }

    /// Visits all bookmarks in order.
    pub fn each(&self, visit: &mut dyn FnMut(&Bookmark)) {
        for node in &self.children {
            match node {
                Node::Folder(folder) => folder.each(visit),
                Node::Bookmark(bookmark) => visit(bookmark),
                Node::Separator => {}
            }
        }
    }
}

/// No real tree is deeper; one that is, was made to harm.
pub(crate) const DEEPEST: usize = 200;
