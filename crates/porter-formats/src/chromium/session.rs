//! The tabs that were open: the newest `Session_…` file in `Sessions`.
//!
//! `SNSS`, a version (1 or 3), then commands: a length of 2 bytes, a number, and its data. 6 records where a
//! tab went (a length of 4 bytes, tab, index, address, title as UTF-16, each length 4 bytes and padded to 4),
//! 7 which of these it shows, 16 that a tab was closed (Chromium's
//! `components/sessions/core/session_service_commands.cc`).

use crate::FormatError;
use crate::links::Link;
use std::collections::BTreeMap;

const FORMAT: &str = "session file";

#[derive(Default)]
struct Tab {
    pages: BTreeMap<u32, (String, String)>,
    shown: Option<u32>,
}

/// The page that each tab shows. A command cut off at the end is left out: the browser appends as it goes.
pub fn tabs(file: &[u8]) -> Result<Vec<Link>, FormatError> {
    if file.get(..4) != Some(b"SNSS") {
        return Err(FormatError::damaged(FORMAT, "it does not begin with SNSS"));
    }
    match number(file, 4) {
        Some(1 | 3) => {}
        Some(version) => return Err(FormatError::Unsupported { what: FORMAT, version: version.to_string() }),
        None => return Err(FormatError::damaged(FORMAT, "it has no version")),
    }
    let mut tabs: BTreeMap<u32, Tab> = BTreeMap::new();
    let mut at = 8;
    while let Some(length) = file.get(at..at + 2) {
        let length = usize::from(length[0]) | usize::from(length[1]) << 8;
        let Some(command) = file.get(at + 2..at + 2 + length) else { break };
        at += 2 + length;
        let Some((kind, data)) = command.split_first() else { continue };
        match kind {
            6 => {
                if let Some((tab, index, page)) = navigation(data) {
                    tabs.entry(tab).or_default().pages.insert(index, page);
                }
            }
            7 => {
                if let (Some(tab), Some(index)) = (number(data, 0), number(data, 4)) {
                    tabs.entry(tab).or_default().shown = Some(index);
                }
            }
            16 => {
                if let Some(tab) = number(data, 0) {
                    tabs.remove(&tab);
                }
            }
            _ => {}
        }
    }
    let shown = tabs.into_values().filter_map(|tab| {
        let last = tab.pages.keys().next_back().copied();
        let (url, title) =
            tab.shown.and_then(|index| tab.pages.get(&index)).or(tab.pages.get(&last?))?.clone();
        Some(Link { title, url, visited_utc: None })
    });
    let leads = |link: &Link| !link.url.starts_with("chrome:") && !link.url.starts_with("about:");
    Ok(shown.filter(leads).collect())
}

fn navigation(data: &[u8]) -> Option<(u32, u32, (String, String))> {
    let (tab, index) = (number(data, 4)?, number(data, 8)?);
    let length = usize::try_from(number(data, 12)?).ok()?;
    let url = String::from_utf8_lossy(data.get(16..16_usize.checked_add(length)?)?).into_owned();
    let behind = 16 + length.next_multiple_of(4);
    let title: Vec<u16> = number(data, behind)
        .and_then(|length| {
            data.get(behind + 4..(behind + 4).checked_add(usize::try_from(length).ok()?.checked_mul(2)?)?)
        })
        .unwrap_or_default()
        .chunks_exact(2)
        .map(|pair| u16::from_le_bytes([pair[0], pair[1]]))
        .collect();
    Some((tab, index, (url, String::from_utf16_lossy(&title))))
}

fn number(data: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_le_bytes(data.get(at..at.checked_add(4)?)?.try_into().ok()?))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn command(kind: u8, data: &[u8]) -> Vec<u8> {
        [&(data.len() as u16 + 1).to_le_bytes()[..], &[kind], data].concat()
    }

    fn navigation(tab: u32, index: u32, url: &str, title: &str) -> Vec<u8> {
        let mut data = [0_u32, tab, index, url.len() as u32].map(u32::to_le_bytes).concat();
        data.extend(url.as_bytes());
        data.resize(data.len().next_multiple_of(4), 0);
        let title: Vec<u16> = title.encode_utf16().collect();
        data.extend((title.len() as u32).to_le_bytes());
        data.extend(title.iter().flat_map(|unit| unit.to_le_bytes()));
        command(6, &data)
    }

    #[test]
    fn each_open_tab_gives_the_page_that_it_shows_and_lies_harm_nobody() {
        let pair = |a: u32, b: u32| [a, b].map(u32::to_le_bytes).concat();
        let file = [
            b"SNSS\x03\0\0\0".to_vec(),
            navigation(1, 0, "https://a.example", "A"),
            navigation(1, 1, "https://b.example/long", "B ☂"),
            command(7, &pair(1, 0)),
            navigation(2, 0, "https://closed.example", "C"),
            command(16, &pair(2, 0)),
            navigation(3, 0, "chrome://newtab/", ""),
            navigation(4, 0, "https://d.example", "D"),
        ]
        .concat();
        let urls =
            |file: &[u8]| tabs(file).map(|tabs| tabs.into_iter().map(|tab| tab.url).collect::<Vec<_>>());
        assert_eq!(urls(&file).unwrap(), ["https://a.example", "https://d.example"]);
        for at in 0..file.len() {
            let _ = urls(&file[..at]);
            let mut lying = file.clone();
            lying[at] = 0xff;
            let _ = urls(&lying);
        }
        assert!(
            urls(b"SNSS").is_err() && matches!(urls(b"SNSS\x09\0\0\0"), Err(FormatError::Unsupported { .. }))
        );
    }
}
