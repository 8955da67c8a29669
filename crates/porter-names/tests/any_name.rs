//! For names of any bytes: what is made of them is always safe, and never the same for two of them.

use porter_names::portable::Claims;
use porter_names::screen::on_screen;
use porter_names::{NameRules, RelativePath, fold};
use std::collections::HashSet;

/// Names put together from what goes wrong in names, each once.
fn names() -> HashSet<Vec<u8>> {
    let parts: [&[u8]; 22] = [
        b"",
        b"a",
        b"A",
        b".",
        b" ",
        b"CON",
        b"com1",
        b"lpt9",
        b"~1",
        b"\\",
        b":",
        b"?",
        b"%",
        b"\n",
        b"\x7f",
        b"\xff",
        b"\xed\xa0\x80",
        "é".as_bytes(),
        "e\u{301}".as_bytes(),
        "\u{2028}".as_bytes(),
        "🪁".as_bytes(),
        &[b'x'; 130],
    ];
    let mut names = HashSet::new();
    for first in parts {
        for second in parts {
            for third in [&b""[..], b".txt", b". ", b".tar.gz"] {
                let name = [first, second, third].concat();
                // Longer names do not occur: no file system has them.
                if RelativePath::root().join(&name).is_ok() && name.len() <= 255 {
                    names.insert(name);
                }
            }
        }
    }
    names
}

#[test]
fn safe_names_can_be_held_and_are_told_apart() {
    let ascii = NameRules { only_ascii: true, ..NameRules::TRUNK };
    for rules in [NameRules::TRUNK, ascii, NameRules::windows(255), NameRules::windows(80), NameRules::UNIX] {
        let mut claims = Claims::new(rules);
        let mut taken = HashSet::new();
        for name in names() {
            let given = claims.claim(&name).map_or(name.clone(), String::into_bytes);
            assert!(rules.hold(&given), "{} became {}", on_screen(&name), on_screen(&given));
            assert!(taken.insert(rules.key(&given)), "{} was given twice", on_screen(&given));
            assert!(given == name || given.contains(&b'~'));
        }
        assert!(taken.len() > 1000);
    }
}

#[test]
fn what_is_shown_is_one_harmless_line() {
    for name in names() {
        let shown = on_screen(&name);
        assert!(!shown.chars().any(char::is_control), "{shown:?}");
        assert!(!shown.contains(['\u{2028}', '\u{202e}', '\u{200b}']));
        assert_eq!(on_screen(shown.as_bytes()), shown, "showing twice changes nothing");
    }
}

#[test]
fn alike_names_have_one_key() {
    for name in names() {
        assert_eq!(fold::folded(&fold::folded(&name)), fold::folded(&name), "{}", on_screen(&name));
        if name.is_ascii() {
            assert!(fold::same_name(&name, &name.to_ascii_uppercase()), "{}", on_screen(&name));
        }
    }
}
