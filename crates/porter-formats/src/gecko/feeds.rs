//! The feeds that a mail program of Mozilla's reads: `feeds.json`, and `feeds.rdf` of versions before 78.

use crate::FormatError;
use crate::xml::Element;
use serde::Deserialize;

const WHAT: &str = "a list of feeds";

/// A row of the newer list.
#[derive(Deserialize)]
struct Row {
    url: String,
    #[serde(default)]
    title: Option<String>,
}

/// Title and address of each feed of the newer list.
pub fn from_json(file: &[u8]) -> Result<Vec<(String, String)>, FormatError> {
    let rows: Vec<Row> = serde_json::from_slice(file).map_err(|cause| FormatError::damaged(WHAT, cause))?;
    let feeds = rows.into_iter().map(|Row { url, title }| (title.unwrap_or_default(), url));
    Ok(feeds.filter(is_feed).collect())
}

/// The same of the older list. Rows about single articles are passed by.
pub fn from_rdf(file: &[u8]) -> Result<Vec<(String, String)>, FormatError> {
    let root = Element::from_bytes(file, WHAT)?;
    let mut feeds = Vec::new();
    root.each(&mut |element| {
        let Some(url) = element.attribute("identifier") else { return };
        let title = element.attribute("title").unwrap_or_default();
        feeds.push((title.to_owned(), url.to_owned()));
    });
    feeds.retain(is_feed);
    feeds.dedup();
    Ok(feeds)
}

fn is_feed((_, url): &(String, String)) -> bool {
    ["https://", "http://"].iter().any(|scheme| url.starts_with(scheme))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn feeds_of_both_lists_are_read() {
        let expected = [("Tides & winds".to_owned(), "https://tides.example/feed?a=1&b=2".to_owned())];
        let json = br#"[{"destFolder":"mailbox://nobody@Feeds/Tides","title":"Tides & winds","url":"https://tides.example/feed?a=1&b=2"},{"url":"javascript:x"}]"#;
        assert_eq!(from_json(json).unwrap(), expected);
        let rdf = "<?xml version=\"1.0\"?><RDF:RDF xmlns:NS1=\"urn:forumzilla:\" xmlns:dc=\"http://purl.org/dc/elements/1.1/\" xmlns:RDF=\"x\">\
            <RDF:Seq RDF:about=\"urn:forumzilla:feeds\"><RDF:li RDF:resource=\"https://tides.example/feed\"/></RDF:Seq>\
            <RDF:Description RDF:about=\"y\" dc:title=\"Tides &amp; winds\" dc:identifier=\"https://tides.example/feed?a=1&amp;b=2\"/></RDF:RDF>";
        assert_eq!(from_rdf(rdf.as_bytes()).unwrap(), expected);
        assert!(from_json(b"{}").is_err() && from_rdf(b"{}").is_err());
    }
}
