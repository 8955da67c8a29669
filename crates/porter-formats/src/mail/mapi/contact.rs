//! A person, or a list of people, in a mailbox ([MS-OXOCNTC]).

use super::names::OF_ADDRESS;
use super::numbers::number;
use super::thing::Thing;
use crate::contacts::{AddressKind, Contact, NameParts, PhoneKind, PostalAddress};
use crate::encoding;
use crate::mail::autocomplete::Address;
use time::{Date, OffsetDateTime, Time};

/// Properties of people ([MS-OXPROPS]).
const NAME: u16 = 0x3001;
const FILED_UNDER: u32 = 0x8005;
const GIVEN: u16 = 0x3a06;
const FAMILY: u16 = 0x3a11;
const MIDDLE: u16 = 0x3a44;
const PREFIX: u16 = 0x3a45;
const SUFFIX: u16 = 0x3a05;
const NICKNAME: u16 = 0x3a4f;
const COMPANY: u16 = 0x3a16;
const JOB_TITLE: u16 = 0x3a17;
const DEPARTMENT: u16 = 0x3a18;
const OFFICE: u16 = 0x3a19;
const PROFESSION: u16 = 0x3a46;
const SPOUSE: u16 = 0x3a48;
const MANAGER: u16 = 0x3a4e;
const ASSISTANT: u16 = 0x3a30;
const CHILDREN: u16 = 0x3a58;
const PAGES: [u16; 2] = [0x3a51, 0x3a50];
const PAGE: u32 = 0x802b;
const CHAT_NAME: u32 = 0x8062;
const BIRTHDAY: u16 = 0x3a42;
const ANNIVERSARY: u16 = 0x3a41;
const SENSITIVITY: u16 = 0x0036;
const IS_PHOTO: u16 = 0x7fff;
const PHONES: [(u16, PhoneKind); 19] = [
    (0x3a1a, PhoneKind::First),
    (0x3a08, PhoneKind::Work),
    (0x3a1b, PhoneKind::SecondAtWork),
    (0x3a09, PhoneKind::Home),
    (0x3a2f, PhoneKind::SecondAtHome),
    (0x3a1c, PhoneKind::Mobile),
    (0x3a1e, PhoneKind::Car),
    (0x3a57, PhoneKind::Company),
    (0x3a2e, PhoneKind::Assistant),
    (0x3a02, PhoneKind::Callback),
    (0x3a24, PhoneKind::WorkFax),
    (0x3a25, PhoneKind::HomeFax),
    (0x3a23, PhoneKind::OtherFax),
    (0x3a21, PhoneKind::Pager),
    (0x3a1d, PhoneKind::Radio),
    (0x3a2d, PhoneKind::Data),
    (0x3a2c, PhoneKind::Telex),
    (0x3a4b, PhoneKind::TextPhone),
    (0x3a1f, PhoneKind::Other),
];
/// Three addresses of mail, each with the text that is shown and the text that was typed.
const EMAILS: [[u32; 3]; 3] = [[0x8083, 0x8080, 0x8084], [0x8093, 0x8090, 0x8094], [0x80a3, 0x80a0, 0x80a4]];
/// Box, street, town, state, number, country.
const AT_WORK: [u32; 6] = [0x804a, 0x8045, 0x8046, 0x8047, 0x8048, 0x8049];
const AT_WORK_TOO: [u16; 6] = [0x3a2b, 0x3a29, 0x3a27, 0x3a28, 0x3a2a, 0x3a26];
const AT_HOME: [u16; 6] = [0x3a5e, 0x3a5d, 0x3a59, 0x3a5c, 0x3a5b, 0x3a5a];
const ELSEWHERE: [u16; 6] = [0x3a64, 0x3a63, 0x3a5f, 0x3a62, 0x3a61, 0x3a60];
/// Properties of lists: the name, and those who are on it, in a form that stands for itself.
const LIST_NAME: u32 = 0x8053;
const MEMBERS: u32 = 0x8054;
const MEMBERS_AS_LINKS: u32 = 0x8055;
/// The mark of a member that stands for itself ([MS-OXCDATA] 2.2.5.1).
const STANDS_FOR_ITSELF: [u8; 16] =
    [0x81, 0x2b, 0x1f, 0xa4, 0xbe, 0xa3, 0x10, 0x19, 0x9d, 0x6e, 0x00, 0xdd, 0x01, 0x0f, 0x54, 0x02];
/// No photo is larger.
const MOST_PHOTO_IN_BYTES: usize = 4 << 20;

/// The person that a thing is.
pub fn contact(thing: &Thing<'_>) -> Contact {
    let text = |id: u16| thing.filled(id).unwrap_or_default();
    let named = |id: u32| thing.named_text(OF_ADDRESS, id).unwrap_or_default();
    let filed_under = named(FILED_UNDER);
    let name = Some(text(NAME)).filter(|name| !name.is_empty()).unwrap_or(filed_under);
    let phones = PHONES.iter().filter_map(|(id, kind)| Some((*kind, thing.filled(*id)?)));
    let address = |fields: [String; 6]| {
        let [post_box, street, city, region, code, country] = fields.map(|field| field.replace("\r\n", "\n"));
        PostalAddress { post_box, street, city, region, code, country }
    };
    let at_work = Some(address(AT_WORK.map(named))).filter(|address| !address.is_empty());
    let addresses = [
        (AddressKind::Work, at_work.unwrap_or_else(|| address(AT_WORK_TOO.map(text)))),
        (AddressKind::Home, address(AT_HOME.map(text))),
        (AddressKind::Other, address(ELSEWHERE.map(text))),
    ];
    let mut pages: Vec<String> = PAGES.iter().filter_map(|id| thing.filled(*id)).collect();
    pages.extend(thing.named_text(OF_ADDRESS, PAGE));
    pages.dedup();
    Contact {
        name,
        parts: NameParts {
            family: text(FAMILY),
            given: text(GIVEN),
            middle: text(MIDDLE),
            prefix: text(PREFIX),
            suffix: text(SUFFIX),
        },
        nickname: text(NICKNAME),
        company: text(COMPANY),
        department: text(DEPARTMENT),
        office: text(OFFICE),
        job_title: text(JOB_TITLE),
        profession: text(PROFESSION),
        emails: EMAILS.iter().filter_map(|ids| email(thing, *ids)).collect(),
        phones: phones.collect(),
        addresses: addresses.into_iter().filter(|(_, address)| !address.is_empty()).collect(),
        pages,
        chat_names: thing.named_text(OF_ADDRESS, CHAT_NAME).into_iter().collect(),
        birthday: thing.time(BIRTHDAY).and_then(day_of),
        anniversary: thing.time(ANNIVERSARY).and_then(day_of),
        spouse: text(SPOUSE),
        manager: text(MANAGER),
        assistant: text(ASSISTANT),
        children: thing.properties.texts(thing.holder, CHILDREN),
        note: thing.words(),
        categories: thing.categories(),
        photo: photo(thing),
        is_private: is_private(thing),
        unique_name: thing.unique_name(),
        written: None,
        modified_utc: thing.modified_utc(),
        members: None,
    }
}

/// The list of people that a thing is.
pub fn list(thing: &Thing<'_>) -> Contact {
    let named = |id: u32| thing.named_text(OF_ADDRESS, id);
    let members = [MEMBERS, MEMBERS_AS_LINKS].into_iter().filter_map(|id| thing.named(OF_ADDRESS, id));
    let members = members.map(|id| {
        let entries = thing.properties.binaries(thing.holder, id);
        entries.iter().filter_map(|entry| member(entry, thing.properties.code_page)).collect::<Vec<_>>()
    });
    Contact {
        name: named(LIST_NAME).or_else(|| thing.filled(NAME)).unwrap_or_else(|| thing.subject()),
        note: thing.words(),
        categories: thing.categories(),
        is_private: is_private(thing),
        unique_name: thing.unique_name(),
        modified_utc: thing.modified_utc(),
        members: Some(members.into_iter().find(|members| !members.is_empty()).unwrap_or_default()),
        ..Contact::default()
    }
}

fn is_private(thing: &Thing<'_>) -> bool {
    thing.properties.number(SENSITIVITY).is_some_and(|how| how > 1)
}

/// One that only a server knows is kept beside how it was written, which often is the address.
fn email(thing: &Thing<'_>, [address, shown, written]: [u32; 3]) -> Option<String> {
    let of = |id: u32| thing.named_text(OF_ADDRESS, id);
    let known = of(address);
    let is_address = |text: &String| text.contains('@') && !text.contains(char::is_whitespace);
    let all = [known.clone(), of(written), of(shown)];
    all.into_iter().flatten().find(is_address).or(known)
}

fn photo(thing: &Thing<'_>) -> Option<Vec<u8>> {
    let (files, _) = thing.attachments();
    let photo = files.iter().find(|file| file.properties.number(IS_PHOTO).is_some_and(|is| is != 0))?;
    photo.content(thing.holder, MOST_PHOTO_IN_BYTES).filter(|photo| !photo.is_empty())
}

/// A day is kept as its midnight, by the clock of the place where it was entered: never more than half a day
/// from that of the world, but for a few islands.
pub(super) fn day_of(at_utc: OffsetDateTime) -> Option<Date> {
    /// Outlook's *none*: the first of 4501.
    const NONE_YEAR: i32 = 4501;
    let noon = Time::from_hms(12, 0, 0).ok()?;
    let day = if at_utc.time() >= noon { at_utc.date().next_day()? } else { at_utc.date() };
    (day.year() < NONE_YEAR - 1).then_some(day)
}

/// Somebody on a list.
fn member(entry: &[u8], code_page: u32) -> Option<Address> {
    const IS_UNICODE: u64 = 0x8000;
    if entry.get(4..20)? != STANDS_FOR_ITSELF {
        return None;
    }
    let is_unicode = number(entry, 22, 2)? & IS_UNICODE != 0;
    let rest = entry.get(24..)?;
    let texts: Vec<String> = if is_unicode {
        encoding::utf16(rest).split('\0').map(str::to_owned).collect()
    } else {
        rest.split(|byte| *byte == 0).map(|text| encoding::of_code_page(text, code_page)).collect()
    };
    let [name, _, address, ..] = &texts[..] else { return None };
    let is_of_internet = address.contains('@');
    let name = if name == address { String::new() } else { name.clone() };
    Some(Address { name, address: address.clone(), is_of_internet })
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::{date, datetime};

    #[test]
    fn a_day_is_the_one_that_was_meant_east_and_west() {
        assert_eq!(day_of(datetime!(1979-03-06 23:00 UTC)), Some(date!(1979 - 03 - 07)));
        assert_eq!(day_of(datetime!(1979-03-07 05:00 UTC)), Some(date!(1979 - 03 - 07)));
        assert_eq!(day_of(datetime!(4501-01-01 00:00 UTC)), None);
    }

    #[test]
    fn members_stand_for_themselves_in_both_forms() {
        let mut entry = vec![0; 4];
        entry.extend_from_slice(&STANDS_FOR_ITSELF);
        entry.extend_from_slice(&[0, 0, 1, 0x90]);
        let words = "B\u{e9}a\0SMTP\0b@kites.example\0";
        let mut wide = entry.clone();
        wide.extend(words.encode_utf16().flat_map(u16::to_le_bytes));
        entry[23] = 0x10;
        entry.extend_from_slice(b"B\xe9a\0SMTP\0b@kites.example\0");
        for entry in [wide, entry] {
            let found = member(&entry, 1252).unwrap();
            assert_eq!((found.name.as_str(), found.address.as_str()), ("B\u{e9}a", "b@kites.example"));
            assert!((0..24).all(|length| member(&entry[..length], 1252).is_none()));
        }
    }
}
