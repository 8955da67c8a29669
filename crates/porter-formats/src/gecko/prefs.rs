//! The settings of a profile: `prefs.js`, lines of `user_pref("name", value);`.

/// The value of a setting as it is written there: text in its quotes, numbers, `true`.
pub fn get<'t>(text: &'t str, name: &str) -> Option<&'t str> {
    text.lines().find_map(|line| {
        let (found, value) = parts(line)?;
        (found == name).then_some(value)
    })
}

/// The text of a setting.
pub fn get_text(text: &str, name: &str) -> Option<String> {
    unquoted(get(text, name)?)
}

/// All settings that are texts: their names and what they say.
pub fn texts(text: &str) -> impl Iterator<Item = (String, String)> + '_ {
    text.lines().filter_map(|line| {
        let (name, value) = parts(line)?;
        Some((name.to_owned(), unquoted(value)?))
    })
}

/// All settings: their names, and what they say, texts without their quotes.
pub fn all(text: &str) -> impl Iterator<Item = (String, String)> + '_ {
    text.lines().filter_map(|line| {
        let (name, value) = parts(line)?;
        Some((name.to_owned(), unquoted(value).unwrap_or_else(|| value.to_owned())))
    })
}

/// The future of a setting.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Becomes {
    /// It stays as it is.
    Same,
    /// It says this.
    Text(String),
    /// Its line is taken out.
    Gone,
}

/// Passes every text of a setting to `change`, and does what that says. All else stays to the byte.
pub fn with_texts(text: &str, mut change: impl FnMut(&str, &str) -> Becomes) -> String {
    let mut out = String::with_capacity(text.len());
    for line in text.split_inclusive('\n') {
        let setting = parts(line).and_then(|(name, value)| Some((name, value, unquoted(value)?)));
        match setting.map(|(name, value, plain)| (value, change(name, &plain))) {
            Some((value, Becomes::Text(new))) => match line.rfind(value) {
                Some(at) => out.extend([&line[..at], &quoted(&new), &line[at + value.len()..]]),
                None => out.push_str(line),
            },
            Some((_, Becomes::Gone)) => {}
            Some((_, Becomes::Same)) | None => out.push_str(line),
        }
    }
    out
}

/// The value of a setting.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Setting {
    /// A text.
    Text(String),
    /// A number.
    Number(i64),
    /// Yes or no.
    Flag(bool),
}

impl Setting {
    fn as_written(&self) -> String {
        match self {
            Self::Text(text) => quoted(text),
            Self::Number(number) => number.to_string(),
            Self::Flag(is_set) => is_set.to_string(),
        }
    }
}

/// Sets values: each in its line, or in a new one at the end. All else stays to the byte.
pub fn with_set(text: &str, settings: &[(String, Setting)]) -> String {
    let mut left: Vec<&(String, Setting)> = settings.iter().collect();
    let mut out = String::with_capacity(text.len());
    for line in text.split_inclusive('\n') {
        let known = parts(line).and_then(|(name, value)| {
            let at = left.iter().position(|(own, _)| own == name)?;
            let begin = line.rfind(value)?;
            Some((begin, value.len(), left.remove(at).1.as_written()))
        });
        match known {
            Some((begin, length, new)) => out.extend([&line[..begin], &new, &line[begin + length..]]),
            None => out.push_str(line),
        }
    }
    if !left.is_empty() && !out.is_empty() && !out.ends_with('\n') {
        out.push('\n');
    }
    for (name, value) in left {
        out.push_str(&format!("user_pref(\"{name}\", {});\n", value.as_written()));
    }
    out
}

fn parts(line: &str) -> Option<(&str, &str)> {
    let inner = line.trim().strip_prefix("user_pref(\"")?.strip_suffix(");")?;
    let (name, value) = inner.split_once('"')?;
    Some((name, value.trim_start().strip_prefix(',')?.trim()))
}

/// Without its quotes and escapes; none for a value that is not text.
fn unquoted(value: &str) -> Option<String> {
    let inner = value.strip_prefix('"')?.strip_suffix('"')?;
    let mut plain = String::with_capacity(inner.len());
    let mut chars = inner.chars();
    while let Some(c) = chars.next() {
        match c {
            '\\' => match chars.next()? {
                'n' => plain.push('\n'),
                'r' => plain.push('\r'),
                'u' => {
                    let code: String = chars.by_ref().take(4).collect();
                    plain.push(char::from_u32(u32::from_str_radix(&code, 16).ok()?)?);
                }
                'x' => {
                    let code: String = chars.by_ref().take(2).collect();
                    plain.push(char::from_u32(u32::from_str_radix(&code, 16).ok()?)?);
                }
                other => plain.push(other),
            },
            c => plain.push(c),
        }
    }
    Some(plain)
}

fn quoted(plain: &str) -> String {
    let escaped = plain.replace('\\', "\\\\").replace('"', "\\\"").replace('\n', "\\n").replace('\r', "\\r");
    format!("\"{escaped}\"")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_are_changed_and_all_else_stays_to_the_byte() {
        let text = "// Mozilla User Preferences\r\n\r\nuser_pref(\"browser.download.dir\", \"C:\\\\Users\\\\odile\\\\Kites \\\"40\\\"\");\r\n\
                    user_pref(\"browser.startup.page\", 3);\r\nuser_pref(\"broken\", \"\\\nuser_pref(\"app.name\", \"caf\\u00e9\");";
        assert_eq!(get_text(text, "browser.download.dir").unwrap(), "C:\\Users\\odile\\Kites \"40\"");
        assert_eq!(
            (get(text, "browser.startup.page"), get_text(text, "app.name").as_deref()),
            (Some("3"), Some("café"))
        );
        assert_eq!(with_texts(text, |_, _| Becomes::Same), text);
        let changed = with_texts(text, |name, value| {
            let is_it = name == "browser.download.dir";
            if is_it { Becomes::Text(value.replace("odile", "o")) } else { Becomes::Same }
        });
        assert_eq!(changed, text.replace("\\\\odile", "\\\\o"));
        let set = |name: &str, value| (name.to_owned(), value);
        let settings = [set("browser.startup.page", Setting::Number(1)), set("new", Setting::Flag(true))];
        let changed = with_set(text, &settings);
        assert_eq!(changed, text.replace("page\", 3)", "page\", 1)") + "\nuser_pref(\"new\", true);\n");
        assert_eq!(with_set(&changed, &settings), changed);
    }
}
