//! Text of sections, names and values, such as `profiles.ini`. Unchanged lines stay to the byte, comments and
//! line ends included.

/// Such a text.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Ini {
    lines: Vec<String>,
    /// As the first line ends.
    line_end: &'static str,
}

impl Ini {
    /// Any text is one.
    pub fn from_text(text: &str) -> Self {
        let line_end = if text.lines().next().is_some_and(|first| text[first.len()..].starts_with("\r\n")) {
            "\r\n"
        } else {
            "\n"
        };
        Self { lines: text.lines().map(str::to_owned).collect(), line_end }
    }

    /// The text.
    pub fn to_text(&self) -> String {
        let line_end = if self.line_end.is_empty() { "\n" } else { self.line_end };
        self.lines.iter().flat_map(|line| [line.as_str(), line_end]).collect()
    }

    /// The names of the sections, in order.
    pub fn sections(&self) -> impl Iterator<Item = &str> {
        self.lines.iter().filter_map(|line| section_in(line))
    }

    /// A value.
    pub fn get(&self, section: &str, name: &str) -> Option<&str> {
        let (from, to) = self.span(section)?;
        self.lines[from..to].iter().find_map(|line| value_in(line, name))
    }

    /// Sets a value; the section is made at the end if it is not there.
    pub fn set(&mut self, section: &str, name: &str, value: &str) {
        // A value ends with its line, wherever it comes from.
        let value: String = value.chars().filter(|c| !c.is_control()).collect();
        let line = format!("{name}={value}");
        let Some((from, to)) = self.span(section) else {
            if self.lines.last().is_some_and(|last| !last.trim().is_empty()) {
                self.lines.push(String::new());
            }
            self.lines.extend([format!("[{section}]"), line]);
            return;
        };
        match self.lines[from..to].iter().position(|line| value_in(line, name).is_some()) {
            Some(at) => self.lines[from + at] = line,
            None => {
                let blank =
                    self.lines[from..to].iter().rev().take_while(|line| line.trim().is_empty()).count();
                self.lines.insert(to - blank, line);
            }
        }
    }

    /// Removes a value.
    pub fn remove(&mut self, section: &str, name: &str) {
        if let Some((from, to)) = self.span(section)
            && let Some(at) = self.lines[from..to].iter().position(|line| value_in(line, name).is_some())
        {
            self.lines.remove(from + at);
        }
    }

    /// The lines of a section, without its heading.
    fn span(&self, section: &str) -> Option<(usize, usize)> {
        let from = 1 + self.lines.iter().position(|line| section_in(line) == Some(section))?;
        let length = self.lines[from..].iter().position(|line| section_in(line).is_some());
        Some((from, length.map_or(self.lines.len(), |length| from + length)))
    }
}

fn section_in(line: &str) -> Option<&str> {
    line.trim().strip_prefix('[')?.strip_suffix(']')
}

fn value_in<'l>(line: &'l str, name: &str) -> Option<&'l str> {
    let (found, value) = line.split_once('=')?;
    found.trim().eq_ignore_ascii_case(name).then(|| value.trim())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_not_changed_stays_to_the_byte() {
        let text = "; by hand\r\n[Profile0]\r\nName=work\r\nDefault=1\r\n\r\n[General]\r\nVersion=2\r\n";
        let mut ini = Ini::from_text(text);
        assert_eq!(ini.to_text(), text);
        assert_eq!((ini.get("Profile0", "name"), ini.get("Profile1", "Name")), (Some("work"), None));
        ini.set("Profile0", "Path", "Profiles/ab\r\n[General]");
        ini.remove("Profile0", "Default");
        ini.set("Profile1", "Name", "Kites");
        assert_eq!(
            ini.to_text(),
            "; by hand\r\n[Profile0]\r\nName=work\r\nPath=Profiles/ab[General]\r\n\r\n[General]\r\nVersion=2\r\n\r\n[Profile1]\r\nName=Kites\r\n"
        );
        assert_eq!(ini.sections().collect::<Vec<_>>(), ["Profile0", "General", "Profile1"]);
    }
}
