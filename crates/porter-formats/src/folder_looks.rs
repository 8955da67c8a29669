//! `desktop.ini`: the look of a folder of Windows. Windows writes most of them, and a few hold a person's
//! choice: an icon, a name, a hint (Microsoft Learn, *How to customize folders with Desktop.ini*).

use crate::encoding;
use crate::ini::Ini;

const SECTION: &str = ".ShellClassInfo";
const CHOSEN: [&str; 5] = ["IconResource", "IconFile", "Logo", "LocalizedResourceName", "InfoTip"];

/// True if a person gave the folder an icon, a name or a hint of their own. Values that lead into Windows'
/// own files are Windows'.
pub fn are_own(file: &[u8]) -> bool {
    let text = encoding::by_mark(file);
    let ini = Ini::from_text(&text);
    let Some(section) = ini.sections().find(|section| section.eq_ignore_ascii_case(SECTION)) else {
        return false;
    };
    let value = |name: &&str| ini.get(section, name).map(str::trim).filter(|value| !value.is_empty());
    CHOSEN.iter().filter_map(value).any(|value| !is_of_windows(value))
}

/// A reference into a library (`@%SystemRoot%\system32\shell32.dll,-21770`), or a picture in one.
fn is_of_windows(value: &str) -> bool {
    let value = value.to_lowercase();
    value.starts_with('@')
        || [
            "system32",
            "%systemroot%",
            "%windir%",
            "shell32.dll",
            "imageres.dll",
            "%programfiles%",
            "program files",
        ]
        .iter()
        .any(|known| value.contains(known))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_icon_or_name_that_somebody_chose_is_told_from_those_of_windows() {
        let windows = "\r\n[.ShellClassInfo]\r\nLocalizedResourceName=@%SystemRoot%\\system32\\shell32.dll,-21770\r\n\
            IconResource=%SystemRoot%\\system32\\imageres.dll,-112\r\n";
        let own = "[.ShellClassInfo]\r\nIconResource=C:\\Users\\odile\\Pictures\\kite.ico,0\r\n";
        let utf16: Vec<u8> =
            [0xff, 0xfe].into_iter().chain(own.encode_utf16().flat_map(u16::to_le_bytes)).collect();
        for (file, is_own) in [
            (windows.as_bytes(), false),
            (own.as_bytes(), true),
            (&utf16, true),
            (b"[.ShellClassInfo]\r\nLocalizedResourceName=Kites\r\n", true),
            (b"[ViewState]\r\nFolderType=Pictures\r\n", false),
            (b"", false),
        ] {
            assert_eq!(are_own(file), is_own, "{}", String::from_utf8_lossy(file));
        }
    }
}
