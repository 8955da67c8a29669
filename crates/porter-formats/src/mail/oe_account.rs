//! An account of Windows Mail and Windows Live Mail: `account{…}.oeaccount`, XML of UTF-16 with an element
//! for each value. Its names are those that Outlook Express gave the values of its registry, with `_` for
//! blanks. Values of the type `DWORD` are hexadecimal. Passwords stand there, bound to the Windows account:
//! they are never read.

use crate::{FormatError, encoding};
use std::collections::BTreeMap;

const WHAT: &str = ".oeaccount";
/// The element around all others.
const AROUND: &str = "<MessageAccount";

/// The values of an account by name, with blanks: `POP3 Server`. Numbers are decimal.
pub fn values(file: &[u8]) -> Result<BTreeMap<String, String>, FormatError> {
    let text = encoding::by_mark(file);
    let begin = text.find(AROUND).ok_or_else(|| FormatError::damaged(WHAT, "there is no account in it"))?;
    let mut values = BTreeMap::new();
    let mut rest = &text[begin + AROUND.len()..];
    while let Some(at) = rest.find('<') {
        rest = &rest[at + 1..];
        let Some(end) = rest.find('>') else { break };
        let (tag, behind) = (&rest[..end], &rest[end + 1..]);
        rest = behind;
        let (name, attributes) = tag.split_once(char::is_whitespace).unwrap_or((tag, ""));
        if name.starts_with(['/', '!', '?']) || tag.ends_with('/') || name.contains("Password") {
            continue;
        }
        let Some(length) = behind.find("</").filter(|at| behind[at + 2..].starts_with(name)) else {
            continue;
        };
        let value = unescaped(&behind[..length]);
        let value = match attributes.contains("DWORD") {
            true => match u32::from_str_radix(value.trim(), 16) {
                Ok(number) => number.to_string(),
                Err(_) => continue,
            },
            false => value,
        };
        values.insert(name.replace('_', " "), value);
    }
    Ok(values)
}

fn unescaped(text: &str) -> String {
    let names = [("&lt;", "<"), ("&gt;", ">"), ("&quot;", "\""), ("&apos;", "'"), ("&amp;", "&")];
    names.iter().fold(text.to_owned(), |text, (name, sign)| text.replace(name, sign))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_read_and_no_password_is() {
        let text = "<?xml version=\"1.0\"?><MessageAccount><Account_Name type=\"SZ\">Loft &amp; shop</Account_Name>\
            <POP3_Server type=\"SZ\">mail.saltmarsh.example</POP3_Server><POP3_Port type=\"DWORD\">000003e3</POP3_Port>\
            <POP3_Password2 type=\"BINARY\">0a0b</POP3_Password2><SMTP_Port type=\"DWORD\">none</SMTP_Port><Empty/>\
            <Last type=\"SZ\">torn";
        let wide: Vec<u8> =
            [0xff, 0xfe].into_iter().chain(text.encode_utf16().flat_map(u16::to_le_bytes)).collect();
        for file in [wide.as_slice(), text.as_bytes()] {
            let values = values(file).unwrap();
            let expected = [
                ("Account Name", "Loft & shop"),
                ("POP3 Port", "995"),
                ("POP3 Server", "mail.saltmarsh.example"),
            ];
            assert_eq!(values.iter().map(|(name, value)| (&**name, &**value)).collect::<Vec<_>>(), expected);
        }
        assert!(values(b"").is_err() && values(b"<html><b>no</b></html>").is_err());
    }
}
