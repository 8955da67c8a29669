//! A contact of macOS: the property list (`.abcdp`) that Contacts keeps of each person beside its database,
//! so that searches find it. The names of the keys are those of the framework *Address Book*
//! (<https://developer.apple.com/documentation/addressbook>).

use super::{AddressKind, Contact, NameParts, PhoneKind, PostalAddress};
use crate::{FormatError, property_list};
use plist::{Dictionary, Value};
use time::OffsetDateTime;

const WHAT: &str = "a contact of macOS";

/// The person of a file.
pub fn from_apple_contact(file: &[u8]) -> Result<Contact, FormatError> {
    let value = property_list::from_bytes(file)?;
    let keys = value.as_dictionary().ok_or_else(|| FormatError::damaged(WHAT, "it is no dictionary"))?;
    let text = |name: &str| keys.get(name).and_then(Value::as_string).unwrap_or_default().trim().to_owned();
    let day = |name: &str| {
        let date = keys.get(name)?.as_date()?;
        Some(OffsetDateTime::from(std::time::SystemTime::from(date)).date())
    };
    let (given, middle, family) = (text("First"), text("Middle"), text("Last"));
    let company = text("Organization");
    let of_parts =
        [&*given, &*middle, &*family].iter().filter(|part| !part.is_empty()).copied().collect::<Vec<_>>();
    let name = if of_parts.is_empty() { company.clone() } else { of_parts.join(" ") };
    let texts =
        |name: &str| rows(keys, name).filter_map(|(_, value)| Some(value.as_string()?.to_owned())).collect();
    let addresses = rows(keys, "Address").filter_map(|(label, value)| {
        let part = |name: &str| value.as_dictionary()?.get(name)?.as_string().map(str::to_owned);
        let part = |name: &str| part(name).unwrap_or_default();
        let address = PostalAddress {
            street: part("Street"),
            city: part("City"),
            region: part("State"),
            code: part("ZIP"),
            country: part("Country"),
            ..PostalAddress::default()
        };
        let kind = match () {
            () if label.contains("Work") => AddressKind::Work,
            () if label.contains("Home") => AddressKind::Home,
            () => AddressKind::Other,
        };
        Some((kind, address)).filter(|(_, address)| !address.is_empty())
    });
    let contact = Contact {
        name,
        nickname: text("Nickname"),
        company,
        department: text("Department"),
        job_title: text("JobTitle"),
        emails: texts("Email"),
        phones: rows(keys, "Phone")
            .filter_map(|(label, value)| Some((phone_kind(label), value.as_string()?.to_owned())))
            .collect(),
        addresses: addresses.collect(),
        pages: texts("URLs"),
        chat_names: ["AIMInstant", "JabberInstant", "MSNInstant", "YahooInstant", "ICQInstant"]
            .iter()
            .flat_map(|name| texts(name).into_iter().collect::<Vec<String>>())
            .collect(),
        birthday: day("Birthday"),
        note: text("Note"),
        unique_name: text("UID").trim_end_matches(":ABPerson").to_owned(),
        parts: NameParts { family, given, middle, prefix: text("Title"), suffix: text("Suffix") },
        ..Contact::default()
    };
    if contact == (Contact { unique_name: contact.unique_name.clone(), ..Contact::default() }) {
        return Err(FormatError::damaged(WHAT, "nobody is in it"));
    }
    Ok(contact)
}

/// The values of a list, each with its label: `_$!<Work>!$_`.
fn rows<'d>(keys: &'d Dictionary, name: &str) -> impl Iterator<Item = (&'d str, &'d Value)> {
    let list = keys.get(name).and_then(Value::as_dictionary);
    let array = |name: &str| list.and_then(|list| list.get(name)).and_then(Value::as_array);
    let labels = array("labels");
    array("values").into_iter().flatten().enumerate().map(move |(at, value)| {
        let label = labels.and_then(|labels| labels.get(at)).and_then(Value::as_string);
        (label.unwrap_or_default(), value)
    })
}

fn phone_kind(label: &str) -> PhoneKind {
    match () {
        () if label.contains("WorkFAX") => PhoneKind::WorkFax,
        () if label.contains("HomeFAX") => PhoneKind::HomeFax,
        () if label.contains("Mobile") || label.contains("iPhone") => PhoneKind::Mobile,
        () if label.contains("Pager") => PhoneKind::Pager,
        () if label.contains("Main") => PhoneKind::First,
        () if label.contains("Work") => PhoneKind::Work,
        () if label.contains("Home") => PhoneKind::Home,
        () => PhoneKind::Other,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_contact_of_macos_is_read() {
        let list = |values: &str, labels: &str| {
            format!(
                "<dict><key>labels</key><array>{labels}</array><key>values</key><array>{values}</array></dict>"
            )
        };
        let file = format!(
            "<plist version=\"1.0\"><dict><key>First</key><string>Ines</string><key>Last</key><string>Vane</string>\
             <key>Email</key>{}<key>Phone</key>{}<key>Address</key>{}<key>Birthday</key><date>1979-03-07T12:00:00Z</date>\
             <key>UID</key><string>0A:ABPerson</string></dict></plist>",
            list("<string>ines@windrose.example</string>", "<string>_$!&lt;Home&gt;!$_</string>"),
            list("<string>0151</string><string>04</string>", "<string>_$!&lt;Mobile&gt;!$_</string>"),
            list(
                "<dict><key>City</key><string>Saltmarsh</string></dict>",
                "<string>_$!&lt;Work&gt;!$_</string>"
            ),
        );
        let ines = from_apple_contact(file.as_bytes()).unwrap();
        assert_eq!(
            (&*ines.name, &*ines.emails[0], &*ines.unique_name),
            ("Ines Vane", "ines@windrose.example", "0A")
        );
        assert_eq!(
            ines.phones,
            [(PhoneKind::Mobile, "0151".to_owned()), (PhoneKind::Other, "04".to_owned())]
        );
        assert_eq!((ines.addresses[0].0, &*ines.addresses[0].1.city), (AddressKind::Work, "Saltmarsh"));
        assert_eq!(ines.birthday.map(|day| day.to_string()).as_deref(), Some("1979-03-07"));
        for other in
            ["<plist version=\"1.0\"><dict/></plist>", "<plist version=\"1.0\"><array/></plist>", "bplist00"]
        {
            assert!(from_apple_contact(other.as_bytes()).is_err(), "{other}");
        }
    }
}
