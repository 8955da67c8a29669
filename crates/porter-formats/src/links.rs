//! Pages and outlines of links: histories and open tabs as a page for any browser, feeds as OPML 2.0.

use crate::html::escaped;
use std::fmt::Write;
use time::OffsetDateTime;
use time::macros::format_description;

/// An address that somebody was at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Link {
    /// The page's title.
    pub title: String,
    /// Where it is.
    pub url: String,
    /// When somebody was there last.
    pub visited_utc: Option<OffsetDateTime>,
}

/// Passes on rows of title, address and time, until `give` fails.
pub(crate) fn give_rows(
    statement: &mut rusqlite::Statement<'_>,
    time: impl Fn(i64) -> Option<OffsetDateTime>,
    mut give: impl FnMut(Link) -> std::io::Result<()>,
) -> Result<std::io::Result<()>, crate::FormatError> {
    let mut rows = statement.query([])?;
    while let Some(row) = rows.next()? {
        let link = Link {
            title: row.get::<_, Option<String>>(0)?.unwrap_or_default(),
            url: row.get(1)?,
            visited_utc: row.get::<_, Option<i64>>(2)?.and_then(&time),
        };
        if let Err(cause) = give(link) {
            return Ok(Err(cause));
        }
    }
    Ok(Ok(()))
}

/// The head and foot of a page of links.
pub struct Page<W: std::io::Write> {
    to: W,
}

impl<W: std::io::Write> Page<W> {
    /// Begins a page.
    pub fn begin(mut to: W, title: &str) -> std::io::Result<Self> {
        let title = escaped(title);
        write!(
            to,
            "<!doctype html>\n<html lang=\"en\">\n<meta charset=\"utf-8\">\n<title>{title}</title>\n\
             <style>body{{font:16px/1.5 sans-serif;max-width:60em;margin:2em auto;padding:0 1em}}\
             time{{color:#555;margin-right:1em;font-variant-numeric:tabular-nums}}li{{overflow-wrap:anywhere}}</style>\n\
             <h1>{title}</h1>\n<ul>\n"
        )?;
        Ok(Self { to })
    }

    /// One link.
    pub fn link(&mut self, link: &Link) -> std::io::Result<()> {
        let format = format_description!("[year]-[month]-[day] [hour]:[minute]");
        let when = link.visited_utc.and_then(|at| at.format(format).ok());
        let when = when.map(|when| format!("<time>{when}</time>")).unwrap_or_default();
        let title = if link.title.trim().is_empty() { &link.url } else { &link.title };
        // Only addresses that lead somewhere become links: a script must not run from an old history.
        let leads = ["https://", "http://", "ftp://"].iter().any(|scheme| link.url.starts_with(scheme));
        if leads {
            writeln!(self.to, "<li>{when}<a href=\"{}\">{}</a>", escaped(&link.url), escaped(title))
        } else {
            writeln!(self.to, "<li>{when}{} <code>{}</code>", escaped(title), escaped(&link.url))
        }
    }

    /// Ends it.
    pub fn end(mut self) -> std::io::Result<()> {
        writeln!(self.to, "</ul>\n</html>")?;
        self.to.flush()
    }
}

/// Feeds, as title and address, for the import of any reader.
pub fn feeds_to_opml(feeds: &[(String, String)]) -> String {
    let mut opml = String::from(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<opml version=\"2.0\">\n  <head><title>Feeds</title></head>\n  <body>\n",
    );
    for (title, url) in feeds {
        let (title, url) = (escaped(title), escaped(url));
        let _ =
            writeln!(opml, "    <outline type=\"rss\" text=\"{title}\" title=\"{title}\" xmlUrl=\"{url}\"/>");
    }
    opml.push_str("  </body>\n</opml>\n");
    opml
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_page_links_to_what_leads_somewhere_and_to_no_script() {
        let mut html = Vec::new();
        let mut page = Page::begin(&mut html, "Odile's history").unwrap();
        for url in ["https://kites.example/?a=1&b=2", "javascript:alert(1)"] {
            let visited_utc = OffsetDateTime::from_unix_timestamp(1_400_000_000).ok();
            page.link(&Link { title: String::new(), url: url.to_owned(), visited_utc }).unwrap();
        }
        page.end().unwrap();
        let html = String::from_utf8(html).unwrap();
        assert!(
            html.contains("<time>2014-05-13 16:53</time><a href=\"https://kites.example/?a=1&amp;b=2\">"),
            "{html}"
        );
        assert!(!html.contains("href=\"javascript"), "{html}");
        let opml = feeds_to_opml(&[("Wind & tide".to_owned(), "https://w.example/\"f\"".to_owned())]);
        assert!(opml.contains("text=\"Wind &amp; tide\""), "{opml}");
        assert!(opml.contains("xmlUrl=\"https://w.example/&quot;f&quot;\"/>"), "{opml}");
    }
}
