//! The elements of a small XML file, with their texts.

use crate::FormatError;
use quick_xml::escape::escape;
use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, XmlVersion};
use std::borrow::Cow;

/// No file that is read here has more parts, or is deeper.
const MOST_PARTS: usize = 100_000;
const DEEPEST: usize = 64;

/// An element: its name without its prefix, its text, and what is in it.
#[derive(Debug, Default)]
pub(crate) struct Element {
    name: String,
    text: String,
    attributes: Vec<(String, String)>,
    inside: Vec<Element>,
}

impl Element {
    /// The first element of a file; `what` is the format's name.
    pub(crate) fn from_bytes(file: &[u8], what: &'static str) -> Result<Self, FormatError> {
        let damaged = |cause: &dyn std::fmt::Display| FormatError::damaged(what, cause);
        let text = crate::encoding::by_mark(file);
        let mut reader = Reader::from_str(&text);
        // The elements that are open; around all of them is one for the file.
        let mut open = vec![Self::default()];
        for _ in 0..MOST_PARTS {
            let event = reader.read_event().map_err(|cause| damaged(&cause))?;
            let last = open.len() - 1;
            match event {
                Event::Start(start) if open.len() < DEEPEST => open.push(Self::begun(&start)),
                Event::Start(_) => return Err(damaged(&"it is too deep")),
                Event::Empty(start) => open[last].inside.push(Self::begun(&start)),
                Event::End(_) => {
                    if let (Some(ended), Some(around)) = (open.pop(), open.last_mut()) {
                        around.inside.push(ended);
                    }
                }
                Event::Text(text) => open[last].text.push_str(&text),
                Event::CData(text) => open[last].text.push_str(&text),
                Event::GeneralRef(name) => {
                    let letter = match name.resolve_char_ref().map_err(|cause| damaged(&cause))? {
                        Some(letter) => letter,
                        None => letter_of(&name)
                            .ok_or_else(|| damaged(&format!("`{}` stands for nothing", &*name)))?,
                    };
                    open[last].text.push(letter);
                }
                Event::Eof if open.len() > 1 => return Err(damaged(&"it ends in the middle")),
                Event::Eof => {
                    let file = open.pop().unwrap_or_default();
                    return file.inside.into_iter().next().ok_or_else(|| damaged(&"nothing is in it"));
                }
                _ => {}
            }
        }
        Err(damaged(&"it has too many parts"))
    }

    fn begun(start: &BytesStart<'_>) -> Self {
        let attributes = start.attributes().flatten().map(|attribute| {
            let name = attribute.key.local_name().as_ref().to_owned();
            let value = attribute.normalized_value(XmlVersion::default());
            (name, value.map(Cow::into_owned).unwrap_or_default())
        });
        let attributes = attributes.collect();
        Self { name: start.local_name().as_ref().to_owned(), attributes, ..Self::default() }
    }

    /// Its name.
    pub(crate) fn name(&self) -> &str {
        &self.name
    }

    /// The text of an attribute.
    pub(crate) fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.iter().find(|(known, _)| known == name).map(|(_, value)| value.as_str())
    }

    /// The elements in it.
    pub(crate) fn inside(&self) -> &[Self] {
        &self.inside
    }

    /// Writes it, with what is in it but for elements of these names, wherever they are. An element has other
    /// elements or a text.
    pub(crate) fn write_without(&self, names: &[&str], to: &mut String) {
        if names.contains(&self.name.as_str()) {
            return;
        }
        to.extend(["<", &self.name]);
        for (name, value) in &self.attributes {
            to.extend([" ", name, "=\"", &escape(value), "\""]);
        }
        to.push('>');
        match self.inside.as_slice() {
            [] => to.push_str(&escape(&self.text)),
            inside => inside.iter().for_each(|element| element.write_without(names, to)),
        }
        to.extend(["</", &self.name, ">"]);
    }

    /// Visits it and all elements in it.
    pub(crate) fn each(&self, visit: &mut dyn FnMut(&Self)) {
        visit(self);
        self.inside.iter().for_each(|element| element.each(visit));
    }

    /// The elements at a path of names.
    pub(crate) fn all<'e>(&'e self, path: &str) -> Vec<&'e Self> {
        path.split('/').fold(vec![self], |found, name| {
            found
                .iter()
                .flat_map(|element| element.inside.iter().filter(|inner| inner.name == name))
                .collect()
        })
    }

    /// The text of the first element at a path.
    pub(crate) fn text(&self, path: &str) -> Option<&str> {
        self.all(path).first().map(|element| element.text.as_str())
    }

    /// Its own text.
    pub(crate) fn own_text(&self) -> &str {
        &self.text
    }
}

fn letter_of(name: &str) -> Option<char> {
    Some(match name {
        "amp" => '&',
        "lt" => '<',
        "gt" => '>',
        "quot" => '"',
        "apos" => '\'',
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn elements_are_found_by_their_path_and_damage_is_said() {
        let file = "<?xml version=\"1.0\"?><c:a xmlns:c=\"x\" c:kind=\"1\"><c:b> <!-- no --><d>x &lt;&#233;</d><d/></c:b><b><d><![CDATA[<y>]]></d></b></c:a>";
        let root = Element::from_bytes(file.as_bytes(), "a kite").unwrap();
        let texts: Vec<&str> = root.all("b/d").iter().map(|element| element.own_text()).collect();
        assert_eq!(texts, ["x <é", "", "<y>"]);
        assert_eq!((root.name(), root.attribute("kind"), root.text("b/x")), ("a", Some("1"), None));
        for file in ["", "<a>", "<a>&kite;</a>", &"<a>".repeat(100), "<a></b>"] {
            assert!(Element::from_bytes(file.as_bytes(), "a kite").is_err(), "{file}");
        }
    }
}
