//! Versions of programs, and which of two is the newer.

/// `128.5.0` before `131.0`: the numbers between dots.
pub fn version_numbers(version: &str) -> Vec<u64> {
    let numbers =
        version.split(['.', '_', '-', '+']).map_while(|number| number.trim_end_matches("esr").parse().ok());
    numbers.collect()
}

/// True if a profile of version `has` may not be opened by a program of version `by`: the program refuses it
/// from the second number on.
pub fn is_newer(has: &str, by: &str) -> bool {
    version_numbers(has) > version_numbers(by)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_newer_version_is_told_whatever_stands_behind_the_numbers() {
        for (has, by, newer) in [
            ("128.5.0", "131.0", false),
            ("140.0.2", "128.5.0esr", true),
            ("128.5.0", "128.5.0esr", false),
            ("52.9.0", "128.0", false),
        ] {
            assert_eq!(is_newer(has, by), newer, "{has} {by}");
        }
    }
}
