//! Setup information of a driver's package: which devices it is for, on which processors, and the catalogue
//! that signs its files.
//!
//! A text of sections (Windows Driver Kit: *General Syntax Rules for INF Files*, *INF Version Section*, *INF
//! Manufacturer Section*, *INF Models Section*): a quotation mark keeps a text together, `;` begins a remark,
//! `\` at its end goes on with a line, and `%NAME%` stands for a text of the section `Strings`.

use crate::FormatError;
use crate::encoding::{by_mark, western};
use std::collections::{BTreeSet, HashMap};

const WHAT: &str = "setup information";
/// No device and no file has a longer name.
const LONGEST_NAME: usize = 1024;
/// The class of printers (`devguid.h`).
const PRINTERS: &str = "{4d36e979-e325-11ce-bfc1-08002be10318}";

/// See the module.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Inf {
    /// By their names in small letters; several of one name are one.
    sections: HashMap<String, Vec<Line>>,
    /// The texts that names stand for.
    strings: HashMap<String, String>,
}

/// `KEY = FIELD, FIELD`. A line without a sign has fields alone.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Line {
    key: Option<String>,
    fields: Vec<String>,
}

impl Inf {
    /// Reads the text. A file without a section `Version` is damaged, or something else.
    pub fn from_bytes(file: &[u8]) -> Result<Self, FormatError> {
        let text = if file.starts_with(&[0xff, 0xfe]) || std::str::from_utf8(file).is_ok() {
            by_mark(file)
        } else {
            western(file)
        };
        let mut sections: HashMap<String, Vec<Line>> = HashMap::new();
        let mut now = None;
        let mut lines = text.lines();
        while let Some(line) = lines.next() {
            let mut tokens = tokens_of(line);
            while tokens.last() == Some(&Token::GoesOn) {
                tokens.pop();
                tokens.extend(lines.next().map(tokens_of).unwrap_or_default());
            }
            match (tokens.as_slice(), &now) {
                ([], _) => {}
                ([Token::Text(text), ..], _) if text.starts_with('[') => {
                    let name = text.trim_start_matches('[').split(']').next().unwrap_or_default();
                    let name = name.trim().to_lowercase();
                    sections.entry(name.clone()).or_default();
                    now = Some(name);
                }
                (tokens, Some(name)) => sections.entry(name.clone()).or_default().push(line_of(tokens)),
                (_, None) => {}
            }
        }
        let strings = sections.get("strings").map(Vec::as_slice).unwrap_or_default().iter();
        let string = |line: &Line| Some((line.key.as_ref()?.to_lowercase(), line.fields.first()?.clone()));
        // The first of one name counts.
        let strings = strings.rev().filter_map(string).collect();
        if sections.get("version").is_none_or(Vec::is_empty) {
            return Err(FormatError::damaged(WHAT, "it has no section `Version`"));
        }
        Ok(Self { sections, strings })
    }

    /// True for a driver of printers.
    pub fn is_of_printers(&self) -> bool {
        let is = |name: &str, wanted: &str| {
            self.version(name).is_some_and(|value| value.eq_ignore_ascii_case(wanted))
        };
        is("ClassGUID", PRINTERS) || is("Class", "Printer")
    }

    /// The name of the file that signs the package for a processor, `x64`, `x86` or `arm64`; none if it is
    /// not signed.
    pub fn catalogue(&self, processor: &str) -> Option<String> {
        let own = format!("CatalogFile.{}", decoration_of(processor)?);
        let name = [own.as_str(), "CatalogFile.NT", "CatalogFile"];
        name.into_iter().find_map(|name| self.version(name)).filter(|name| !name.is_empty())
    }

    /// True if it has a driver for a device of that name, as Windows names it, on such a processor.
    pub fn has_model(&self, processor: &str, model: &str) -> bool {
        let Some(decoration) = decoration_of(processor) else { return false };
        // Many makers may name one section: each is gone through once.
        let mut sections: BTreeSet<&str> = BTreeSet::new();
        for maker in self.lines("Manufacturer") {
            // A name alone is that of its section.
            let (section, targets) = match (&maker.key, maker.fields.as_slice()) {
                (_, [section, targets @ ..]) => (section, targets),
                (Some(section), []) => (section, &[][..]),
                (None, []) => continue,
            };
            let section = self.in_full(section);
            let wanted = targets.iter().filter(|target| {
                let first = target.split('.').next().unwrap_or_default();
                first.eq_ignore_ascii_case(decoration)
                    || (processor == "x86" && first.eq_ignore_ascii_case("NT"))
            });
            let named = wanted.map(|target| format!("{section}.{target}"));
            // A section without a mark is for x86 alone (since Windows Server 2003).
            let named = named.chain((processor == "x86").then(|| section.clone()));
            let known = named.filter_map(|name| self.sections.get_key_value(&name.to_lowercase()));
            sections.extend(known.map(|(name, _)| name.as_str()));
        }
        let mut models =
            sections.iter().flat_map(|section| self.lines(section)).filter_map(|line| line.key.as_ref());
        models.any(|name| self.in_full(name).eq_ignore_ascii_case(model))
    }

    fn version(&self, name: &str) -> Option<String> {
        let is_it = |line: &&Line| line.key.as_ref().is_some_and(|key| key.eq_ignore_ascii_case(name));
        Some(self.in_full(self.lines("Version").find(is_it)?.fields.first()?))
    }

    fn lines(&self, section: &str) -> impl Iterator<Item = &Line> {
        self.sections.get(&section.to_lowercase()).into_iter().flatten()
    }

    /// A text with what it stands for, once: a text of the section `Strings` holds no further names. One that
    /// is longer than any name ends there.
    fn in_full(&self, text: &str) -> String {
        let mut full = String::new();
        let mut rest = text;
        while let Some((before, behind)) = rest.split_once('%').filter(|_| full.len() <= LONGEST_NAME) {
            full.push_str(before);
            let Some((name, behind)) = behind.split_once('%') else {
                full.push('%');
                rest = behind;
                break;
            };
            match self.strings.get(&name.to_lowercase()) {
                _ if name.is_empty() => full.push('%'),
                Some(known) => full.extend(known.chars().take(LONGEST_NAME)),
                None => full.extend(["%", name, "%"]),
            }
            rest = behind;
        }
        full.push_str(rest);
        full
    }
}

/// The mark of sections for a processor.
fn decoration_of(processor: &str) -> Option<&'static str> {
    let known = [("x64", "NTamd64"), ("x86", "NTx86"), ("arm64", "NTarm64")];
    known.iter().find_map(|(name, mark)| (*name == processor).then_some(*mark))
}

#[derive(Debug, PartialEq, Eq)]
enum Token {
    Text(String),
    Equals,
    Comma,
    GoesOn,
}

fn tokens_of(line: &str) -> Vec<Token> {
    let mut tokens = Vec::new();
    let mut text = String::new();
    let (mut is_quoted, mut has_quotes) = (false, false);
    let mut letters = line.trim_end().chars().peekable();
    let end = |text: &mut String, has_quotes: &mut bool, tokens: &mut Vec<Token>| {
        let taken = std::mem::take(text);
        let whole = if *has_quotes { taken } else { taken.trim().to_owned() };
        if !whole.is_empty() || *has_quotes {
            tokens.push(Token::Text(whole));
        }
        *has_quotes = false;
    };
    while let Some(letter) = letters.next() {
        match letter {
            // Two marks in a text are one.
            '"' if is_quoted && letters.peek() == Some(&'"') => text.extend(letters.next()),
            '"' => {
                if !is_quoted && !has_quotes {
                    text.truncate(text.trim_end().len());
                }
                is_quoted = !is_quoted;
                has_quotes = true;
            }
            _ if is_quoted => text.push(letter),
            ';' => break,
            '=' | ',' => {
                end(&mut text, &mut has_quotes, &mut tokens);
                tokens.push(if letter == '=' { Token::Equals } else { Token::Comma });
            }
            '\\' if letters.peek().is_none() => {
                end(&mut text, &mut has_quotes, &mut tokens);
                tokens.push(Token::GoesOn);
                return tokens;
            }
            // Blanks around marks are none of the text's.
            _ if letter.is_whitespace() && (has_quotes || text.is_empty()) => {}
            _ => text.push(letter),
        }
    }
    end(&mut text, &mut has_quotes, &mut tokens);
    tokens
}

fn line_of(tokens: &[Token]) -> Line {
    let (key, values) = match tokens {
        [Token::Text(key), Token::Equals, values @ ..] => (Some(key.clone()), values),
        values => (None, values),
    };
    let mut fields = vec![String::new()];
    for token in values {
        match (token, fields.last_mut()) {
            (Token::Comma, _) => fields.push(String::new()),
            (Token::Text(text), Some(field)) => field.push_str(text),
            (Token::Equals, Some(field)) => field.push('='),
            (Token::GoesOn, _) | (_, None) => {}
        }
    }
    if key.is_some() && fields == [""] {
        fields.clear();
    }
    Line { key, fields }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SAIL: &str = "; a made-up driver\r\n[Version]\r\nSignature=\"$Windows NT$\"\r\n\
        ClassGUID = {4D36E979-E325-11CE-BFC1-08002BE10318} ; printers\r\nCatalogFile.NTamd64=\"sail 64.cat\"\r\n\
        CatalogFile = %cat%\r\n[MANUFACTURER]\r\n%maker% = Ropewalk, NTamd64, \\\r\n  NTx86.6.1\r\nOther\r\n\
        [ropewalk.ntamd64]\r\n\"Ropewalk Laser 200\" = SAIL200, usbprint\\ropewalk200\r\n%big% = SAIL200,,hw\r\n\
        [Ropewalk.NTx86.6.1]\r\n\"Ropewalk \"\"Old\"\"\" = SAIL\r\n[Other]\r\nRopewalk Label 4 = L\r\n\
        [Strings]\r\nmaker=\"Ropewalk; Kites\"\r\nbig = \"Laser 100%\"\r\ncat=sail.cat\r\n";

    #[test]
    fn a_package_tells_its_devices_by_processor_and_who_signs_it() {
        let utf16: Vec<u8> =
            "\u{feff}".encode_utf16().chain(SAIL.encode_utf16()).flat_map(u16::to_le_bytes).collect();
        for file in [SAIL.as_bytes(), &utf16] {
            let inf = Inf::from_bytes(file).unwrap();
            assert!(inf.is_of_printers());
            let has = |processor, model| inf.has_model(processor, model);
            assert!(has("x64", "Laser 100%") && has("x64", "ropewalk laser 200"));
            assert!(has("x86", "Ropewalk \"Old\"") && has("x86", "Ropewalk Label 4"));
            assert!(!has("x86", "Laser 100%") && !has("arm64", "Ropewalk Label 4"));
            assert_eq!(inf.catalogue("x64").as_deref(), Some("sail 64.cat"));
            assert_eq!(inf.catalogue("x86").as_deref(), Some("sail.cat"));
        }
        let unsigned =
            Inf::from_bytes(b"[Version]\nClass=Net\nCatalogFile=\n[Manufacturer]\n%none%=a,NTx86\n");
        let unsigned = unsigned.unwrap();
        assert!(!unsigned.is_of_printers() && !unsigned.has_model("x86", ""));
        assert_eq!(unsigned.catalogue("x64"), None);
        assert!(Inf::from_bytes(b"MZ\x90\0[Strings]\na=b\n").is_err());
    }
}
