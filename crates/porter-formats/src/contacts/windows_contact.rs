//! A file of the folder *Contacts* that Windows has had since Vista: a person, or a list, as XML
//! (<https://learn.microsoft.com/previous-versions/windows/desktop/wincontacts>).

use super::{AddressKind, Contact, NameParts, PhoneKind, PostalAddress};
use crate::FormatError;
use crate::mail::autocomplete::Address;
use crate::mail::transfer_encoding::base64;
use crate::xml::Element;
use time::format_description::well_known::Rfc3339;
use time::{Date, OffsetDateTime};

const WHAT: &str = "a contact of Windows";

/// The person of a file.
pub fn from_windows_contact(file: &[u8]) -> Result<Contact, FormatError> {
    let root = Element::from_bytes(file, WHAT)?;
    if root.name() != "contact" {
        return Err(FormatError::damaged(WHAT, format!("it begins with `{}`", root.name())));
    }
    let name = root.all("NameCollection/Name").into_iter().next();
    let named = |part: &str| name.map_or(String::new(), |name| text(name, part));
    let position = preferred(&root, "PositionCollection/Position", "Business").into_iter().next();
    let at_work = |part: &str| position.map_or(String::new(), |position| text(position, part));
    let mut contact = Contact {
        name: named("FormattedName"),
        parts: NameParts {
            family: named("FamilyName"),
            given: named("GivenName"),
            middle: named("MiddleName"),
            prefix: named("Title"),
            suffix: named("Suffix"),
        },
        nickname: named("NickName"),
        company: at_work("Company"),
        department: at_work("Department"),
        office: at_work("Office"),
        job_title: at_work("JobTitle"),
        profession: at_work("Profession"),
        emails: preferred(&root, "EmailAddressCollection/EmailAddress", "Preferred")
            .into_iter()
            .map(|email| text(email, "Address"))
            .filter(|address| !address.is_empty())
            .collect(),
        pages: texts(&root, "UrlCollection/Url", "Value"),
        chat_names: texts(&root, "IMAddressCollection/IMAddress", "Value"),
        note: text(&root, "Notes"),
        photo: photo(&root),
        unique_name: root.text("ContactIDCollection/ContactID/Value").unwrap_or_default().trim().to_owned(),
        modified_utc: root
            .attribute_of_collection("ModificationDate")
            .or_else(|| root.text("CreationDate"))
            .and_then(|at| OffsetDateTime::parse(at.trim(), &Rfc3339).ok()),
        ..Contact::default()
    };
    for phone in root.all("PhoneNumberCollection/PhoneNumber") {
        let number = text(phone, "Number");
        if !number.is_empty() {
            contact.phones.push((phone_kind(&labels(phone)), number));
        }
    }
    for address in root.all("PhysicalAddressCollection/PhysicalAddress") {
        let labels = labels(address);
        let kind = match () {
            () if has(&labels, "Business") => AddressKind::Work,
            () if has(&labels, "Personal") => AddressKind::Home,
            () => AddressKind::Other,
        };
        let address = PostalAddress {
            post_box: text(address, "POBox"),
            street: text(address, "Street"),
            city: text(address, "Locality"),
            region: text(address, "Region"),
            code: text(address, "PostalCode"),
            country: text(address, "Country"),
        };
        if !address.is_empty() {
            contact.addresses.push((kind, address));
        }
    }
    for date in root.all("DateCollection/Date") {
        let day = date.text("Value").and_then(day);
        match labels(date) {
            labels if has(&labels, "Birthday") => contact.birthday = day,
            labels if has(&labels, "Anniversary") => contact.anniversary = day,
            _ => {}
        }
    }
    for person in root.all("PersonCollection/Person") {
        let name = text(person, "FormattedName");
        match labels(person) {
            labels if has(&labels, "Spouse") => contact.spouse = name,
            labels if has(&labels, "Manager") => contact.manager = name,
            labels if has(&labels, "Assistant") => contact.assistant = name,
            labels if has(&labels, "Child") => contact.children.push(name),
            labels if has(&labels, "Member") => {
                let address = Address { name, address: member(person), is_of_internet: true };
                contact.members.get_or_insert_default().push(address);
            }
            _ => {}
        }
    }
    if root.text("ContactType").is_some_and(|kind| kind.trim() == "Group") {
        contact.members.get_or_insert_default();
    }
    Ok(contact)
}

impl Element {
    /// The latest time of change that any part of a contact says.
    fn attribute_of_collection(&self, name: &str) -> Option<&str> {
        let collections =
            ["NameCollection/Name", "EmailAddressCollection/EmailAddress", "PositionCollection/Position"];
        let parts = collections.iter().flat_map(|path| self.all(path));
        parts.filter_map(|part| part.attribute(name)).max()
    }
}

fn text(element: &Element, path: &str) -> String {
    element.text(path).unwrap_or_default().trim().to_owned()
}

fn texts(root: &Element, path: &str, part: &str) -> Vec<String> {
    root.all(path).into_iter().map(|element| text(element, part)).filter(|text| !text.is_empty()).collect()
}

/// `Business`, `Preferred`; with a prefix for those that came later: `wab:Birthday`.
fn labels(element: &Element) -> Vec<String> {
    let labels = element.all("LabelCollection/Label").into_iter();
    labels
        .map(|label| label.own_text().trim().rsplit([':', '/', '#']).next().unwrap_or_default().to_owned())
        .collect()
}

fn has(labels: &[String], label: &str) -> bool {
    labels.iter().any(|known| known.eq_ignore_ascii_case(label))
}

/// The elements of a path, those with a label first.
fn preferred<'e>(root: &'e Element, path: &str, label: &str) -> Vec<&'e Element> {
    let mut all = root.all(path);
    all.sort_by_key(|element| !has(&labels(element), label));
    all
}

fn phone_kind(labels: &[String]) -> PhoneKind {
    let has = |label: &str| has(labels, label);
    match () {
        () if has("Fax") && has("Business") => PhoneKind::WorkFax,
        () if has("Fax") && has("Personal") => PhoneKind::HomeFax,
        () if has("Fax") => PhoneKind::OtherFax,
        () if has("Cellular") => PhoneKind::Mobile,
        () if has("Pager") => PhoneKind::Pager,
        () if has("Car") => PhoneKind::Car,
        () if has("ISDN") => PhoneKind::Data,
        () if has("TTY") => PhoneKind::TextPhone,
        () if has("Business") => PhoneKind::Work,
        () if has("Personal") => PhoneKind::Home,
        () => PhoneKind::Other,
    }
}

/// `1979-03-07T00:00:00Z`.
fn day(value: &str) -> Option<Date> {
    OffsetDateTime::parse(value.trim(), &Rfc3339).ok().map(OffsetDateTime::date)
}

fn photo(root: &Element) -> Option<Vec<u8>> {
    let photos = preferred(root, "PhotoCollection/Photo", "UserTile");
    photos.into_iter().find_map(|photo| {
        let letters: String = photo.text("Value")?.chars().filter(|letter| !letter.is_whitespace()).collect();
        base64(letters.as_bytes()).filter(|bytes| !bytes.is_empty())
    })
}

/// The address in the number of a member: `/EMAIL:"ines@…"`, or nothing where it names another file.
fn member(person: &Element) -> String {
    let number = person.text("PersonID").unwrap_or_default();
    let quoted = number.split('"').find(|part| part.contains('@'));
    quoted.unwrap_or_default().trim().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use time::macros::{date, datetime};

    #[test]
    fn a_contact_of_windows_is_read_whole() {
        let file = "\u{feff}<?xml version=\"1.0\" encoding=\"UTF-8\"?>\r\n<c:contact c:Version=\"1\" xmlns:c=\"http://schemas.microsoft.com/Contact\" \
            xmlns:xsi=\"http://www.w3.org/2001/XMLSchema-instance\" xmlns:MSP2P=\"http://schemas.microsoft.com/Contact/Extended/MSP2P\">\r\n\
            <c:CreationDate>2009-05-01T10:00:00Z</c:CreationDate><c:Extended xsi:nil=\"true\"/>\
            <c:ContactIDCollection><c:ContactID c:ElementID=\"1\"><c:Value>0a1b</c:Value></c:ContactID></c:ContactIDCollection>\
            <c:NameCollection><c:Name c:ElementID=\"2\" c:ModificationDate=\"2010-01-02T03:04:05Z\"><c:FormattedName>B\u{e9}a &amp; Co</c:FormattedName>\
            <c:FamilyName>Vane</c:FamilyName><c:GivenName>B\u{e9}a</c:GivenName><c:NickName>Bee</c:NickName></c:Name></c:NameCollection>\
            <c:EmailAddressCollection><c:EmailAddress><c:Type>SMTP</c:Type><c:Address>second@kites.example</c:Address></c:EmailAddress>\
            <c:EmailAddress><c:Address>bea@windrose.example</c:Address><c:LabelCollection><c:Label>Preferred</c:Label></c:LabelCollection></c:EmailAddress></c:EmailAddressCollection>\
            <c:PhoneNumberCollection><c:PhoneNumber><c:Number>0151 1</c:Number><c:LabelCollection><c:Label>Cellular</c:Label></c:LabelCollection></c:PhoneNumber>\
            <c:PhoneNumber><c:Number>04 2</c:Number><c:LabelCollection><c:Label>Fax</c:Label><c:Label>Business</c:Label></c:LabelCollection></c:PhoneNumber></c:PhoneNumberCollection>\
            <c:PhysicalAddressCollection><c:PhysicalAddress><c:Street>Dyke 3</c:Street><c:Locality>Saltmarsh</c:Locality><c:LabelCollection><c:Label>Personal</c:Label></c:LabelCollection></c:PhysicalAddress></c:PhysicalAddressCollection>\
            <c:PositionCollection><c:Position><c:Company>Windrose</c:Company><c:JobTitle>Pilot</c:JobTitle><c:LabelCollection><c:Label>Business</c:Label></c:LabelCollection></c:Position></c:PositionCollection>\
            <c:DateCollection><c:Date><c:Value>1979-03-07T00:00:00Z</c:Value><c:LabelCollection><c:Label>wab:Birthday</c:Label></c:LabelCollection></c:Date></c:DateCollection>\
            <c:PersonCollection><c:Person><c:FormattedName>Otto</c:FormattedName><c:LabelCollection><c:Label>wab:Spouse</c:Label></c:LabelCollection></c:Person></c:PersonCollection>\
            <c:PhotoCollection><c:Photo><c:Value c:ContentType=\"image/jpeg\">/9j/4A==\n</c:Value><c:LabelCollection><c:Label>UserTile</c:Label></c:LabelCollection></c:Photo></c:PhotoCollection>\
            <c:Notes>first line\nsecond</c:Notes></c:contact>";
        let found = from_windows_contact(file.as_bytes()).unwrap();
        let expected = Contact {
            name: "Béa & Co".to_owned(),
            parts: NameParts { family: "Vane".to_owned(), given: "Béa".to_owned(), ..NameParts::default() },
            nickname: "Bee".to_owned(),
            company: "Windrose".to_owned(),
            job_title: "Pilot".to_owned(),
            emails: vec!["bea@windrose.example".to_owned(), "second@kites.example".to_owned()],
            phones: vec![(PhoneKind::Mobile, "0151 1".to_owned()), (PhoneKind::WorkFax, "04 2".to_owned())],
            addresses: vec![(
                AddressKind::Home,
                PostalAddress {
                    street: "Dyke 3".to_owned(),
                    city: "Saltmarsh".to_owned(),
                    ..PostalAddress::default()
                },
            )],
            birthday: Some(date!(1979 - 03 - 07)),
            spouse: "Otto".to_owned(),
            note: "first line\nsecond".to_owned(),
            photo: Some(vec![0xff, 0xd8, 0xff, 0xe0]),
            unique_name: "0a1b".to_owned(),
            modified_utc: Some(datetime!(2010-01-02 03:04:05 UTC)),
            ..Contact::default()
        };
        assert_eq!(found, expected);
        assert!(from_windows_contact(b"<kite/>").is_err() && from_windows_contact(b"\xff\xfe<").is_err());
    }
}
