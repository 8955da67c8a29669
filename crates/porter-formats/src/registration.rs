//! Registration entries (`.reg`): a text that every Windows since 2000 takes into its registry by a double
//! click.
//!
//! The syntax is from "How to add, modify, or delete registry subkeys and values by using a .reg file"
//! (Microsoft, article 310516).

use std::fmt::Write;

/// A key with its values, as a file of registration entries has them.
#[derive(Debug, Clone, Copy)]
pub struct RegistrationKey<'k> {
    /// Below `HKEY_CURRENT_USER`, with `\` between the names.
    pub key: &'k str,
    /// Stands before it, for who reads the file.
    pub remark: Option<&'k str>,
    /// Name, number of the kind, and data.
    pub values: &'k [(&'k str, u32, &'k [u8])],
}

const TEXT: u32 = 1;
const BYTES: u32 = 3;
const NUMBER: u32 = 4;
/// Longer lines are broken, as Windows itself does.
const LONGEST_LINE: usize = 78;

/// The file: UTF-16 with its mark, lines ended as Windows does.
pub fn to_bytes<'k>(keys: impl Iterator<Item = RegistrationKey<'k>>) -> Vec<u8> {
    let mut text = String::from("Windows Registry Editor Version 5.00\r\n");
    for RegistrationKey { key, remark, values } in keys {
        text.push_str("\r\n");
        if let Some(remark) = remark {
            // A line of its own, whatever is in it.
            text.push_str(&format!("; {}\r\n", remark.replace(['\r', '\n'], " ")));
        }
        text.push_str(&format!("[HKEY_CURRENT_USER\\{key}]\r\n"));
        for (name, kind, data) in values {
            text.push_str(&line(name, *kind, data));
            text.push_str("\r\n");
        }
    }
    [0xfeff].into_iter().chain(text.encode_utf16()).flat_map(u16::to_le_bytes).collect()
}

fn line(name: &str, kind: u32, data: &[u8]) -> String {
    let name = if name.is_empty() { "@".to_owned() } else { quoted(name) };
    if kind == TEXT
        && let Some(text) = plain_text(data)
    {
        return format!("{name}={}", quoted(&text));
    }
    if kind == NUMBER
        && let Ok(number) = data.try_into()
    {
        return format!("{name}=dword:{:08x}", u32::from_le_bytes(number));
    }
    let mut line = if kind == BYTES { format!("{name}=hex:") } else { format!("{name}=hex({kind:x}):") };
    let mut length = line.len();
    for (at, byte) in data.iter().enumerate() {
        // Writing to a text cannot fail.
        let _ = write!(line, "{byte:02x}");
        if at + 1 < data.len() {
            line.push(',');
            length += 3;
            if length > LONGEST_LINE {
                line.push_str("\\\r\n  ");
                length = 2;
            }
        }
    }
    line
}

/// The text, if it is nothing but that and stays on its line.
fn plain_text(data: &[u8]) -> Option<String> {
    let (pairs, rest) = data.as_chunks::<2>();
    let units: Vec<u16> = pairs.iter().map(|pair| u16::from_le_bytes(*pair)).collect();
    let (end, text) = units.split_last()?;
    let text = String::from_utf16(text).ok()?;
    (rest.is_empty() && *end == 0 && !text.contains(['\0', '\r', '\n'])).then_some(text)
}

fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_kind_of_value_is_written_as_windows_writes_it() {
        let utf16 = |text: &str| -> Vec<u8> { text.encode_utf16().flat_map(u16::to_le_bytes).collect() };
        let (path, open, long) = (utf16("C:\\Kites \"red\"\0"), utf16("no end"), vec![0xab; 40]);
        let values = [
            ("", 1, path.as_slice()),
            ("Open", 1, &open),
            ("Folder", 2, b"%\0\0\0"),
            ("Spars", 4, &[12, 0, 0, 0]),
            ("Back\\slash", 3, &[1, 2]),
            ("Long", 3, &long),
            ("Nothing", 0, &[]),
        ];
        let keys =
            [RegistrationKey { key: "Software\\Kites", remark: Some("not\nby itself"), values: &values }];
        let bytes = to_bytes(keys.into_iter());
        let units: Vec<u16> = bytes.chunks(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
        let text = String::from_utf16(&units).unwrap();
        let (head, tail) = text.split_once("\"Long\"=hex:").unwrap();
        assert_eq!(
            head,
            "\u{feff}Windows Registry Editor Version 5.00\r\n\r\n; not by itself\r\n[HKEY_CURRENT_USER\\Software\\Kites]\r\n\
             @=\"C:\\\\Kites \\\"red\\\"\"\r\n\"Open\"=hex(1):6e,00,6f,00,20,00,65,00,6e,00,64,00\r\n\
             \"Folder\"=hex(2):25,00,00,00\r\n\"Spars\"=dword:0000000c\r\n\"Back\\\\slash\"=hex:01,02\r\n"
        );
        assert!(tail.lines().all(|line| line.len() <= 82) && tail.contains(",\\\r\n  ab,"), "{tail}");
        assert!(tail.ends_with("ab\r\n\"Nothing\"=hex(0):\r\n"), "{tail}");
    }
}
