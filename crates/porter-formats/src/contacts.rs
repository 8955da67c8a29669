//! People with their addresses, as files that other programs take in: vCard 3.0 (RFC 2426), and a table of
//! comma-separated values (RFC 4180).

use crate::mail::autocomplete::Address;

/// No line of a card is longer, without its end.
const LINE_IN_BYTES: usize = 75;

/// A card for each, one behind the other.
pub fn to_vcards(people: &[Address]) -> String {
    let mut cards = String::new();
    for Address { name, address, .. } in people {
        let name = if name.is_empty() { address } else { name };
        let lines = [
            "BEGIN:VCARD".to_owned(),
            "VERSION:3.0".to_owned(),
            format!("FN:{}", escaped(name)),
            format!("N:{};;;;", escaped(name)),
            format!("EMAIL;TYPE=INTERNET:{}", escaped(address)),
            "END:VCARD".to_owned(),
        ];
        for line in lines {
            fold_into(&mut cards, &line);
        }
    }
    cards
}

/// A row for each, below the names that address books give their columns.
pub fn to_table(people: &[Address]) -> String {
    let cell = |text: &str| format!("\"{}\"", text.replace('"', "\"\""));
    let mut table = "Name,E-mail Address\r\n".to_owned();
    for Address { name, address, .. } in people {
        table.push_str(&format!("{},{}\r\n", cell(name), cell(address)));
    }
    table
}

fn escaped(text: &str) -> String {
    let text: String = text.chars().filter(|letter| !letter.is_control() || *letter == '\n').collect();
    text.replace('\\', "\\\\").replace(';', "\\;").replace(',', "\\,").replace('\n', "\\n")
}

/// A long line goes on behind a blank, and never ends within a letter.
fn fold_into(cards: &mut String, line: &str) {
    let mut length = 0;
    for letter in line.chars() {
        if length + letter.len_utf8() > LINE_IN_BYTES {
            cards.push_str("\r\n ");
            length = 1;
        }
        cards.push(letter);
        length += letter.len_utf8();
    }
    cards.push_str("\r\n");
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn signs_that_mean_something_are_escaped_and_long_lines_go_on() {
        let name = format!("Albrecht; Ines, \"Rokkaku\"\u{7} {}", "\u{e9}".repeat(60));
        let people = [
            Address { name, address: "ines@saltmarsh.example".to_owned(), is_of_internet: true },
            Address { address: "ferry@windrose.example".to_owned(), ..Address::default() },
        ];
        let cards = to_vcards(&people);
        assert!(cards.lines().all(|line| line.len() <= LINE_IN_BYTES), "{cards}");
        let whole = cards.replace("\r\n ", "");
        assert!(whole.contains("FN:Albrecht\\; Ines\\, \"Rokkaku\" \u{e9}\u{e9}"), "{whole}");
        assert!(
            whole.contains("FN:ferry@windrose.example\r\n") && whole.matches("END:VCARD\r\n").count() == 2
        );
        let table = to_table(&people);
        assert!(table.contains("\"Albrecht; Ines, \"\"Rokkaku\"\""), "{table}");
        assert!(table.ends_with("\"\",\"ferry@windrose.example\"\r\n"));
    }
}
