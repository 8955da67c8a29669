//! Cookies as the text that programs for loading pages have shared since the first browser: a line each, with
//! its fields between tabs.

/// A cookie.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Cookie {
    /// The host; with a point before it, those below it too.
    pub host: String,
    /// The path that it is for.
    pub path: String,
    /// Only for encrypted pages.
    pub is_secure: bool,
    /// No script may read it.
    pub is_http_only: bool,
    /// The end of it, in seconds since 1970.
    pub ends_in_seconds: i64,
    /// The name.
    pub name: String,
    /// The value.
    pub value: String,
}

/// All as a text. One with a sign that would end its field or its line is left out: returns how many are.
pub fn to_text(cookies: &[Cookie]) -> (String, u64) {
    let mut text = "# Netscape HTTP Cookie File\n".to_owned();
    let mut left_out = 0;
    for cookie in cookies {
        let Cookie { host, path, is_secure, is_http_only, ends_in_seconds, name, value } = cookie;
        let fields = [host, path, name, value];
        if fields.iter().any(|field| field.contains(['\t', '\n', '\r'])) || host.is_empty() {
            left_out += 1;
            continue;
        }
        let word = |is: bool| if is { "TRUE" } else { "FALSE" };
        // Readers that do not know the mark take the line for a remark.
        let mark = if *is_http_only { "#HttpOnly_" } else { "" };
        let (below, secure) = (word(host.starts_with('.')), word(*is_secure));
        text.push_str(&format!(
            "{mark}{host}\t{below}\t{path}\t{secure}\t{ends_in_seconds}\t{name}\t{value}\n"
        ));
    }
    (text, left_out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_is_a_line_and_none_can_become_two() {
        let text = |text: &str| text.to_owned();
        let tide = Cookie {
            host: text(".windrose.example"),
            path: text("/"),
            is_secure: true,
            is_http_only: true,
            ends_in_seconds: 1_900_000_000,
            name: text("tide"),
            value: text("high=1; low"),
        };
        let torn = Cookie { value: text("a\n.bank.example\tTRUE"), ..tide.clone() };
        let (written, left_out) = to_text(&[tide, torn]);
        let line = "#HttpOnly_.windrose.example\tTRUE\t/\tTRUE\t1900000000\ttide\thigh=1; low\n";
        assert_eq!((written.as_str(), left_out), (&*format!("# Netscape HTTP Cookie File\n{line}"), 1));
    }
}
