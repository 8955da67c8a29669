//! Folders of servers in the side bar of a Linux' file manager: GTK's `bookmarks`, a line of address and name
//! for each. They stand for the drives that a Windows gives a letter.

use crate::account::id_from_name;
use crate::setting::Setting;
use porter_formats::percent;

/// The file, below a person's home.
pub const BOOKMARKS: &str = ".config/gtk-3.0/bookmarks";
const SCHEME: &str = "smb://";

/// Each folder of a server, as the drive that it stands for.
pub(super) fn drives_in(file: &[u8]) -> Vec<Setting> {
    let text = String::from_utf8_lossy(file);
    let drive = |line: &str| {
        let (address, label) = line.split_once(' ').unwrap_or((line, ""));
        let path = percent::decoded(address.strip_prefix(SCHEME)?)?;
        let letter = label.trim_end_matches(':');
        let id = id_from_name(if letter.is_empty() { path.as_bytes() } else { letter.as_bytes() });
        let folder = format!("\\\\{}", path.trim_end_matches('/').replace('/', "\\"));
        let facts = [("server-folder", Some(folder)), ("letter", Some(letter.to_owned()))];
        Setting::new(&format!("drive/{id}"), &format!("Folder of a server: {path}"), &facts)
    };
    text.lines().filter_map(drive).collect()
}

/// The file with one more folder; none if it has it, or that is no folder of a server.
pub fn with_drive(file: &[u8], letter: &str, server_folder: &str) -> Option<Vec<u8>> {
    let path = server_folder.strip_prefix("\\\\")?.replace('\\', "/");
    let is_letter = matches!(letter.as_bytes(), [letter] if letter.is_ascii_alphabetic());
    if !is_letter || path.split('/').any(|step| step.is_empty() || step == "..") {
        return None;
    }
    let address = format!("{SCHEME}{}", percent::encoded(&path));
    let text = String::from_utf8_lossy(file);
    if text.lines().any(|line| line.split(' ').next() == Some(address.as_str())) {
        return None;
    }
    let gap = if file.is_empty() || file.ends_with(b"\n") { "" } else { "\n" };
    Some([file, format!("{gap}{address} {letter}:\n").as_bytes()].concat())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_drive_becomes_a_folder_of_its_server_once() {
        let before = b"file:///home/odile/Plans\nsmb://tide/scans Scans";
        let once = with_drive(before, "K", "\\\\loft\\Kite plans").unwrap();
        assert!(once.starts_with(before) && once.ends_with(b"\nsmb://loft/Kite%20plans K:\n"));
        assert_eq!(with_drive(&once, "K", "\\\\loft\\Kite plans"), None);
        let drives = drives_in(&once);
        let ids: Vec<&str> = drives.iter().map(|drive| drive.id.as_str()).collect();
        assert_eq!(ids, ["drive/scans", "drive/k"]);
        assert_eq!(drives[1].facts["server-folder"], "\\\\loft\\Kite plans");
        for (letter, folder) in
            [("K", "C:\\x"), ("K\nsmb://x", "\\\\a\\b"), ("K", "\\\\a\\..\\b"), ("K", "\\\\")]
        {
            assert_eq!(with_drive(b"", letter, folder), None, "{letter} {folder}");
        }
        assert!(drives_in(b"smb://a%zz\nsmb://a%e9\nsmb://a%").is_empty());
    }
}
