//! The headers of a letter: those that came, and words and people in those that are made.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;

/// Longer lines are not sent as they are.
pub(super) const LONGEST_LINE: usize = 990;

/// The lines of the headers that came, each with the lines that go on from it; without those that say how the
/// parts were written.
pub(super) fn kept_headers(came: &str) -> Vec<String> {
    let mut all: Vec<String> = Vec::new();
    for line in came.lines().map(|line| line.trim_end_matches('\r')).take_while(|line| !line.is_empty()) {
        if line.starts_with([' ', '\t']) {
            if let Some(last) = all.last_mut() {
                last.push_str("\r\n");
                last.push_str(line);
            }
        } else {
            all.push(line.to_owned());
        }
    }
    all.retain(|line| {
        let name = line.split_once(':').map(|(name, _)| name.to_ascii_lowercase());
        name.is_some_and(|name| {
            !name.is_empty()
                && name.bytes().all(|byte| byte.is_ascii_graphic())
                && !name.starts_with("content-")
                && name != "mime-version"
        })
    });
    all
}

pub(super) fn one_line(text: &str) -> String {
    text.chars().filter(|c| !c.is_control()).collect::<String>().trim().to_owned()
}

/// A text in a header: as it is, or in words of RFC 2047.
pub(super) fn encoded(text: &str) -> String {
    /// So long that a word has less than 75 letters.
    const BYTES_IN_A_WORD: usize = 42;
    let text = one_line(text);
    if text.is_ascii() && text.len() <= LONGEST_LINE {
        return text;
    }
    let mut words = vec![String::new()];
    for letter in text.chars() {
        if words.last().is_some_and(|word| word.len() + letter.len_utf8() > BYTES_IN_A_WORD) {
            words.push(String::new());
        }
        if let Some(word) = words.last_mut() {
            word.push(letter);
        }
    }
    let words: Vec<String> =
        words.iter().map(|word| format!("=?utf-8?B?{}?=", STANDARD.encode(word))).collect();
    words.join("\r\n ")
}

/// A person in a header.
pub(super) fn mailbox(name: &str, address: &str) -> String {
    let address = one_line(address);
    let name = one_line(name);
    if name.is_empty() || name == address {
        return address;
    }
    let shown = if name.is_ascii() {
        format!("\"{}\"", name.replace('\\', "\\\\").replace('"', "\\\""))
    } else {
        encoded(&name)
    };
    if address.is_empty() { shown } else { format!("{shown} <{address}>") }
}

pub(super) fn shown(name: &str, address: &str) -> String {
    match (name.is_empty(), address.is_empty() || name == address) {
        (true, _) => address.to_owned(),
        (false, true) => name.to_owned(),
        (false, false) => format!("{name} <{address}>"),
    }
}

/// The parameter with the name of a file; RFC 2231 for letters beyond ASCII.
pub(super) fn file_name(name: &str) -> String {
    let name = one_line(name);
    if name.is_ascii() {
        return format!("filename=\"{}\"", name.replace('\\', "\\\\").replace('"', "\\\""));
    }
    let kept = |byte: u8| byte.is_ascii_alphanumeric() || b"-._".contains(&byte);
    let letter = |byte: u8| if kept(byte) { char::from(byte).to_string() } else { format!("%{byte:02X}") };
    format!("filename*=utf-8''{}", name.bytes().map(letter).collect::<String>())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headers_that_came_stay_but_for_those_of_parts_and_words_are_encoded_where_they_must_be() {
        let came = "Microsoft Mail Internet Headers Version 2.0\r\nReceived: by mail\r\n\tfrom kites\r\nContent-Type: text/plain\r\n charset=x\r\n\
                    Subject: Sails\nMIME-Version: 1.0\n\nbody";
        assert_eq!(kept_headers(came), ["Received: by mail\r\n\tfrom kites", "Subject: Sails"]);
        assert_eq!(encoded("Order 3\r\nBcc: all"), "Order 3Bcc: all");
        assert_eq!(encoded("\u{dc}bern\u{e4}hte"), "=?utf-8?B?w5xiZXJuw6RodGU=?=");
        let long = encoded(&"\u{e9}".repeat(60));
        assert!(long.lines().all(|line| line.len() < 78) && long.lines().count() > 1, "{long}");
        assert_eq!(
            mailbox("Ines \"the\" Albrecht", "ines@x.example"),
            "\"Ines \\\"the\\\" Albrecht\" <ines@x.example>"
        );
        assert_eq!(file_name("Caf\u{e9} \"1\".pdf"), "filename*=utf-8''Caf%C3%A9%20%221%22.pdf");
    }
}
