//! Outlook's list of addresses that it offers while somebody types: `.nk2` up to Outlook 2007, and
//! `Stream_Autocomplete_*.dat` since. Both have one layout, which Microsoft has published (*Autocomplete
//! stream*): rows of properties, each a tag, eight bytes of value, and more bytes for texts and the like.

use crate::{FormatError, encoding};

const WHAT: &str = "list of addresses";
/// Types of properties, the low half of their tags ([MS-OXCDATA] 2.11.1), whose values stand behind them.
const TEXT_OF_CODE_PAGE: u32 = 0x001e;
const TEXT: u32 = 0x001f;
const BYTES: u32 = 0x0102;
const GUID: u32 = 0x0048;
const SEVERAL: u32 = 0x1000;
/// The properties that say whose address it is ([MS-OXPROPS]), the high half of their tags.
const NAME: u32 = 0x3001;
const KIND: u32 = 0x3002;
const ADDRESS: u32 = 0x3003;
const INTERNET_ADDRESS: u32 = 0x39fe;
/// As Outlook offers the row: a second name, if there is none.
const SHOWN: u32 = 0x6001;

/// One address that was offered.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash)]
pub struct Address {
    /// The name; empty if there is none.
    pub name: String,
    /// The address: `ines@saltmarsh.example`, or one that only its own server knows.
    pub address: String,
    /// True for an address of the internet.
    pub is_of_internet: bool,
}

/// The addresses of a list, in their order. A row without an address is passed by.
pub fn addresses(file: &[u8]) -> Result<Vec<Address>, FormatError> {
    let mut reader = Reader { file, at: 0 };
    // The first and third number differ between programs; the layout of the rows does not.
    let [_, major, _, rows] = [(); 4].map(|()| reader.number());
    let (major, rows) = (major?, rows?);
    if !(1..=64).contains(&major) {
        return Err(FormatError::Unsupported { what: WHAT, version: major.to_string() });
    }
    let mut found = Vec::new();
    for _ in 0..rows {
        found.extend(reader.row()?);
    }
    Ok(found)
}

struct Reader<'f> {
    file: &'f [u8],
    at: usize,
}

impl<'f> Reader<'f> {
    fn take(&mut self, length: usize) -> Result<&'f [u8], FormatError> {
        let short = || FormatError::damaged(WHAT, "it ends in the middle");
        let end = self.at.checked_add(length).ok_or_else(short)?;
        let bytes = self.file.get(self.at..end).ok_or_else(short)?;
        self.at = end;
        Ok(bytes)
    }

    fn number(&mut self) -> Result<u32, FormatError> {
        let bytes = self.take(4)?;
        Ok(u32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]))
    }

    /// Bytes behind their length.
    fn sized(&mut self) -> Result<&'f [u8], FormatError> {
        let length = self.number()?;
        self.take(length as usize)
    }

    /// The value of a property, if it is a text.
    fn value(&mut self, kind: u32) -> Result<Option<String>, FormatError> {
        if kind & SEVERAL != 0 {
            for _ in 0..self.number()? {
                self.sized()?;
            }
            return Ok(None);
        }
        Ok(match kind {
            TEXT => Some(without_end(&encoding::utf16(self.sized()?))),
            TEXT_OF_CODE_PAGE => Some(without_end(&encoding::western(self.sized()?))),
            BYTES => self.sized().map(|_| None)?,
            GUID => self.take(16).map(|_| None)?,
            _ => None,
        })
    }

    fn row(&mut self) -> Result<Option<Address>, FormatError> {
        let (mut name, mut shown, mut kind, mut address, mut of_internet) = <(String, _, _, _, _)>::default();
        for _ in 0..self.number()? {
            let tag = self.number()?;
            // Four bytes that say nothing, and eight of a value that fits in them.
            self.take(12)?;
            let Some(text) = self.value(tag & 0xffff)? else { continue };
            let field: &mut String = match tag >> 16 {
                NAME => &mut name,
                SHOWN => &mut shown,
                KIND => &mut kind,
                ADDRESS => &mut address,
                INTERNET_ADDRESS => &mut of_internet,
                _ => continue,
            };
            *field = text;
        }
        let is_of_internet = !of_internet.is_empty() || kind.eq_ignore_ascii_case("SMTP");
        let address = if of_internet.is_empty() { address } else { of_internet };
        let name = if name.is_empty() { shown } else { name };
        Ok((!address.is_empty()).then_some(Address { name, address, is_of_internet }))
    }
}

fn without_end(text: &str) -> String {
    text.trim_end_matches('\0').to_owned()
}

/// A list as a program writes it: what a demo or a test needs of one.
pub fn to_bytes(addresses: &[Address]) -> Vec<u8> {
    let mut file: Vec<u8> =
        [0xbaad_f00d, 10, 1, addresses.len() as u32].into_iter().flat_map(u32::to_le_bytes).collect();
    for Address { name, address, is_of_internet } in addresses {
        let kind = if *is_of_internet { "SMTP" } else { "EX" };
        let texts = [(NAME, name.as_str()), (KIND, kind), (ADDRESS, address.as_str())];
        file.extend((texts.len() as u32 + 1).to_le_bytes());
        for (property, text) in texts {
            file.extend((property << 16 | TEXT).to_le_bytes());
            file.extend([0; 12]);
            let bytes: Vec<u8> = text.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect();
            file.extend((bytes.len() as u32).to_le_bytes());
            file.extend(bytes);
        }
        // How often it was used.
        file.extend([0x0003, 0, 7, 0].into_iter().flat_map(u32::to_le_bytes));
    }
    file.extend([0; 12]);
    file
}

#[cfg(test)]
mod tests {
    use super::*;

    fn list() -> Vec<Address> {
        let row = |name: &str, address: &str, is_of_internet| Address {
            name: name.to_owned(),
            address: address.to_owned(),
            is_of_internet,
        };
        vec![
            row("Ines Albrecht", "ines@saltmarsh.example", true),
            row("", "ferry@windrose.example", true),
            row("B\u{e9}n", "/O=TIDEHOUSE/CN=BEN", false),
        ]
    }

    #[test]
    fn addresses_are_read_whatever_else_a_row_says() {
        let mut file = to_bytes(&list());
        assert_eq!(addresses(&file).unwrap(), list());
        // A fourth row: bytes, a number of its own, several texts, a name in a code page, and the address
        // behind an own server's.
        file[12] = 4;
        file.truncate(file.len() - 12);
        let mut put = |words: &[u32], bytes: &[u8]| {
            file.extend(words.iter().flat_map(|word| word.to_le_bytes()));
            file.extend(bytes);
        };
        put(&[6], b"");
        put(&[0x0fff_0102, 0, 0, 0, 5], b"\x01\x02\x03\x04\x05");
        put(&[0x0001_0048, 0, 0, 0], &[7; 16]);
        put(&[0x0002_101f, 0, 0, 0, 2, 2], b"a\0");
        put(&[4], b"b\0c\0");
        put(&[0x6001_001e, 0, 0, 0, 4], b"Caf\xe9");
        put(&[0x3003_001e, 0, 0, 0, 2], b"/O");
        put(&[0x39fe_001f, 0, 0, 0, 6], b"o\0@\0x\0");
        let all = addresses(&file).unwrap();
        let last = Address { name: "Caf\u{e9}".to_owned(), address: "o@x".to_owned(), is_of_internet: true };
        assert_eq!(all[3], last);
    }

    #[test]
    fn a_list_that_is_cut_is_an_error_and_no_shorter_list() {
        let file = to_bytes(&list());
        for end in [0, 3, 15, 16, 40, file.len() / 2] {
            assert!(addresses(&file[..end]).is_err(), "cut at {end}");
        }
        let mut lying = file;
        lying[12..16].fill(0xff);
        assert!(addresses(&lying).is_err());
        assert!(matches!(addresses(&[9; 64]), Err(FormatError::Unsupported { .. })));
    }
}
