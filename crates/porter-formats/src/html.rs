//! The little of HTML that files of bookmarks, and letters to be read, need.

/// Text that cannot be taken for markup.
pub fn escaped(text: &str) -> String {
    let mut safe = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => safe.push_str("&amp;"),
            '<' => safe.push_str("&lt;"),
            '>' => safe.push_str("&gt;"),
            '"' => safe.push_str("&quot;"),
            '\'' => safe.push_str("&#39;"),
            c if c.is_control() && !matches!(c, '\n' | '\t') => safe.push('\u{fffd}'),
            c => safe.push(c),
        }
    }
    safe
}

/// The other way: what cannot be understood stays as it is.
pub fn unescaped(text: &str) -> String {
    let mut plain = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find('&') {
        let (before, from) = rest.split_at(at);
        plain.push_str(before);
        let known =
            from.find(';').filter(|end| *end <= 12).and_then(|end| Some((character(&from[1..end])?, end)));
        match known {
            Some((c, end)) => {
                plain.push(c);
                rest = &from[end + 1..];
            }
            None => {
                plain.push('&');
                rest = &from[1..];
            }
        }
    }
    plain.push_str(rest);
    plain
}

/// The words of a page, without any form.
pub fn words_of(page: &str) -> String {
    /// Nothing in them is shown.
    const HIDDEN: [&str; 4] = ["style", "script", "head", "title"];
    /// A new line begins with them.
    const LINES: [&str; 8] = ["br", "p", "div", "tr", "li", "h1", "h2", "h3"];
    let (mut words, mut rest) = (String::new(), page);
    while let Some(at) = rest.find('<') {
        words.push_str(&rest[..at]);
        rest = &rest[at + 1..];
        let comment =
            rest.strip_prefix("!--").map(|inner| inner.find("-->").map_or("", |end| &inner[end + 3..]));
        if let Some(behind) = comment {
            rest = behind;
            continue;
        }
        let Some(end) = rest.find('>') else { break };
        let is_end = rest.starts_with('/');
        let name: String =
            rest.trim_start_matches('/').chars().take_while(char::is_ascii_alphanumeric).collect();
        let name = name.to_ascii_lowercase();
        rest = &rest[end + 1..];
        if HIDDEN.contains(&name.as_str()) && !is_end {
            let close = format!("</{name}");
            // Only ASCII is made small: places stay the same.
            rest = rest.to_ascii_lowercase().find(&close).map_or("", |at| &rest[at..]);
        } else if LINES.contains(&name.as_str()) && !words.is_empty() && !words.ends_with('\n') {
            words.push('\n');
        }
    }
    words.push_str(rest);
    let lines = unescaped(&words);
    let lines = lines.lines().map(|line| line.split_whitespace().collect::<Vec<_>>().join(" "));
    lines.filter(|line| !line.is_empty()).collect::<Vec<_>>().join("\n")
}

fn character(name: &str) -> Option<char> {
    match name {
        "amp" => Some('&'),
        "lt" => Some('<'),
        "gt" => Some('>'),
        "quot" => Some('"'),
        "apos" => Some('\''),
        "nbsp" => Some('\u{a0}'),
        _ => {
            let number = name.strip_prefix('#')?;
            let code = match number.strip_prefix(['x', 'X']) {
                Some(hex) => u32::from_str_radix(hex, 16).ok()?,
                None => number.parse().ok()?,
            };
            char::from_u32(code)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn text_comes_back_as_it_was_and_halves_of_names_stay() {
        for text in ["Kites & <lines> \"40 m\" 'x'", "täglich ☂", "a &amp; b"] {
            assert_eq!(unescaped(&escaped(text)), text);
        }
        assert_eq!(unescaped("&#x41;&#66;&bogus; & &#xffffffff; &amp"), "AB&bogus; & &#xffffffff; &amp");
    }
}
