//! Safe names: what a thing is called where its real name cannot be written.
//!
//! A safe name keeps as much of the real one as it can, and its extension, so that the file still opens:
//! `aux.txt` becomes `aux~5a0f3c21.txt`. The mark after `~` is made from the real name, so the same name gets
//! the same safe name in every run and on every system. The real name is kept in the trunk.
//!
//! A mail program of Mozilla finds the folders below `Kites: jobs`, and its marks, by the names
//! `Kites: jobs.sbd` and `Kites: jobs.msf`. Such a [companion](COMPANION_ENDINGS) takes the safe name of the
//! one that it belongs to, or else the program finds neither.

use crate::fold::folded;
use std::collections::HashSet;

/// The endings of companions: files and folders that a program finds by the name of another and one of these.
pub const COMPANION_ENDINGS: [&str; 2] = [".sbd", ".msf"];

/// A text that becomes one step of a path: what would part it, or stand for a drive, is a hyphen.
pub fn as_one_step(text: &str) -> String {
    text.replace(['/', '\\', ':'], "-")
}

/// The names that a place can hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NameRules {
    /// Refuse what Windows refuses: reserved characters, device names, a dot or space at the end, control
    /// characters, and text that is not Unicode.
    pub as_windows: bool,
    /// Also refuse `%` and the Unicode line separators.
    pub for_manifest: bool,
    /// Also refuse everything that is not ASCII.
    pub only_ascii: bool,
    /// Names that differ only by case or Unicode form are one.
    pub ignores_case: bool,
    /// Longest name in bytes of UTF-8.
    pub most_bytes: usize,
    /// Longest name in UTF-16 units.
    pub most_utf16_units: usize,
}

impl NameRules {
    /// Names inside an open trunk: they fit every file system a trunk may be copied to later, and a BagIt
    /// manifest without escapes. (RFC 8493 escapes `%`, but readers in use do not agree on it; some
    /// also take the Unicode line separators as ends of lines.)
    pub const TRUNK: Self = Self {
        as_windows: true,
        for_manifest: true,
        only_ascii: false,
        ignores_case: true,
        most_bytes: 255,
        most_utf16_units: 255,
    };

    /// Whatever a machine has: for names that are only written into a list.
    pub const ANY: Self = Self {
        as_windows: false,
        for_manifest: false,
        only_ascii: false,
        ignores_case: false,
        most_bytes: usize::MAX,
        most_utf16_units: usize::MAX,
    };

    /// A Windows volume; `host_most_bytes` is what the system that has it mounted allows.
    pub const fn windows(host_most_bytes: usize) -> Self {
        Self {
            as_windows: true,
            for_manifest: false,
            only_ascii: false,
            ignores_case: true,
            most_bytes: host_most_bytes,
            most_utf16_units: 255,
        }
    }

    /// A Unix file system that keeps any bytes.
    pub const UNIX: Self = Self {
        as_windows: false,
        for_manifest: false,
        only_ascii: false,
        ignores_case: false,
        most_bytes: 255,
        most_utf16_units: usize::MAX,
    };

    /// True when `name` can be held as it is, and the name that it is the companion of.
    pub fn hold(&self, name: &[u8]) -> bool {
        self.holds(name) && companion(name).is_none_or(|(of, _)| self.holds(of))
    }

    fn holds(&self, name: &[u8]) -> bool {
        if name.len() > self.most_bytes {
            return false;
        }
        if !self.as_windows {
            return !self.only_ascii || name.is_ascii();
        }
        let Ok(text) = std::str::from_utf8(name) else { return false };
        if text.is_ascii() {
            return !matches!(name.last(), Some(b'.' | b' '))
                && !name.iter().any(|b| self.forbids(char::from(*b)))
                && !is_device_name(text)
                && name.len() <= self.most_utf16_units;
        }
        !text.ends_with(['.', ' '])
            && !text.chars().any(|c| self.forbids(c))
            && !is_device_name(text)
            && text.encode_utf16().count() <= self.most_utf16_units
    }

    fn forbids(&self, c: char) -> bool {
        (self.as_windows
            && (c.is_control() || matches!(c, '<' | '>' | ':' | '"' | '/' | '\\' | '|' | '?' | '*')))
            || (self.for_manifest && matches!(c, '%' | '\u{2028}' | '\u{2029}'))
            || (self.only_ascii && !c.is_ascii())
    }

    /// A name that can be held, made from one that cannot.
    pub fn safe_name(&self, name: &[u8]) -> String {
        self.numbered_name(name, 1)
    }

    /// The key under which two names are one here.
    pub fn key(&self, name: &[u8]) -> Vec<u8> {
        if self.ignores_case { folded(name) } else { name.to_vec() }
    }

    /// The safe name of the first, second … thing that wants the same one.
    fn numbered_name(&self, name: &[u8], number: usize) -> String {
        let (of, ending) = companion(name).unwrap_or((name, ""));
        let mark = mark_of(of);
        let mark = if number == 1 { mark } else { format!("{mark}-{number}") };
        let safe = format!("{}{ending}", self.marked_name(of, &mark));
        // A program that has companions gives no name so long that its ending has no room.
        if self.holds(safe.as_bytes()) { safe } else { self.marked_name(name, &mark) }
    }

    fn marked_name(&self, name: &[u8], mark: &str) -> String {
        let shown = String::from_utf8_lossy(name);
        let cleaned: String = shown.chars().map(|c| if self.forbids(c) { '_' } else { c }).collect();
        let cleaned = cleaned.trim_end_matches(['.', ' ']);
        // A longer extension is not an extension but a sentence with a dot in it.
        let (stem, extension) = match cleaned.rfind('.') {
            // `COM1.tar.gz` is a device up to its first dot, so that is where the mark has to be.
            Some(_) if is_device_name(cleaned) => {
                let dot = cleaned.find('.').unwrap_or(cleaned.len());
                let end =
                    (dot..=cleaned.len().min(dot + 40)).rev().find(|end| cleaned.is_char_boundary(*end));
                (&cleaned[..dot], cleaned[dot..end.unwrap_or(dot)].trim_end_matches(['.', ' ']))
            }
            Some(dot) if dot > 0 && cleaned.len() - dot <= 12 => cleaned.split_at(dot),
            _ => (cleaned, ""),
        };
        let room =
            self.most_bytes.min(self.most_utf16_units).saturating_sub(mark.len() + 1 + extension.len());
        let mut end = stem.len().min(room);
        while !stem.is_char_boundary(end) {
            end -= 1;
        }
        format!("{}~{mark}{extension}", stem[..end].trim_end_matches(['.', ' ']))
    }
}

/// Maps each name of one folder to a name that the folder can hold, no two the same.
#[derive(Debug)]
pub struct Claims {
    rules: NameRules,
    taken: HashSet<Vec<u8>>,
}

impl Claims {
    /// Nothing claimed yet.
    pub fn new(rules: NameRules) -> Self {
        Self { rules, taken: HashSet::new() }
    }

    /// Claims `name`; none when it can be kept as it is, else the safe name in its stead.
    pub fn claim(&mut self, name: &[u8]) -> Option<String> {
        if self.rules.hold(name) && self.taken.insert(self.rules.key(name)) {
            return None;
        }
        let mut safe = self.rules.safe_name(name);
        let mut next = 2;
        while !self.taken.insert(self.rules.key(safe.as_bytes())) {
            safe = self.rules.numbered_name(name, next);
            next += 1;
        }
        Some(safe)
    }
}

/// The name that a companion belongs to, and its ending.
fn companion(name: &[u8]) -> Option<(&[u8], &'static str)> {
    COMPANION_ENDINGS
        .into_iter()
        .find_map(|ending| Some((name.strip_suffix(ending.as_bytes())?, ending)))
        .filter(|(of, _)| !of.is_empty())
}

/// `CON`, `PRN`, `AUX`, `NUL`, `COM1`…`COM9`, `LPT1`…`LPT9` (also with the superscripts ¹²³), alone or before
/// a dot, are devices in every folder of Windows.
fn is_device_name(name: &str) -> bool {
    let stem = name.split('.').next().unwrap_or(name).trim_end_matches(' ');
    let is = |device: &str| stem.eq_ignore_ascii_case(device);
    match (stem.len(), stem.split_at_checked(3)) {
        (3, _) => ["CON", "PRN", "AUX", "NUL"].into_iter().any(is),
        (4 | 5, Some((device, number))) if ["COM", "LPT"].iter().any(|d| d.eq_ignore_ascii_case(device)) => {
            matches!(number, "1" | "2" | "3" | "4" | "5" | "6" | "7" | "8" | "9" | "¹" | "²" | "³")
        }
        (6 | 7, _) => is("CONIN$") || is("CONOUT$"),
        _ => false,
    }
}

/// Eight hexadecimal digits that distinguish names: FNV-1a, folded to 32 bits.
fn mark_of(name: &[u8]) -> String {
    let hash = name
        .iter()
        .fold(0xcbf2_9ce4_8422_2325_u64, |h, b| (h ^ u64::from(*b)).wrapping_mul(0x0100_0000_01b3));
    format!("{:08x}", (hash ^ (hash >> 32)) & 0xffff_ffff)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_that_windows_cannot_hold_get_safe_ones_that_keep_their_extension() {
        let rules = NameRules::windows(255);
        for (name, start, end) in [
            (&b"aux.txt"[..], "aux~", ".txt"),
            (b"NUL", "NUL~", ""),
            (b"what?.csv", "what_~", ".csv"),
            (b"C:\\Windows\\evil.dll", "C__Windows_evil~", ".dll"),
            (b"trailing. ", "trailing~", ""),
            (b"bad\xff.png", "bad\u{fffd}~", ".png"),
        ] {
            assert!(!rules.hold(name), "{name:?}");
            let safe = rules.safe_name(name);
            assert!(safe.starts_with(start) && safe.ends_with(end), "{name:?} became {safe}");
            assert!(rules.hold(safe.as_bytes()), "{safe} is not safe");
        }
        for name in ["auxiliary.txt", "COM10", ".profile", "100% kite.txt", "Café 🪁"] {
            assert!(rules.hold(name.as_bytes()), "{name}");
        }
        assert!(!NameRules::TRUNK.hold(b"100% kite.txt") && NameRules::UNIX.hold(b"bad\xff"));
        let old_stick = NameRules { only_ascii: true, ..NameRules::TRUNK };
        assert!(old_stick.safe_name("Café.txt".as_bytes()).starts_with("Caf_~"));
    }

    #[test]
    fn long_names_are_cut_between_characters() {
        let name = format!("{}.jpeg", "é".repeat(200));
        let safe = NameRules::TRUNK.safe_name(name.as_bytes());
        assert!(safe.len() <= 255 && safe.ends_with(".jpeg"), "{}", safe.len());
    }

    #[test]
    fn companions_take_the_safe_name_of_the_one_they_belong_to() {
        let rules = NameRules::windows(255);
        for name in ["Kites: jobs", "con", "Kites.", &"é:".repeat(40)] {
            let safe = rules.safe_name(name.as_bytes());
            for ending in COMPANION_ENDINGS {
                let beside = format!("{name}{ending}");
                assert!(!rules.hold(beside.as_bytes()), "{beside}");
                assert_eq!(rules.safe_name(beside.as_bytes()), format!("{safe}{ending}"));
                assert!(rules.hold(format!("{safe}{ending}").as_bytes()), "{safe}");
            }
        }
        let mut claims = Claims::new(rules);
        let names = ["Kites", "Kites.msf", "kites", "kites.msf"];
        let [.., third, fourth] = names.map(|name| claims.claim(name.as_bytes()));
        assert_eq!(third.map(|safe| safe + ".msf"), fourth);
        assert!(rules.hold(b".msf") && rules.hold(b"Kites.sbd"));
        let long = rules.safe_name(format!("{}.msf", "é".repeat(300)).as_bytes());
        assert!(rules.hold(long.as_bytes()) && long.ends_with(".msf"), "{long}");
    }

    #[test]
    fn names_that_differ_only_by_case_are_kept_apart() {
        let mut claims = Claims::new(NameRules::TRUNK);
        assert_eq!(claims.claim(b"Plan.txt"), None);
        let second = claims.claim(b"plan.TXT").unwrap();
        assert!(second.starts_with("plan~"));
        assert_eq!(claims.claim(second.as_bytes()).map(|third| third != second), Some(true));
    }
}
