//! Keyboard layouts by Windows' numbers (`winnls.h`, *Keyboard identifiers*) and by the names of
//! `xkeyboard-config`.

/// The layouts that both have, by their usual forms.
const LAYOUTS: [(&str, &str); 44] = [
    ("00000409", "us"),
    ("00020409", "us(intl)"),
    ("00010409", "us(dvorak)"),
    ("00000809", "gb"),
    ("00004009", "in(eng)"),
    ("00001809", "ie"),
    ("00001009", "ca"),
    ("0000040c", "fr"),
    ("0000080c", "be"),
    ("0000100c", "ch(fr)"),
    ("00000407", "de"),
    ("00000807", "ch"),
    ("00000410", "it"),
    ("0000040a", "es"),
    ("0000080a", "latam"),
    ("00000816", "pt"),
    ("00000416", "br"),
    ("00000413", "nl"),
    ("00000406", "dk"),
    ("0000041d", "se"),
    ("00000414", "no"),
    ("0000040b", "fi"),
    ("0000040f", "is"),
    ("00000415", "pl"),
    ("00000405", "cz"),
    ("0000041b", "sk"),
    ("0000040e", "hu"),
    ("00010418", "ro"),
    ("00000424", "si"),
    ("0000041a", "hr"),
    ("0000081a", "rs(latin)"),
    ("00000c1a", "rs"),
    ("00030402", "bg"),
    ("00000408", "gr"),
    ("00000419", "ru"),
    ("00000422", "ua"),
    ("00000423", "by"),
    ("00000425", "ee"),
    ("00000426", "lv"),
    ("00010427", "lt"),
    ("0000041f", "tr"),
    ("0000040d", "il"),
    ("00000401", "ara"),
    ("00000439", "in"),
];

/// The name on other systems of a layout of Windows.
pub fn of_windows(number: &str) -> Option<&'static str> {
    LAYOUTS.iter().find(|(windows, _)| windows.eq_ignore_ascii_case(number)).map(|(_, name)| *name)
}

/// Windows' number of a layout of another system. One in a form that Windows lacks has none.
pub fn on_windows(name: &str) -> Option<&'static str> {
    LAYOUTS.iter().find(|(_, known)| *known == name).map(|(windows, _)| *windows)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_layout_has_one_number_and_one_name() {
        for (number, name) in LAYOUTS {
            assert_eq!((of_windows(number), on_windows(name)), (Some(name), Some(number)));
        }
        assert_eq!((of_windows("0000040C"), on_windows("fr(bepo)")), (Some("fr"), None));
    }
}
