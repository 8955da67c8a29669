//! Windows' files with one address each, `*.url`: Internet Explorer's and the old Edge's favourites are
//! folders of them.
//!
//! INI text; `URL` in the section `[InternetShortcut]` is the address. Written in the system's code page, or
//! in UTF-8 by later programs.

use crate::ini::Ini;
use crate::{FormatError, encoding};

/// The address in such a file.
pub fn url_in(file: &[u8]) -> Result<String, FormatError> {
    let text = match std::str::from_utf8(file) {
        Ok(text) => text.trim_start_matches('\u{feff}').to_owned(),
        // Addresses are ASCII, whatever code page the rest is in.
        Err(_) => encoding::western(file),
    };
    let ini = Ini::from_text(&text);
    let url = ini.get("InternetShortcut", "URL").map(str::to_owned);
    url.filter(|url| !url.is_empty()).ok_or_else(|| FormatError::damaged("shortcut", "it names no URL"))
}

/// A file for an address.
pub fn to_file(url: &str) -> Vec<u8> {
    let one_line: String = url.chars().filter(|c| !c.is_control()).collect();
    format!("[InternetShortcut]\r\nURL={one_line}\r\n").into_bytes()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_address_is_found_in_any_code_page() {
        assert_eq!(url_in(&to_file("https://kites.example/a=b")).unwrap(), "https://kites.example/a=b");
        let old = b"[DEFAULT]\r\nBASEURL=http://old.example/\r\n[InternetShortcut]\r\nIconFile=C:\\Gr\xfc\xdfe.ico\r\nURL=http://old.example/\r\n";
        assert_eq!(url_in(old).unwrap(), "http://old.example/");
        assert!(url_in(b"[InternetShortcut]\r\n").is_err() && url_in(b"\xff\xfe\0").is_err());
    }
}
