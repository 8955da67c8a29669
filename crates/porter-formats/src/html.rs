//! The little of HTML that files of bookmarks need.

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
