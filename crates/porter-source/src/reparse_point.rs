//! Reparse points: Windows keeps them in place of a file or folder that is somewhere else or kept in another
//! form.
//!
//! Decoded after [MS-FSCC] 2.1.2: the tag (4 bytes), the length of the data (2), two bytes of nothing, the
//! data; all little endian. The data of a junction and of a symbolic link begins with where its two spellings
//! of the target are (2.1.2.4 and 2.1.2.5).

use crate::Shut;

const SYMBOLIC_LINK: u32 = 0xA000_000C;
const JUNCTION: u32 = 0xA000_0003;
/// `IO_REPARSE_TAG_CLOUD` with the number of the cloud's folder kind in the fourth digit.
const CLOUD: u32 = 0x9000_001A;
const NUMBER_OF_CLOUD: u32 = 0x0000_F000;
/// `IO_REPARSE_TAG_ONEDRIVE`, of Windows 8.1.
const ONEDRIVE: u32 = 0x8000_0021;
/// From the first Linux under Windows; drivers on Linux write and show it as a plain link.
const LINUX_LINK: u32 = 0xA000_001D;

/// The target.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ReparsePoint {
    /// A junction or a symbolic link of Windows, and where it leads: `D:\Photos`.
    Link {
        /// As Windows shows it.
        target: String,
    },
    /// A link that a driver on Linux can read.
    LinuxLink,
    /// Anything else: only Windows' own driver gets at its content.
    Shut(Shut),
}

impl ReparsePoint {
    /// Decodes it. None if it is shorter than its own lengths say.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let tag = u32::from_le_bytes(*bytes.first_chunk()?);
        let data = bytes.get(8..)?;
        match tag {
            // A symbolic link has four bytes more before its names: whether the target is relative.
            JUNCTION => Some(Self::Link { target: target(data, 8)? }),
            SYMBOLIC_LINK => Some(Self::Link { target: target(data, 12)? }),
            LINUX_LINK => Some(Self::LinuxLink),
            ONEDRIVE => Some(Self::Shut(Shut::Cloud)),
            tag if tag & !NUMBER_OF_CLOUD == CLOUD => Some(Self::Shut(Shut::Cloud)),
            tag => Some(Self::Shut(Shut::Tag(tag))),
        }
    }
}

/// The spelling for people; if it is empty, the one for the system, which begins with `\??\`.
fn target(data: &[u8], names_at: usize) -> Option<String> {
    let number = |at: usize| Some(usize::from(u16::from_le_bytes(*data.get(at..)?.first_chunk()?)));
    let name = |at: usize| {
        let from = names_at.checked_add(number(at)?)?;
        let bytes = data.get(from..from.checked_add(number(at + 2)?)?)?;
        let units: Vec<u16> = bytes.as_chunks().0.iter().map(|pair| u16::from_le_bytes(*pair)).collect();
        Some(String::from_utf16_lossy(&units))
    };
    let (for_the_system, for_people) = (name(0)?, name(4)?);
    if !for_people.is_empty() {
        return Some(for_people);
    }
    let shown = for_the_system.strip_prefix(r"\??\").unwrap_or(&for_the_system);
    Some(match shown.strip_prefix(r"UNC\") {
        Some(server) => format!(r"\\{server}"),
        None => shown.to_owned(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn point(tag: u32, names_at: usize, system: &str, people: &str) -> Vec<u8> {
        let units = |text: &str| text.encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<u8>>();
        let (system, people) = (units(system), units(people));
        let lengths = [0, system.len(), system.len() + 2, people.len()];
        let mut data: Vec<u8> =
            lengths.iter().flat_map(|n| u16::try_from(*n).unwrap().to_le_bytes()).collect();
        data.resize(names_at, 0);
        data.extend([&system[..], &[0, 0], &people, &[0, 0]].concat());
        [&tag.to_le_bytes()[..], &u16::try_from(data.len()).unwrap().to_le_bytes(), &[0, 0], &data].concat()
    }

    #[test]
    fn targets_are_read_as_windows_shows_them_and_everything_else_is_shut() {
        let link = |target: &str| Some(ReparsePoint::Link { target: target.to_owned() });
        let whole = point(JUNCTION, 8, r"\??\D:\nowhere", r"D:\nowhere");
        assert_eq!(ReparsePoint::from_bytes(&whole), link(r"D:\nowhere"));
        assert_eq!(
            ReparsePoint::from_bytes(&point(SYMBOLIC_LINK, 12, r"..\Kites", r"..\Kites")),
            link(r"..\Kites")
        );
        let server = point(SYMBOLIC_LINK, 12, r"\??\UNC\tidewater\plans", "");
        assert_eq!(ReparsePoint::from_bytes(&server), link(r"\\tidewater\plans"));
        for tag in [0x9000_001A, 0x9000_701A, 0x9000_F01A, 0x8000_0021] {
            let found = ReparsePoint::from_bytes(&point(tag, 8, "", ""));
            assert_eq!(found, Some(ReparsePoint::Shut(Shut::Cloud)), "{tag:x}");
        }
        let compressed = ReparsePoint::from_bytes(&point(0x8000_0017, 8, "", ""));
        assert_eq!(compressed, Some(ReparsePoint::Shut(Shut::Tag(0x8000_0017))));
        for length in 0..whole.len() - 2 {
            assert_eq!(ReparsePoint::from_bytes(&whole[..length]), None, "{length}");
        }
    }
}
