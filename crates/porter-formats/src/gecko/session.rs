//! The tabs that were open: JSON in a mozLz4 file, or bare in old versions.

use super::moz_lz4;
use crate::FormatError;
use crate::links::Link;
use serde_json::Value;
use time::OffsetDateTime;

/// The page that each tab shows, window by window.
pub fn tabs(file: &[u8]) -> Result<Vec<Link>, FormatError> {
    let json = if file.first() == Some(&b'{') { file.to_vec() } else { moz_lz4::unpacked(file)? };
    let session: Value =
        serde_json::from_slice(&json).map_err(|cause| FormatError::damaged("session", cause))?;
    let mut tabs = Vec::new();
    for tab in list(&session, "windows").iter().flat_map(|window| list(window, "tabs")) {
        let entries = list(tab, "entries");
        // Counted from one.
        let shown = tab.get("index").and_then(Value::as_u64).and_then(|index| usize::try_from(index).ok());
        let entry = shown.and_then(|index| entries.get(index.checked_sub(1)?)).or(entries.last());
        let text = |name: &str| entry?.get(name)?.as_str().map(str::to_owned);
        let Some(url) = text("url").filter(|url| !url.starts_with("about:")) else { continue };
        let at = tab.get("lastAccessed").and_then(Value::as_i64);
        tabs.push(Link {
            title: text("title").unwrap_or_default(),
            url,
            visited_utc: at.and_then(|at| OffsetDateTime::from_unix_timestamp(at / 1000).ok()),
        });
    }
    Ok(tabs)
}

fn list<'v>(value: &'v Value, name: &str) -> &'v [Value] {
    value.get(name).and_then(Value::as_array).map(Vec::as_slice).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_tab_gives_the_page_that_it_shows() {
        let json = br#"{"windows":[{"tabs":[
            {"entries":[{"url":"https://a.example","title":"A"},{"url":"https://b.example","title":"B"}],"index":1,"lastAccessed":1400000000000},
            {"entries":[{"url":"about:newtab"}],"index":1},{"entries":[]},{"entries":[{"url":"https://c.example"}],"index":99}]}]}"#;
        let tabs = tabs(&moz_lz4::packed(json)).unwrap();
        let urls: Vec<&str> = tabs.iter().map(|tab| tab.url.as_str()).collect();
        assert_eq!(urls, ["https://a.example", "https://c.example"]);
        assert!(tabs[0].visited_utc.is_some() && super::tabs(b"{").is_err());
    }
}
