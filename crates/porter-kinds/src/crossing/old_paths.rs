//! Paths that programs wrote down on the old machine, as they read on the new one.
//!
//! A path into a place that was carried is followed to the same place of the new machine, in any spelling:
//! with either slash, in any case (where the old system ignores case), with 8.3 names, with variables, as a
//! `file:///` address. A path to anywhere else is left as it is.

use porter_formats::percent;
use porter_machine::layout::Family;
use porter_machine::registry::windows_path::folder_of_drive;
use porter_machine::{Account, Machine, Place};
use porter_names::{RelativePath, fold};
use porter_trunk::{AccountLabel, Label};

/// Where things were, and where they are.
#[derive(Debug, Clone)]
pub struct OldPaths {
    from: Family,
    to: Family,
    /// The most exact first: a place may lie in another.
    rows: Vec<Row>,
}

#[derive(Debug, Clone)]
struct Row {
    /// As the old system wrote it, step by step, without the drive of the system.
    old: Vec<String>,
    /// As the new system writes it.
    new: String,
}

/// Variables that stand for a place, on every Windows.
const VARIABLES: [(&str, Place); 5] = [
    ("%userprofile%", Place::Home),
    ("%appdata%", Place::RoamingData),
    ("%localappdata%", Place::LocalData),
    ("$home", Place::Home),
    ("~", Place::Home),
];

/// A path below a machine's root, as its system writes it.
pub fn as_written(family: Family, path: &RelativePath) -> String {
    let step = |step: &[u8]| String::from_utf8_lossy(step).into_owned();
    if family != Family::Windows {
        return path.steps().fold(String::new(), |all, next| all + "/" + &step(next));
    }
    let mut steps = path.steps().peekable();
    let drive = match steps.peek().and_then(|first| folder_of_drive(first)) {
        Some(drive) => {
            steps.next();
            drive
        }
        None => "C:\\".to_owned(),
    };
    drive + &steps.map(step).collect::<Vec<_>>().join("\\")
}

/// An account's places as a label keeps them.
pub fn places_as_written(machine: &Machine, account: &Account) -> std::collections::BTreeMap<String, String> {
    let written = |(place, found): (&Place, &porter_machine::FoundPlace)| {
        (place.name().to_owned(), as_written(machine.layout.family, &found.path))
    };
    account.places.iter().map(written).collect()
}

impl OldPaths {
    /// Knows nothing yet, from one family of systems to another.
    pub fn between(from: Family, to: Family) -> Self {
        Self { from, to, rows: Vec::new() }
    }

    /// For one person: what was theirs on the trunk's machine, and is now the account's.
    pub fn of_person(label: &Label, old: &AccountLabel, machine: &Machine, account: &Account) -> Self {
        let from = Family::from_name(&label.machine.system.family).unwrap_or(Family::Windows);
        let mut paths = Self::between(from, machine.layout.family);
        for (place, written) in &old.places {
            let now = Place::from_name(place).and_then(|place| machine.place(Some(account), place));
            if let Some(now) = now {
                paths.add(written, as_written(machine.layout.family, &now.path));
            }
        }
        paths
    }

    /// One more: what was at `old` is at `new`, both as their systems write them.
    pub fn add(&mut self, old: &str, new: String) {
        let old = steps_of(old, self.from);
        if !old.is_empty() {
            self.rows.push(Row { old, new });
            self.rows.sort_by_key(|row| std::cmp::Reverse(row.old.len()));
        }
    }

    /// Where a path leads now; none if that is where it led before, or if it never led to anything carried.
    pub fn follow(&self, written: &str) -> Option<String> {
        if let Some(inner) = written.strip_prefix("jar:") {
            // The text behind the mark is a path inside the archive.
            let (archive, within) = inner.split_once('!').unwrap_or((inner, ""));
            let mark = &inner[archive.len()..inner.len() - within.len()];
            return self.follow(archive).map(|archive| format!("jar:{archive}{mark}{within}"));
        }
        if let Some(address) = written.strip_prefix("file://") {
            let plain = percent::decoded(address.strip_prefix("localhost").unwrap_or(address))?;
            let plain =
                if self.from == Family::Windows { plain.trim_start_matches('/') } else { plain.as_str() };
            let followed = self.follow_path(plain)?.replace('\\', "/");
            let slash = if followed.starts_with('/') { "" } else { "/" };
            return Some(format!("file://{slash}{}", percent::encoded(&followed)));
        }
        self.follow_path(written).filter(|now| now != written)
    }

    fn follow_path(&self, written: &str) -> Option<String> {
        let lowered = written.to_lowercase();
        let variable = VARIABLES.iter().find(|(name, _)| {
            lowered.strip_prefix(name).is_some_and(|rest| rest.is_empty() || rest.starts_with(['/', '\\']))
        });
        if let Some((name, _)) = variable {
            // Both systems of a family know the same variables.
            if self.from == self.to {
                return None;
            }
            let home = self.rows.iter().min_by_key(|row| row.old.len())?;
            let rest = &written[name.len()..];
            return Some(self.joined(&home.new, rest, false));
        }
        let is_absolute = match self.from {
            Family::Windows | Family::Drive => {
                let bytes = written.as_bytes();
                matches!(bytes, [letter, b':', b'/' | b'\\', ..] if letter.is_ascii_alphabetic())
                    || written.starts_with("\\\\")
            }
            Family::Linux | Family::MacOs => written.starts_with('/'),
        };
        if !is_absolute || written.contains('\0') {
            return None;
        }
        let steps = steps_of(written, self.from);
        let row = self.rows.iter().find(|row| {
            steps.len() >= row.old.len()
                && row.old.iter().zip(&steps).all(|(real, written)| self.is_same(real, written))
        })?;
        let rest = steps[row.old.len()..].join("/");
        let forward = self.from == Family::Windows && !written.contains('\\');
        Some(self.joined(&row.new, &rest, forward))
    }

    fn joined(&self, new: &str, rest: &str, forward: bool) -> String {
        let rest = rest.trim_matches(['/', '\\']).replace('\\', "/");
        let whole = if rest.is_empty() {
            new.to_owned()
        } else {
            format!("{}/{rest}", new.trim_end_matches(['/', '\\']))
        };
        match self.to {
            Family::Windows | Family::Drive if !forward => whole.replace('/', "\\"),
            Family::Windows | Family::Drive => whole.replace('\\', "/"),
            Family::Linux | Family::MacOs => whole,
        }
    }

    fn is_same(&self, real: &str, written: &str) -> bool {
        match self.from {
            Family::Linux => real == written,
            Family::MacOs => fold::same_name(real.as_bytes(), written.as_bytes()),
            Family::Windows | Family::Drive => {
                fold::same_name(real.as_bytes(), written.as_bytes()) || is_short_name_of(written, real)
            }
        }
    }
}

/// The steps of a path, without the system's drive.
fn steps_of(written: &str, family: Family) -> Vec<String> {
    if family != Family::Windows {
        return written.split('/').filter(|step| !step.is_empty()).map(str::to_owned).collect();
    }
    let text = written.replace('/', "\\");
    let text = text.strip_prefix("\\\\?\\").unwrap_or(&text);
    let share = text.starts_with("\\\\");
    let mut steps: Vec<String> =
        text.split('\\').filter(|step| !step.is_empty()).map(str::to_owned).collect();
    // Whatever letter the system's drive had; another drive's stays.
    if steps.first().is_some_and(|first| first.eq_ignore_ascii_case("c:")) {
        steps.remove(0);
    } else if share && let Some(server) = steps.first_mut() {
        server.insert_str(0, "\\\\");
    }
    steps
}

/// `DOCUME~1` is what Windows makes of `Documents and Settings`: six characters that old programs can hold, a
/// tilde and a number.
fn is_short_name_of(written: &str, real: &str) -> bool {
    let Some((begin, number)) = written.split_once('~') else { return false };
    let number = number.split('.').next().unwrap_or_default();
    if number.is_empty() || !number.bytes().all(|byte| byte.is_ascii_digit()) || begin.is_empty() {
        return false;
    }
    let stem = real.rsplit_once('.').map_or(real, |(stem, _)| stem);
    let held: String = stem.to_uppercase().chars().filter(|c| !matches!(c, ' ' | '.')).take(6).collect();
    held.starts_with(&begin.to_uppercase())
        && (begin.chars().count() == 6 || held.chars().count() == begin.chars().count())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn paths(from: Family, to: Family, rows: &[(&str, &str)]) -> OldPaths {
        let mut paths = OldPaths { from, to, rows: Vec::new() };
        rows.iter().for_each(|(old, new)| paths.add(old, (*new).to_owned()));
        paths
    }

    #[test]
    fn every_spelling_of_an_old_path_leads_to_the_same_new_one() {
        let xp = paths(
            Family::Windows,
            Family::Windows,
            &[
                ("C:\\Documents and Settings\\odile", "C:\\Users\\Odile M"),
                ("C:\\Documents and Settings\\odile\\My Documents", "D:\\Papers"),
                ("E:\\Kites", "C:\\Users\\Odile M\\Kites"),
            ],
        );
        for (old, new) in [
            ("C:\\Documents and Settings\\odile\\Desktop", "C:\\Users\\Odile M\\Desktop"),
            ("c:/documents and settings/ODILE/Desktop/a b.txt", "C:/Users/Odile M/Desktop/a b.txt"),
            ("C:\\DOCUME~1\\odile\\MYDOCU~1\\Plan.kite", "D:\\Papers\\Plan.kite"),
            (
                "file:///C:/Documents%20and%20Settings/odile/Desktop/x%20y",
                "file:///C:/Users/Odile%20M/Desktop/x%20y",
            ),
            (
                "jar:file:///C:/Documents%20and%20Settings/odile/e.xpi!/",
                "jar:file:///C:/Users/Odile%20M/e.xpi!/",
            ),
            ("e:\\kites\\2011", "C:\\Users\\Odile M\\Kites\\2011"),
        ] {
            assert_eq!(xp.follow(old).as_deref(), Some(new), "{old}");
        }
        for elsewhere in [
            "C:\\Windows\\x",
            "%APPDATA%\\x",
            "Documents",
            "https://k.example/C:\\Documents and Settings",
            "",
            "C:\\Documents and Settings\\odile2",
        ] {
            assert_eq!(xp.follow(elsewhere), None, "{elsewhere}");
        }
        let linux = paths(
            Family::Windows,
            Family::Linux,
            &[
                ("C:\\Users\\odile", "/home/od ile"),
                ("C:\\Users\\odile\\Documents", "/home/od ile/Dokumente"),
            ],
        );
        for (old, new) in [
            ("C:\\Users\\Odile\\Documents\\Kites", "/home/od ile/Dokumente/Kites"),
            ("%USERPROFILE%\\x", "/home/od ile/x"),
            ("file:///C:/Users/odile/x", "file:///home/od%20ile/x"),
        ] {
            assert_eq!(linux.follow(old).as_deref(), Some(new), "{old}");
        }
        let back = paths(Family::Linux, Family::Windows, &[("/home/odile", "C:\\Users\\odile")]);
        assert_eq!(back.follow("/home/odile/a/b").as_deref(), Some("C:\\Users\\odile\\a\\b"));
        assert_eq!(
            back.follow("file:///home/odile/%C3%A9").as_deref(),
            Some("file:///C:/Users/odile/%C3%A9")
        );
        assert_eq!(back.follow("/home/Odile/a"), None);
    }
}
