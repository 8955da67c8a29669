//! Lines as vCards (RFC 6350) and calendars (RFC 5545) have them: a name, a colon, and a value.

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

    /// All that was written.
    pub(crate) fn finish(self) -> String {
        self.0
    }
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
