//! Lines as vCards (RFC 6350) and calendars (RFC 5545) have them: a name, a colon, and a value.

use crate::mail::transfer_encoding::quoted_printable;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;

/// No line is longer, without its end.
const LINE_IN_BYTES: usize = 75;

/// Lines that are written.
#[derive(Debug, Default)]
pub(crate) struct ContentLines(String);

impl ContentLines {
    /// A line whose value is written as it is.
    pub(crate) fn raw(&mut self, name: &str, value: &str) {
        self.fold(&format!("{name}:{value}"));
    }

    /// The same, unless the value is empty.
    pub(crate) fn raw_if(&mut self, name: &str, value: &str) {
        if !value.is_empty() {
            self.raw(name, &value.replace(['\r', '\n'], " "));
        }
    }

    /// A line with a text, unless that is empty.
    pub(crate) fn text(&mut self, name: &str, value: &str) {
        if !value.is_empty() {
            self.raw(name, &escaped(value));
        }
    }

    /// A line with texts that are divided by `between`, unless all are empty.
    pub(crate) fn texts<T: AsRef<str>>(&mut self, name: &str, values: &[T], between: &str) {
        if values.iter().any(|value| !value.as_ref().is_empty()) {
            let values: Vec<String> = values.iter().map(|value| escaped(value.as_ref())).collect();
            self.raw(name, &values.join(between));
        }
    }

    /// A line with bytes, behind a beginning that ends with what stands before them.
    pub(crate) fn bytes(&mut self, begin: &str, value: &[u8]) {
        self.fold(&format!("{begin}{}", STANDARD.encode(value)));
    }

    /// A long line goes on behind a blank, and never ends within a letter.
    fn fold(&mut self, line: &str) {
        let mut length = 0;
        for letter in line.chars() {
            if length + letter.len_utf8() > LINE_IN_BYTES {
                self.0.push_str("\r\n ");
                length = 1;
            }
            self.0.push(letter);
            length += letter.len_utf8();
        }
        self.0.push_str("\r\n");
    }

    /// Lines that somebody else wrote, with their ends.
    pub(crate) fn as_written(&mut self, lines: &str) {
        self.0.push_str(lines);
    }

    /// All that was written.
    pub(crate) fn finish(self) -> String {
        self.0
    }
}

/// A line that is read.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct ContentLine {
    /// In capitals, without the name of its group.
    pub(crate) name: String,
    /// The names in capitals, and the values. In vCard 2.1 a value may stand without its name: it is its name
    /// then.
    pub(crate) parameters: Vec<(String, String)>,
    /// As it stands there.
    pub(crate) value: String,
}

impl ContentLine {
    /// All lines of a text. A line goes on in those that begin with a blank, and behind a `=` at its end if
    /// it is written in numbers.
    pub(crate) fn all_in(text: &str) -> Vec<Self> {
        let mut whole: Vec<String> = Vec::new();
        for line in text.lines() {
            let line = line.trim_end_matches('\r');
            let goes_on = whole.last().is_some_and(|last| last.ends_with('=') && in_numbers(last));
            match whole.last_mut() {
                Some(last) if goes_on => {
                    last.push_str("\r\n");
                    last.push_str(line);
                }
                Some(last) if line.starts_with([' ', '\t']) => last.push_str(&line[1..]),
                _ => whole.push(line.to_owned()),
            }
        }
        whole.iter().filter_map(|line| Self::from_text(line)).collect()
    }

    fn from_text(line: &str) -> Option<Self> {
        // A colon within quotes is of a parameter.
        let mut is_quoted = false;
        let colon = line.char_indices().find(|(_, letter)| {
            is_quoted ^= *letter == '"';
            *letter == ':' && !is_quoted
        })?;
        let (head, value) = (&line[..colon.0], &line[colon.0 + 1..]);
        let mut parts = quoted_parts(head, ';').into_iter();
        let name = parts.next()?;
        let name = name.rsplit('.').next().unwrap_or_default().to_ascii_uppercase();
        let parameters = parts
            .map(|part| match part.split_once('=') {
                Some((name, value)) => (name.to_ascii_uppercase(), value.replace('"', "")),
                None => (part.to_ascii_uppercase(), String::new()),
            })
            .collect();
        Some(Self { name, parameters, value: value.to_owned() })
    }

    fn parameter(&self, name: &str) -> Option<&str> {
        self.parameters.iter().find(|(own, _)| own == name).map(|(_, value)| value.as_str())
    }

    fn has(&self, name: &str) -> bool {
        self.parameters.iter().any(|(own, value)| own == name && value.is_empty())
    }

    /// Its kinds, in capitals, divided by commas.
    pub(crate) fn types(&self) -> String {
        let named = self.parameters.iter().filter(|(name, _)| name == "TYPE").map(|(_, value)| value);
        let alone = self.parameters.iter().filter(|(_, value)| value.is_empty()).map(|(name, _)| name);
        named.chain(alone).map(|word| word.to_ascii_uppercase()).collect::<Vec<_>>().join(",")
    }

    /// True if it is to be preferred among those of its name.
    pub(crate) fn is_preferred(&self) -> bool {
        self.types().split(',').any(|word| word == "PREF") || self.parameter("PREF") == Some("1")
    }

    /// True for bytes in base64.
    pub(crate) fn is_base64(&self) -> bool {
        let is_so =
            |encoding: &str| encoding.eq_ignore_ascii_case("BASE64") || encoding.eq_ignore_ascii_case("b");
        self.parameter("ENCODING").is_some_and(is_so) || self.has("BASE64")
    }

    /// The value with its numbers read.
    fn plain(&self) -> String {
        let is_so = |encoding: &str| encoding.eq_ignore_ascii_case("QUOTED-PRINTABLE");
        if !self.parameter("ENCODING").is_some_and(is_so) && !self.has("QUOTED-PRINTABLE") {
            return self.value.clone();
        }
        let bytes = quoted_printable(self.value.as_bytes());
        let label = self.parameter("CHARSET").unwrap_or("utf-8");
        match (encoding_rs::Encoding::for_label(label.as_bytes()), std::str::from_utf8(&bytes)) {
            (Some(encoding), _) if encoding != encoding_rs::UTF_8 => {
                encoding.decode_without_bom_handling(&bytes).0.into_owned()
            }
            (_, Ok(text)) => text.to_owned(),
            (_, Err(_)) => crate::encoding::of_code_page(&bytes, 1252),
        }
    }

    /// The value as a text.
    pub(crate) fn text(&self) -> String {
        unescaped(&self.plain())
    }

    /// The texts that stand in it, divided by a sign.
    pub(crate) fn texts(&self, between: char) -> Vec<String> {
        let plain = self.plain();
        let mut parts = vec![String::new()];
        let mut is_escaped = false;
        for letter in plain.chars() {
            if letter == between && !is_escaped {
                parts.push(String::new());
            } else if let Some(last) = parts.last_mut() {
                last.push(letter);
            }
            is_escaped = letter == '\\' && !is_escaped;
        }
        parts.iter().map(|part| unescaped(part).trim().to_owned()).collect()
    }
}

/// True for a line whose value is written in numbers.
fn in_numbers(line: &str) -> bool {
    let head = line.split(':').next().unwrap_or_default();
    head.to_ascii_uppercase().contains("QUOTED-PRINTABLE")
}

/// The parts of a text between signs that stand in no quotes.
fn quoted_parts(text: &str, between: char) -> Vec<String> {
    let mut parts = vec![String::new()];
    let mut is_quoted = false;
    for letter in text.chars() {
        is_quoted ^= letter == '"';
        if letter == between && !is_quoted {
            parts.push(String::new());
        } else if let Some(last) = parts.last_mut() {
            last.push(letter);
        }
    }
    parts
}

fn unescaped(text: &str) -> String {
    let mut plain = String::with_capacity(text.len());
    let mut letters = text.chars();
    while let Some(letter) = letters.next() {
        match letter {
            '\\' => match letters.next() {
                Some('n' | 'N') => plain.push('\n'),
                Some(other) => plain.push(other),
                None => {}
            },
            '\r' => {}
            letter => plain.push(letter),
        }
    }
    plain
}

fn escaped(text: &str) -> String {
    let text: String = text.chars().filter(|letter| !letter.is_control() || *letter == '\n').collect();
    text.replace('\\', "\\\\").replace(';', "\\;").replace(',', "\\,").replace('\n', "\\n")
}

/// A value of a parameter, which holds neither quotes nor ends of lines; in quotes where it must be.
pub(crate) fn parameter(text: &str) -> String {
    let text: String = text.chars().filter(|letter| !letter.is_control() && *letter != '"').collect();
    if text.contains([':', ';', ',']) { format!("\"{text}\"") } else { text }
}
