//! Paths as Windows writes them, as paths below the root of a machine.
//!
//! A path on the system's drive begins at the root. Another drive or a server's share is a first step that no
//! file can have: `D:` or `\\server\share`.

use porter_names::RelativePath;

/// Takes `%USERPROFILE%\Documents`, `D:\Kites`, `\\server\share\odile`, `\\?\C:\Users`, with either slash.
///
/// `variables` returns the values of `%NAME%`, in capitals; `system_drive` is `C:`. None for a path that is
/// not absolute, holds an unknown variable, or climbs with `..`.
pub fn below_root(
    text: &str,
    variables: &dyn Fn(&str) -> Option<String>,
    system_drive: &str,
) -> Option<RelativePath> {
    let text = expand(text, variables)?.replace('/', "\\");
    let text = match text.strip_prefix("\\\\?\\UNC\\") {
        Some(share) => format!("\\\\{share}"),
        None => text.strip_prefix("\\\\?\\").map(str::to_owned).unwrap_or(text),
    };
    let (drive, rest) = match text.strip_prefix("\\\\") {
        Some(share) => {
            let mut steps = share.splitn(3, '\\');
            let (server, share) = (steps.next()?, steps.next()?);
            if server.is_empty() || share.is_empty() {
                return None;
            }
            (Some(format!("\\\\{server}\\{share}")), steps.next().unwrap_or_default().to_owned())
        }
        None => {
            let drive = text.get(..2).filter(|drive| is_letter(drive))?;
            let rest = text.get(2..).filter(|rest| rest.is_empty() || rest.starts_with('\\'))?;
            let is_system = drive.eq_ignore_ascii_case(system_drive);
            ((!is_system).then(|| drive.to_ascii_uppercase()), rest.to_owned())
        }
    };
    let mut path = RelativePath::root();
    for step in drive.iter().map(String::as_str).chain(rest.split('\\').filter(|step| !step.is_empty())) {
        path = path.join(step.as_bytes()).ok()?;
    }
    Some(path)
}

/// The folder that Windows has for a first step that is a drive or a share; none if it is neither.
pub fn folder_of_drive(first_step: &[u8]) -> Option<String> {
    let text = std::str::from_utf8(first_step).ok()?;
    (is_letter(text) || text.starts_with("\\\\")).then(|| format!("{text}\\"))
}

fn is_letter(drive: &str) -> bool {
    matches!(drive.as_bytes(), [letter, b':'] if letter.is_ascii_alphabetic())
}

/// Puts in the values of `%NAME%`.
pub(super) fn expand(text: &str, variables: &dyn Fn(&str) -> Option<String>) -> Option<String> {
    let mut expanded = String::new();
    let mut rest = text;
    while let Some((before, after)) = rest.split_once('%') {
        let (name, after) = after.split_once('%')?;
        expanded.push_str(before);
        expanded.push_str(&variables(&name.to_ascii_uppercase())?);
        rest = after;
    }
    Some(expanded + rest)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_spelling_of_a_path_is_one_below_the_root() {
        let variables = |name: &str| (name == "USERPROFILE").then(|| "C:\\Users\\odile".to_owned());
        let below = |text: &str| below_root(text, &variables, "C:").map(|path| path.to_string());
        for (text, expected) in [
            ("%USERPROFILE%\\Documents", "Users/odile/Documents"),
            ("%UserProfile%/My Kites", "Users/odile/My Kites"),
            ("c:\\", ""),
            ("\\\\?\\C:\\Users\\odile\\", "Users/odile"),
            ("d:\\Kites\\2011", "D:/Kites/2011"),
        ] {
            assert_eq!(below(text).as_deref(), Some(expected), "{text}");
        }
        let share = below_root("\\\\loft\\people\\odile", &variables, "C:").unwrap();
        assert_eq!(share.steps().collect::<Vec<_>>(), [&b"\\\\loft\\people"[..], b"odile"]);
        assert_eq!(folder_of_drive(b"\\\\loft\\people").as_deref(), Some("\\\\loft\\people\\"));
        assert_eq!(folder_of_drive(b"D:").as_deref(), Some("D:\\"));
        assert_eq!(folder_of_drive(b"Users"), None);
        for refused in ["Documents", "%NOBODY%\\x", "%USERPROFILE", "C:Documents", "C:\\..\\x", "\\\\loft"] {
            assert_eq!(below(refused), None, "{refused}");
        }
    }
}
