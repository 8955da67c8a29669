//! A file that tells Outlook 2003 to 2019 to open data files in the profile that it uses: `.prf`, the text of
//! sections that Microsoft has published for administrators. Outlook takes it in with `/importprf`.

use std::fmt::Write;

/// A data file to be opened.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DataFile {
    /// Its name in the list of folders.
    pub shown_as: String,
    /// Its whole path, as Windows writes it.
    pub path: String,
}

/// The text. The files are added to those that the profile has. It names no account, and no place for new
/// letters.
pub fn to_text(files: &[DataFile]) -> String {
    // A value ends with its line.
    let line = |text: &str| text.chars().filter(|c| !c.is_control()).collect::<String>();
    let mut text = String::from(
        "[General]\r\nCustom=1\r\nDefaultProfile=No\r\nOverwriteProfile=Append\r\nModifyDefaultProfileIfPresent=True\r\n\r\n[Service List]\r\n",
    );
    for number in 1..=files.len() {
        let _ = write!(text, "Service{number}=Unicode Personal Folders\r\n");
    }
    for (number, file) in (1..).zip(files) {
        let _ = write!(
            text,
            "\r\n[Service{number}]\r\nUniqueService=No\r\nName={}\r\nPathToPersonalFolders={}\r\nEncryptionType=0x40000000\r\n",
            line(&file.shown_as),
            line(&file.path)
        );
    }
    // The names above stand for these properties of the service.
    text.push_str(
        "\r\n[Unicode Personal Folders]\r\nServiceName=MSUPST MS\r\nName=PT_UNICODE,0x3001\r\nPathToPersonalFolders=PT_UNICODE,0x6700\r\n\
         EncryptionType=PT_LONG,0x6702\r\n",
    );
    text
}

/// The same as a file: Windows reads such texts in UTF-16 with a mark.
pub fn to_bytes(files: &[DataFile]) -> Vec<u8> {
    [0xff, 0xfe].into_iter().chain(to_text(files).encode_utf16().flat_map(u16::to_le_bytes)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ini::Ini;

    #[test]
    fn every_file_is_a_service_of_its_own_and_nothing_is_replaced() {
        let file = |name: &str| DataFile {
            shown_as: format!("{name}\r\n[General]"),
            path: format!("C:\\Users\\tamsin\\Documents\\{name}.pst"),
        };
        let bytes = to_bytes(&[file("2009"), file("B\u{fc}ro")]);
        let prf = Ini::from_text(&crate::encoding::by_mark(&bytes));
        assert_eq!(prf.get("General", "OverwriteProfile"), Some("Append"));
        assert_eq!(prf.get("Service List", "Service2"), Some("Unicode Personal Folders"));
        assert_eq!(
            prf.get("Service2", "PathToPersonalFolders"),
            Some("C:\\Users\\tamsin\\Documents\\B\u{fc}ro.pst")
        );
        assert_eq!(prf.get("Service1", "Name"), Some("2009[General]"));
        assert_eq!(prf.sections().filter(|name| *name == "General").count(), 1);
    }
}
