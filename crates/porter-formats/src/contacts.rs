//! People, and lists of people, as files that other programs take in.

mod apple_contact;
mod ldif;
mod ldif_reader;
mod table;
mod table_reader;
mod vcard;
mod vcard_reader;
mod windows_contact;

pub use apple_contact::from_apple_contact;
pub use ldif::to_ldif;
pub use ldif_reader::from_ldif;
pub use table::to_table;
pub use table_reader::from_table;
pub use vcard::{VcardVersion, to_vcards};
pub use vcard_reader::from_vcards;
pub use windows_contact::from_windows_contact;

use crate::mail::autocomplete::Address;
use time::{Date, OffsetDateTime};

/// A person or a firm. Fields that are not known are empty.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash)]
pub struct Contact {
    /// The name that is shown.
    pub name: String,
    /// The parts of the name.
    pub parts: NameParts,
    /// The name among friends.
    pub nickname: String,
    /// The firm.
    pub company: String,
    /// The part of the firm.
    pub department: String,
    /// The room.
    pub office: String,
    /// The title on the door.
    pub job_title: String,
    /// The trade.
    pub profession: String,
    /// Addresses of mail, the first one first.
    pub emails: Vec<String>,
    /// Numbers to call.
    pub phones: Vec<(PhoneKind, String)>,
    /// Postal addresses.
    pub addresses: Vec<(AddressKind, PostalAddress)>,
    /// Pages.
    pub pages: Vec<String>,
    /// Names in chats.
    pub chat_names: Vec<String>,
    /// The day of birth.
    pub birthday: Option<Date>,
    /// The day of the wedding.
    pub anniversary: Option<Date>,
    /// Husband or wife.
    pub spouse: String,
    /// The one above.
    pub manager: String,
    /// The one who helps.
    pub assistant: String,
    /// The children.
    pub children: Vec<String>,
    /// Anything else.
    pub note: String,
    /// The words it is sorted by.
    pub categories: Vec<String>,
    /// A photo, as the bytes of its file.
    pub photo: Option<Vec<u8>>,
    /// Only its owner may see it.
    pub is_private: bool,
    /// A name that nobody else has; empty if there is none.
    pub unique_name: String,
    /// When it was last changed.
    pub modified_utc: Option<OffsetDateTime>,
    /// Those who are on it, if it is a list.
    pub members: Option<Vec<Address>>,
    /// The card that it was read from, if it was: more may stand there than is known here.
    pub written: Option<WrittenCard>,
}

/// A card as somebody else wrote it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash)]
pub struct WrittenCard {
    /// The version that it says: `3.0`
    pub version: String,
    /// All of it, with its first and last line.
    pub text: String,
}

/// The parts of a name.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash)]
pub struct NameParts {
    /// The name of the family.
    pub family: String,
    /// The first name.
    pub given: String,
    /// Further first names.
    pub middle: String,
    /// Before the name: `Dr.`
    pub prefix: String,
    /// Behind the name: `Jr.`
    pub suffix: String,
}

/// Where a telephone is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum PhoneKind {
    /// At work.
    Work,
    /// A second one there.
    SecondAtWork,
    /// At home.
    Home,
    /// A second one there.
    SecondAtHome,
    /// In the pocket.
    Mobile,
    /// In the car.
    Car,
    /// The one to call first.
    First,
    /// The firm's.
    Company,
    /// The assistant's.
    Assistant,
    /// For calling back.
    Callback,
    /// A fax at work.
    WorkFax,
    /// A fax at home.
    HomeFax,
    /// A fax somewhere else.
    OtherFax,
    /// A pager.
    Pager,
    /// A radio.
    Radio,
    /// A line for data.
    Data,
    /// A telex.
    Telex,
    /// For those who cannot hear.
    TextPhone,
    /// Anywhere else.
    Other,
}

/// Where somebody gets letters of paper.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum AddressKind {
    /// At work.
    Work,
    /// At home.
    Home,
    /// Anywhere else.
    Other,
}

/// A postal address.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash)]
pub struct PostalAddress {
    /// A box at the post office.
    pub post_box: String,
    /// Street and number.
    pub street: String,
    /// Town.
    pub city: String,
    /// State or county.
    pub region: String,
    /// The town's number.
    pub code: String,
    /// Country.
    pub country: String,
}

impl PostalAddress {
    /// True if nothing is known.
    pub fn is_empty(&self) -> bool {
        self.fields().iter().all(|field| field.is_empty())
    }

    /// From the box to the country.
    pub(crate) fn fields(&self) -> [&str; 6] {
        [&self.post_box, &self.street, &self.city, &self.region, &self.code, &self.country]
    }
}

impl From<Address> for Contact {
    fn from(Address { name, address, .. }: Address) -> Self {
        Self { name, emails: vec![address], ..Self::default() }
    }
}

impl Contact {
    /// The name to show: its own, or the best that is known.
    pub fn shown_name(&self) -> String {
        let NameParts { family, given, .. } = &self.parts;
        let of_parts = [given.as_str(), family.as_str()].join(" ").trim().to_owned();
        let first = self.emails.first().cloned().unwrap_or_default();
        let known = [&self.name, &of_parts, &self.company, &first];
        known.into_iter().find(|name| !name.is_empty()).cloned().unwrap_or_else(|| "?".to_owned())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::{date, datetime};

    #[test]
    fn signs_that_mean_something_are_escaped_and_long_lines_go_on() {
        let name = format!("Albrecht; Ines, \"Rokkaku\"\u{7} {}", "\u{e9}".repeat(60));
        let people = [
            Address { name, address: "ines@saltmarsh.example".to_owned(), is_of_internet: true },
            Address { address: "ferry@windrose.example".to_owned(), ..Address::default() },
        ]
        .map(Contact::from);
        let cards = to_vcards(&people, VcardVersion::Three);
        assert!(cards.lines().all(|line| line.len() <= 75), "{cards}");
        let whole = cards.replace("\r\n ", "");
        assert!(whole.contains("FN:Albrecht\\; Ines\\, \"Rokkaku\" \u{e9}\u{e9}"), "{whole}");
        assert!(
            whole.contains("FN:ferry@windrose.example\r\n") && whole.matches("END:VCARD\r\n").count() == 2
        );
        let table = to_table(&people);
        assert!(table.contains("\"Albrecht; Ines, \"\"Rokkaku\"\""), "{table}");
        assert!(table.starts_with("Name,E-mail Address\r\n"), "columns that nobody fills are left out");
        assert!(table.ends_with("\"\",\"ferry@windrose.example\"\r\n"));
    }

    #[test]
    fn all_that_is_known_of_a_person_and_a_list_is_written() {
        let text = str::to_owned;
        let bram = Contact {
            name: text("Bram Okafor"),
            parts: NameParts { family: text("Okafor"), given: text("Bram"), ..NameParts::default() },
            company: text("Saltmarsh Kiteworks"),
            department: text("Sails"),
            emails: vec![text("bram@saltmarsh.example"), text("b@kites.example")],
            phones: vec![(PhoneKind::Mobile, text("0151 1")), (PhoneKind::WorkFax, text("04 2"))],
            addresses: vec![(
                AddressKind::Home,
                PostalAddress { street: text("Dyke 3"), city: text("Saltmarsh"), ..PostalAddress::default() },
            )],
            birthday: Some(date!(1979 - 03 - 07)),
            photo: Some(b"\xff\xd8\xffphoto".to_vec()),
            categories: vec![text("Kites"), text("Fair, stalls")],
            unique_name: text("00ff"),
            modified_utc: Some(datetime!(2024-05-06 07:08:09 UTC)),
            ..Contact::default()
        };
        let list = Contact {
            name: text("Stall holders"),
            members: Some(vec![Address { address: text("b@kites.example"), ..Address::default() }]),
            ..Contact::default()
        };
        let both = [bram.clone(), list];
        let cards = to_vcards(&both, VcardVersion::Three).replace("\r\n ", "");
        for line in [
            "N:Okafor;Bram;;;",
            "ORG:Saltmarsh Kiteworks;Sails",
            "EMAIL;TYPE=INTERNET,PREF:bram@saltmarsh.example",
            "TEL;TYPE=CELL,VOICE:0151 1",
            "TEL;TYPE=WORK,FAX:04 2",
            "ADR;TYPE=HOME:;;Dyke 3;Saltmarsh;;;",
            "BDAY:1979-03-07",
            "PHOTO;ENCODING=b;TYPE=JPEG:/9j/cGhvdG8=",
            "CATEGORIES:Kites,Fair\\, stalls",
            "REV:2024-05-06T07:08:09Z",
            "KIND:group",
            "MEMBER:mailto:b@kites.example",
        ] {
            assert!(cards.contains(&format!("\r\n{line}\r\n")), "{line} in {cards}");
        }
        let cards = to_vcards(&both, VcardVersion::Four).replace("\r\n ", "");
        for line in [
            "EMAIL;PREF=1:bram@saltmarsh.example",
            "EMAIL:b@kites.example",
            "TEL;TYPE=\"cell,voice\":0151 1",
            "ADR;TYPE=home:;;Dyke 3;Saltmarsh;;;",
            "BDAY:19790307",
            "PHOTO:data:image/jpeg;base64,/9j/cGhvdG8=",
            "REV:20240506T070809Z",
        ] {
            assert!(cards.contains(&format!("\r\n{line}\r\n")), "{line} in {cards}");
        }
        let table = to_table(&[bram]);
        assert!(table.contains("Mobile Phone") && table.contains("\"b@kites.example\""), "{table}");
    }
}
