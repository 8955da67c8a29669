//! The name of a PC on its network.

use super::layout::Family;

/// The longest that NetBIOS takes, and so every Windows (`MAX_COMPUTERNAME_LENGTH`).
const LONGEST_ON_WINDOWS: usize = 15;
/// The longest that a Unix takes (`HOST_NAME_MAX` of Linux).
const LONGEST_ON_UNIX: usize = 64;

/// True for a name that a system of that family takes.
pub fn fits(name: &str, family: Family) -> bool {
    let is_letter = |letter: char| letter.is_ascii_alphanumeric() || letter == '-';
    let is_label = |label: &str| {
        !label.is_empty() && label.chars().all(is_letter) && !label.starts_with('-') && !label.ends_with('-')
    };
    match family {
        Family::Windows | Family::Drive => {
            name.len() <= LONGEST_ON_WINDOWS
                && is_label(name)
                && !name.chars().all(|letter| letter.is_ascii_digit())
        }
        Family::Linux | Family::MacOs => name.len() <= LONGEST_ON_UNIX && name.split('.').all(is_label),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_those_that_a_network_takes() {
        for (name, on_windows, on_linux) in [
            ("LOFT-PC", true, true),
            ("a-name-of-20-letters", false, true),
            ("loft.example", false, true),
            ("12345", false, true),
            ("Odile's Mac", false, false),
            ("-loft", false, false),
            ("x; reboot", false, false),
            ("", false, false),
        ] {
            assert_eq!(fits(name, Family::Windows), on_windows, "{name}");
            assert_eq!(fits(name, Family::Linux), on_linux, "{name}");
        }
    }
}
