//! Which names a file system that ignores case takes for the same one.

use unicode_normalization::UnicodeNormalization;

/// A key that is equal for names that Windows or macOS would take for one and the same.
///
/// Case is ignored, and so is the difference between composed and decomposed letters (macOS keeps names
/// decomposed). The real systems use tables of their own; where this key joins names that a system would keep
/// apart, one of them only gets a safe name that was not needed, and nothing is lost.
pub fn folded(name: &[u8]) -> Vec<u8> {
    if name.is_ascii() {
        return name.to_ascii_lowercase();
    }
    match std::str::from_utf8(name) {
        Ok(text) => text.nfc().flat_map(char::to_lowercase).nfc().collect::<String>().into_bytes(),
        Err(_) => name.to_ascii_lowercase(),
    }
}

/// The text with accents and other marks on letters taken away.
pub fn without_accents(text: &str) -> String {
    text.nfkd().filter(|c| !unicode_normalization::char::is_combining_mark(*c)).collect()
}

/// True when [`folded`] is the same for both.
pub fn same_name(a: &[u8], b: &[u8]) -> bool {
    a == b || folded(a) == folded(b)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn case_and_unicode_form_do_not_make_two_names() {
        assert!(same_name(b"Desktop", b"DESKTOP"));
        assert!(same_name("Éclair".as_bytes(), "e\u{301}clair".as_bytes()));
        assert!(!same_name("Eclair".as_bytes(), "Éclair".as_bytes()));
        assert!(same_name(b"A\xff", b"a\xff"));
    }
}
