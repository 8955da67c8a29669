//! People in a line of a letter's head (RFC 5322, 3.4): `"Vane, Otto" <otto@windrose.example>, ines@…`.

use super::head::decoded;

/// The name and the address of each, in their order; one of both may be empty. Names of groups are left out.
pub fn people_in(value: &[u8]) -> Vec<(String, String)> {
    pieces(&String::from_utf8_lossy(value)).iter().filter_map(|piece| person(piece)).collect()
}

/// The parts between commas, and within groups.
fn pieces(text: &str) -> Vec<String> {
    let (mut pieces, mut piece) = (Vec::new(), String::new());
    let (mut is_quoted, mut is_address, mut comments) = (false, false, 0_u32);
    let mut letters = text.chars();
    while let Some(letter) = letters.next() {
        let is_plain = !is_quoted && !is_address && comments == 0;
        match letter {
            '\\' if is_quoted || comments > 0 => {
                piece.push(letter);
                piece.extend(letters.next());
                continue;
            }
            '"' if comments == 0 => is_quoted = !is_quoted,
            '<' if is_plain => is_address = true,
            '>' if is_address => is_address = false,
            '(' if !is_quoted && !is_address => comments += 1,
            ')' if comments > 0 => comments -= 1,
            ',' | ';' if is_plain => {
                pieces.push(std::mem::take(&mut piece));
                continue;
            }
            ':' if is_plain => {
                piece.clear();
                continue;
            }
            _ => {}
        }
        piece.push(letter);
    }
    pieces.push(piece);
    pieces
}

fn person(piece: &str) -> Option<(String, String)> {
    let (before, address) = match piece.rsplit_once('<') {
        Some((before, rest)) => (before, rest.split('>').next().unwrap_or_default()),
        // A list that only its own server knows.
        None if !piece.contains('@') => (piece, ""),
        // Without a name, or with one behind it: `otto@windrose.example (Otto)`.
        None => piece.split_once('(').map_or(("", piece), |(address, name)| (name, address)),
    };
    // Addresses of old systems have blanks in them: `TK Lohman/ET&S/Enron@ENRON`.
    let address = address.trim().to_owned();
    let name = before.trim().trim_end_matches(')');
    let is_quoted = name.len() > 1 && name.starts_with('"') && name.ends_with('"');
    let name = if is_quoted { unquoted(&name[1..name.len() - 1]) } else { name.to_owned() };
    let name = decoded(name.trim().as_bytes());
    (!address.is_empty() || !name.is_empty()).then_some((name, address))
}

fn unquoted(text: &str) -> String {
    let mut letters = text.chars();
    let mut plain = String::new();
    while let Some(letter) = letters.next() {
        if letter == '\\' {
            plain.extend(letters.next());
        } else {
            plain.push(letter);
        }
    }
    plain
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn people_are_told_apart_however_they_are_written() {
        let found = people_in(
            b"\"Vane, \\\"Otto\\\"\" <otto@windrose.example>, ines@kites.example (Ines), \
              =?utf-8?B?QsOpYQ==?= <bea@kites.example>, Crew: juno@loft.example, <bram@loft.example>;, ,\"The loft\",undisclosed-recipients:;",
        );
        let expected = [
            ("Vane, \"Otto\"", "otto@windrose.example"),
            ("Ines", "ines@kites.example"),
            ("B\u{e9}a", "bea@kites.example"),
            ("", "juno@loft.example"),
            ("", "bram@loft.example"),
            ("The loft", ""),
        ];
        assert_eq!(found, expected.map(|(name, address)| (name.to_owned(), address.to_owned())));
        for odd in ["\"", "<", "(((", "a<b", "\\", ":,;"] {
            people_in(odd.as_bytes());
        }
    }
}
