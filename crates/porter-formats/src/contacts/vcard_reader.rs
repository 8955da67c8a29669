//! vCards of the versions 2.1, 3.0 (RFC 2426) and 4.0 (RFC 6350), read.

use super::{AddressKind, Contact, NameParts, PhoneKind, PostalAddress, WrittenCard};
use crate::content_lines::ContentLine;
use crate::encoding;
use crate::mail::autocomplete::Address;
use crate::mail::transfer_encoding::base64;
use time::format_description::well_known::Rfc3339;
use time::{Date, Month, OffsetDateTime};

const BEGIN: &str = "BEGIN:VCARD";
const END: &str = "END:VCARD";
/// No card is longer.
const LONGEST_IN_BYTES: usize = 16 << 20;

/// All cards of a file, each with its own text. Other lines are passed by.
pub fn from_vcards(file: &[u8]) -> Vec<Contact> {
    // Old cards say in each line which letters they have; the rest of them is ASCII.
    let text = match std::str::from_utf8(file) {
        Ok(text) => text.trim_start_matches('\u{feff}').to_owned(),
        Err(_) if file.starts_with(&[0xff, 0xfe]) => encoding::by_mark(file),
        Err(_) => encoding::of_code_page(file, 1252),
    };
    let mut found = Vec::new();
    let mut open: Option<String> = None;
    // Inside of a card another one may lie, of an agent.
    let mut depth = 0;
    for line in text.split_inclusive('\n') {
        let bare = line.trim_end();
        if bare.eq_ignore_ascii_case(BEGIN) {
            depth += 1;
            open.get_or_insert_default();
        }
        let Some(card) = &mut open else { continue };
        if card.len() + line.len() <= LONGEST_IN_BYTES {
            card.push_str(line);
        }
        if bare.eq_ignore_ascii_case(END) {
            depth -= 1;
            if depth == 0 {
                found.extend(open.take().map(contact_of));
            }
        }
    }
    found
}

fn contact_of(card: String) -> Contact {
    let mut contact = Contact::default();
    let mut version = String::new();
    let mut is_list = false;
    let mut members = Vec::new();
    // The lines of an agent's card are not of this one.
    let mut depth = 0;
    for line in ContentLine::all_in(&card) {
        match (line.name.as_str(), line.value.trim()) {
            ("BEGIN", _) => depth += 1,
            ("END", _) => depth -= 1,
            _ if depth != 1 => {}
            ("VERSION", value) => version = value.to_owned(),
            ("KIND" | "X-ADDRESSBOOKSERVER-KIND", value) => is_list = value.eq_ignore_ascii_case("group"),
            ("MEMBER" | "X-ADDRESSBOOKSERVER-MEMBER", value) => {
                let address = value.strip_prefix("mailto:").unwrap_or_default().to_owned();
                members.push(Address { address, is_of_internet: true, ..Address::default() });
            }
            _ => take(&line, &mut contact),
        }
    }
    if is_list {
        members.retain(|member| !member.address.is_empty());
        contact.members = Some(members);
    }
    let mut text = card.trim_end().replace("\r\n", "\n").replace('\n', "\r\n") + "\r\n";
    if version.is_empty() {
        // Many programs leave it out, and mean this one.
        "3.0".clone_into(&mut version);
        text.insert_str(text.find('\n').map_or(0, |at| at + 1), "VERSION:3.0\r\n");
    }
    contact.written = Some(WrittenCard { version, text });
    contact
}

fn take(line: &ContentLine, to: &mut Contact) {
    let text = || line.text();
    match line.name.as_str() {
        "FN" => to.name = text(),
        "N" => {
            let mut parts = line.texts(';').into_iter().map(|part| part.replace(',', " ").trim().to_owned());
            let mut next = || parts.next().unwrap_or_default();
            to.parts =
                NameParts { family: next(), given: next(), middle: next(), prefix: next(), suffix: next() };
        }
        "NICKNAME" => to.nickname = text(),
        "ORG" => {
            let mut parts = line.texts(';').into_iter();
            to.company = parts.next().unwrap_or_default();
            to.department = parts.next().unwrap_or_default();
            to.office = parts.next().unwrap_or_default();
        }
        "TITLE" => to.job_title = text(),
        "ROLE" => to.profession = text(),
        "EMAIL" => {
            let address = text().trim().trim_start_matches("mailto:").to_owned();
            if line.is_preferred() {
                to.emails.insert(0, address);
            } else {
                to.emails.push(address);
            }
        }
        "TEL" => to.phones.push((phone_kind(line), text().trim_start_matches("tel:").to_owned())),
        "ADR" => {
            let mut parts = line.texts(';').into_iter();
            let mut next = || parts.next().unwrap_or_default();
            let (post_box, beside, street) = (next(), next(), next());
            let street =
                if beside.is_empty() { street } else { format!("{beside}\n{street}").trim().to_owned() };
            let address = PostalAddress {
                post_box,
                street,
                city: next(),
                region: next(),
                code: next(),
                country: next(),
            };
            let kind = match line.types() {
                types if types.contains("WORK") => AddressKind::Work,
                types if types.contains("HOME") => AddressKind::Home,
                _ => AddressKind::Other,
            };
            if !address.is_empty() {
                to.addresses.push((kind, address));
            }
        }
        "URL" => to.pages.push(text()),
        "IMPP" | "X-IM" | "X-JABBER" | "X-AIM" | "X-ICQ" | "X-MSN" | "X-SKYPE" | "X-YAHOO" => {
            to.chat_names.push(text());
        }
        "BDAY" => to.birthday = day(&line.value),
        "ANNIVERSARY" | "X-ANNIVERSARY" | "X-EVOLUTION-ANNIVERSARY" => to.anniversary = day(&line.value),
        "X-SPOUSE" | "X-EVOLUTION-SPOUSE" => to.spouse = text(),
        "X-MANAGER" | "X-EVOLUTION-MANAGER" => to.manager = text(),
        "X-ASSISTANT" | "X-EVOLUTION-ASSISTANT" => to.assistant = text(),
        "X-CHILDREN" => to.children = line.texts(','),
        "RELATED" if line.types().contains("SPOUSE") => to.spouse = text(),
        "RELATED" if line.types().contains("CHILD") => to.children.push(text()),
        "NOTE" => to.note = text(),
        "CATEGORIES" => to.categories = line.texts(','),
        "PHOTO" => {
            let written = match line.value.split_once(";base64,") {
                Some((_, bytes)) => bytes,
                None => &line.value,
            };
            let plain: String = written.chars().filter(|letter| !letter.is_ascii_whitespace()).collect();
            let has_bytes = line.value.contains(";base64,") || line.is_base64();
            to.photo = base64(plain.as_bytes()).filter(|_| has_bytes);
        }
        "CLASS" | "X-CLASS" => to.is_private = !line.value.trim().eq_ignore_ascii_case("PUBLIC"),
        "UID" => to.unique_name = text().trim_start_matches("urn:uuid:").to_owned(),
        "REV" => to.modified_utc = changed(line.value.trim()),
        _ => {}
    }
}

fn phone_kind(line: &ContentLine) -> PhoneKind {
    let types = line.types();
    let has = |word: &str| types.split(',').any(|own| own == word);
    match () {
        () if has("FAX") && has("HOME") => PhoneKind::HomeFax,
        () if has("FAX") && has("WORK") => PhoneKind::WorkFax,
        () if has("FAX") => PhoneKind::OtherFax,
        () if has("CELL") => PhoneKind::Mobile,
        () if has("PAGER") => PhoneKind::Pager,
        () if has("CAR") => PhoneKind::Car,
        () if has("ISDN") => PhoneKind::Data,
        () if has("X-TELEX") => PhoneKind::Telex,
        () if has("TEXTPHONE") || has("X-TTY") => PhoneKind::TextPhone,
        () if has("X-RADIO") => PhoneKind::Radio,
        () if has("X-ASSISTANT") => PhoneKind::Assistant,
        () if has("X-CALLBACK") => PhoneKind::Callback,
        () if has("X-COMPANY") => PhoneKind::Company,
        () if has("WORK") => PhoneKind::Work,
        () if has("HOME") => PhoneKind::Home,
        () if has("PREF") => PhoneKind::First,
        () => PhoneKind::Other,
    }
}

/// `19790307`, `1979-03-07`, with or without a time behind it.
fn day(value: &str) -> Option<Date> {
    let digits: String = value.split('T').next()?.chars().filter(|letter| *letter != '-').take(8).collect();
    let number = |range: std::ops::Range<usize>| digits.get(range)?.parse::<u16>().ok();
    let month = Month::try_from(u8::try_from(number(4..6)?).ok()?).ok()?;
    Date::from_calendar_date(i32::from(number(0..4)?), month, u8::try_from(number(6..8)?).ok()?).ok()
}

fn changed(value: &str) -> Option<OffsetDateTime> {
    if let Ok(at) = OffsetDateTime::parse(value, &Rfc3339) {
        return Some(at);
    }
    crate::calendar::moment::utc_of(value)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::contacts::{VcardVersion, to_vcards};
    use time::macros::{date, datetime};

    #[test]
    fn cards_of_all_versions_are_read_and_those_of_today_stay_to_the_byte() {
        let old = b"begin:vcard\r\nversion:2.1\r\nN;CHARSET=ISO-8859-1;ENCODING=QUOTED-PRINTABLE:=D8rsted;Ben\r\n\
            TEL;WORK;FAX:04 2\r\nTEL;CELL:0151\r\nADR;HOME;ENCODING=QUOTED-PRINTABLE:;;Dyke 3=0D=0A=\r\nBehind;Saltmarsh;;;\r\n\
            EMAIL;INTERNET:ben@kites.example\r\nPHOTO;JPEG;ENCODING=BASE64:\r\n  /9j/cGhv\r\n  dG8=\r\n\r\nend:vcard\r\n";
        let new = "BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Ines\\, Albrecht\r\nitem1.EMAIL;PREF=1:ines@windrose.example\r\n\
            EMAIL:i@kites.example\r\nTEL;VALUE=uri;TYPE=\"work,voice\":tel:+49-4\r\nBDAY:19790307\r\nREV:20240506T070809Z\r\n\
            NOTE:A long note that \r\n goes on\\nhere\r\nX-KITES:forty\r\nUID:urn:uuid:1\r\nEND:VCARD\r\n";
        let list = "BEGIN:VCARD\nVERSION:4.0\nKIND:group\nFN:Stall\nMEMBER:mailto:b@x\nMEMBER:urn:uuid:1\nEND:VCARD\n";
        let file =
            [old, b"junk\r\n".as_slice(), new.as_bytes(), list.as_bytes(), b"BEGIN:VCARD\r\nFN:cut off"]
                .concat();
        let [ben, ines, stall] = &from_vcards(&file)[..] else { panic!() };
        assert_eq!((&*ben.parts.family, &*ben.emails[0]), ("\u{d8}rsted", "ben@kites.example"));
        assert_eq!(
            ben.phones,
            [(PhoneKind::WorkFax, "04 2".to_owned()), (PhoneKind::Mobile, "0151".to_owned())]
        );
        assert_eq!(ben.addresses[0].1.street, "Dyke 3\nBehind");
        assert_eq!(ben.photo.as_deref(), Some(&b"\xff\xd8\xffphoto"[..]));
        assert_eq!((&*ines.name, ines.emails.len(), &*ines.unique_name), ("Ines, Albrecht", 2, "1"));
        assert_eq!(
            (ines.birthday, ines.modified_utc),
            (Some(date!(1979 - 03 - 07)), Some(datetime!(2024-05-06 07:08:09 UTC)))
        );
        assert_eq!((&*ines.note, ines.phones[0].0), ("A long note that goes on\nhere", PhoneKind::Work));
        assert_eq!(stall.members.as_ref().map(Vec::len), Some(1));
        let again = to_vcards(std::slice::from_ref(ines), VcardVersion::Three);
        assert_eq!(again, new, "a card of today is passed on as it is");
        let ben = to_vcards(std::slice::from_ref(ben), VcardVersion::Four);
        assert!(ben.contains("N:\u{d8}rsted;Ben;;;\r\n") && ben.contains("VERSION:4.0"), "{ben}");
        let unsaid = from_vcards(b"BEGIN:VCARD\nX-KITES:40\nEND:VCARD");
        let unsaid = to_vcards(&unsaid, VcardVersion::Three);
        assert_eq!(unsaid, "BEGIN:VCARD\r\nVERSION:3.0\r\nX-KITES:40\r\nEND:VCARD\r\n");
        assert!(from_vcards(b"END:VCARD\r\nEND:VCARD\r\n").is_empty());
    }
}
