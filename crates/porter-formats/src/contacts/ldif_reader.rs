//! LDIF (RFC 2849) of people and lists, as directories and Mozilla's address books write it, read.

use super::{AddressKind, Contact, NameParts, PhoneKind, PostalAddress};
use crate::mail::autocomplete::Address;
use crate::mail::transfer_encoding::base64;
use time::{Date, Month};

/// All people and lists of a file, in its order. Records of anything else are passed by.
pub fn from_ldif(file: &[u8]) -> Vec<Contact> {
    let text = match std::str::from_utf8(file) {
        Ok(text) => text.trim_start_matches('\u{feff}').replace("\r\n", "\n"),
        Err(_) => crate::encoding::of_code_page(file, 1252).replace("\r\n", "\n"),
    };
    // A line that begins with a space goes on with the one before it.
    let whole = text.replace("\n ", "");
    whole.split("\n\n").filter_map(|record| Record::of(record).contact()).collect()
}

/// The names of a record, without their options, in small letters, and the values.
struct Record(Vec<(String, Vec<u8>)>);

impl Record {
    fn of(text: &str) -> Self {
        let row = |line: &str| {
            let (name, value) = line.split_once(':').filter(|_| !line.starts_with('#'))?;
            let value = match value.strip_prefix(':') {
                Some(letters) => base64(letters.trim().as_bytes())?,
                // Content that lies elsewhere is not fetched.
                None if value.starts_with('<') => return None,
                None => value.trim_start_matches(' ').as_bytes().to_vec(),
            };
            let name = name.split(';').next().unwrap_or_default().trim().to_lowercase();
            Some((name, value)).filter(|(_, value)| !value.is_empty())
        };
        Self(text.lines().filter_map(row).collect())
    }

    fn bytes(&self, names: &[&str]) -> impl Iterator<Item = &Vec<u8>> {
        self.0.iter().filter(move |(name, _)| names.contains(&name.as_str())).map(|(_, value)| value)
    }

    fn texts(&self, names: &[&str]) -> Vec<String> {
        self.bytes(names).map(|value| String::from_utf8_lossy(value).trim().to_owned()).collect()
    }

    /// The first value of the first of these names that is there.
    fn text(&self, names: &[&str]) -> String {
        names.iter().find_map(|name| self.texts(&[name]).into_iter().next()).unwrap_or_default()
    }

    fn contact(&self) -> Option<Contact> {
        let classes: Vec<String> =
            self.texts(&["objectclass"]).iter().map(|class| class.to_lowercase()).collect();
        let is = |class: &str| classes.iter().any(|known| known == class);
        let is_list = is("groupofnames") || is("groupofuniquenames");
        let emails = self.emails();
        if !is_list && !is("person") && !is("inetorgperson") && emails.is_empty() {
            return None;
        }
        let mut contact = Contact {
            name: self.text(&["cn", "displayname", "commonname"]),
            parts: NameParts {
                family: self.text(&["sn", "surname"]),
                given: self.text(&["givenname", "gn"]),
                ..NameParts::default()
            },
            nickname: self.text(&["mozillanickname", "xmozillanickname"]),
            company: self.text(&["o", "company", "organizationname"]),
            department: self.text(&["ou", "department", "departmentnumber", "orgunit"]),
            office: self.text(&["roomnumber", "physicaldeliveryofficename"]),
            job_title: self.text(&["title"]),
            profession: self.text(&["businesscategory", "employeetype"]),
            emails,
            phones: self.phones(),
            addresses: self.addresses(),
            pages: self.texts(&["labeleduri", "mozillaworkurl", "workurl", "mozillahomeurl", "homeurl"]),
            chat_names: self.texts(&["nsaimid", "mozillascreenname"]),
            birthday: self.birthday(),
            note: self.texts(&["description", "comment", "notes"]).join("\n"),
            photo: self.bytes(&["jpegphoto", "thumbnailphoto"]).next().cloned(),
            ..Contact::default()
        };
        if is_list {
            contact.members = Some(self.members());
        }
        Some(contact)
    }

    fn emails(&self) -> Vec<String> {
        let second = ["mozillasecondemail", "xmozillasecondemail"];
        [self.texts(&["mail", "rfc822mailbox"]), self.texts(&second)].concat()
    }

    fn phones(&self) -> Vec<(PhoneKind, String)> {
        let kinds = [
            (PhoneKind::Work, &["telephonenumber"][..]),
            (PhoneKind::Home, &["homephone", "hometelephonenumber"]),
            (PhoneKind::Mobile, &["mobile", "cellphone", "mobiletelephonenumber"]),
            (PhoneKind::WorkFax, &["facsimiletelephonenumber", "fax"]),
            (PhoneKind::Pager, &["pager", "pagerphone", "pagertelephonenumber"]),
            (PhoneKind::Telex, &["telexnumber"]),
            (PhoneKind::Data, &["internationalisdnnumber"]),
        ];
        let of_kind = |(kind, names): &(PhoneKind, &[&str])| {
            self.texts(names).into_iter().map(|number| (*kind, number)).collect::<Vec<_>>()
        };
        kinds.iter().flat_map(of_kind).collect()
    }

    fn addresses(&self) -> Vec<(AddressKind, PostalAddress)> {
        let lines = |names: &[&str]| self.texts(names).join("\n");
        let work = PostalAddress {
            post_box: self.text(&["postofficebox"]),
            street: lines(&["street", "streetaddress", "mozillaworkstreet2"]),
            city: self.text(&["l", "locality", "localityname"]),
            region: self.text(&["st", "region"]),
            code: self.text(&["postalcode", "zip"]),
            country: self.text(&["c", "countryname", "friendlycountryname", "co"]),
        };
        let home = PostalAddress {
            street: lines(&["mozillahomestreet", "mozillahomestreet2"]),
            city: self.text(&["mozillahomelocalityname"]),
            region: self.text(&["mozillahomestate"]),
            code: self.text(&["mozillahomepostalcode"]),
            country: self.text(&["mozillahomecountryname"]),
            ..PostalAddress::default()
        };
        // Lines of an address of paper, with the sign between them that directories have.
        let written = |text: String| PostalAddress {
            street: text.replace('$', "\n").replace("\\24", "$").replace("\\5C", "\\"),
            ..PostalAddress::default()
        };
        let of_lines = |names: &[&str], kind| {
            self.texts(names).into_iter().map(|text| (kind, written(text))).collect::<Vec<_>>()
        };
        let mut all = vec![(AddressKind::Work, work), (AddressKind::Home, home)];
        all.extend(of_lines(&["homepostaladdress"], AddressKind::Home));
        all.extend(of_lines(&["postaladdress"], AddressKind::Work));
        all.retain(|(_, address)| !address.is_empty());
        all
    }

    fn birthday(&self) -> Option<Date> {
        let number = |name: &str| self.text(&[name]).parse::<u16>().ok();
        let month = Month::try_from(u8::try_from(number("birthmonth")?).ok()?).ok()?;
        let day = u8::try_from(number("birthday")?).ok()?;
        Date::from_calendar_date(i32::from(number("birthyear")?), month, day).ok()
    }

    /// Each stands there by a name of the directory: `cn=Ines,mail=ines@…`.
    fn members(&self) -> Vec<Address> {
        let member = |name: String| {
            let mut address = Address { is_of_internet: true, ..Address::default() };
            for part in parts_of(&name) {
                match part.split_once('=') {
                    Some(("cn", value)) => value.clone_into(&mut address.name),
                    Some(("mail", value)) => value.clone_into(&mut address.address),
                    _ => {}
                }
            }
            Some(address).filter(|address| !address.address.is_empty())
        };
        self.texts(&["member", "uniquemember"]).into_iter().filter_map(member).collect()
    }
}

/// The parts of a name of the directory (RFC 4514), with what is escaped in them as it is meant.
fn parts_of(name: &str) -> Vec<String> {
    let mut parts = vec![String::new()];
    let mut letters = name.chars();
    while let Some(letter) = letters.next() {
        match letter {
            '\\' => parts.last_mut().into_iter().for_each(|part| part.extend(letters.next())),
            ',' | '+' => parts.push(String::new()),
            letter => parts.last_mut().into_iter().for_each(|part| part.push(letter)),
        }
    }
    parts.into_iter().map(|part| part.trim().to_owned()).collect()
}

#[cfg(test)]
mod tests {
    use super::super::to_ldif;
    use super::*;

    #[test]
    fn people_and_lists_come_back_from_the_records_that_were_made_of_them() {
        let text = str::to_owned;
        let bea = Contact {
            name: text("B\u{e9}a, of Windrose"),
            parts: NameParts { family: text("Vane"), given: text("B\u{e9}a"), ..NameParts::default() },
            company: text("Windrose"),
            emails: vec![text("bea@windrose.example"), text("b@kites.example")],
            phones: vec![(PhoneKind::Work, text("04")), (PhoneKind::Mobile, text("0151 1"))],
            addresses: vec![(
                AddressKind::Work,
                PostalAddress {
                    street: text("Dyke $3"),
                    city: text("Saltmarsh"),
                    ..PostalAddress::default()
                },
            )],
            note: "kites ".repeat(30).trim().to_owned(),
            photo: Some(vec![0xff, 0xd8, 0xff, 0xe0, 10, 10]),
            ..Contact::default()
        };
        let list = Contact {
            name: text("Stall holders"),
            members: Some(vec![Address {
                name: text("Ines, of the loft"),
                address: text("ines@kites.example"),
                is_of_internet: true,
            }]),
            ..Contact::default()
        };
        let people = [bea, list];
        assert_eq!(from_ldif(to_ldif(&people).as_bytes()), people);
    }

    #[test]
    fn a_book_of_mozilla_is_read() {
        let file = b"dn: cn=Otto Vane,mail=otto@windrose.example\r\nobjectclass: top\r\nobjectclass: mozillaAbPersonAlpha\r\ngivenName: Otto\r\nsn: Vane\r\n\
            cn: Otto Vane\r\nmail: otto@windrose.example\r\nmozillaSecondEmail: o@kites.example\r\nhomePhone: 04 1\r\nmozillaHomeStreet: Dyke 3\r\n\
            mozillaHomeLocalityName;lang-en: Salt\r\n marsh\r\nbirthyear: 1979\r\nbirthmonth: 3\r\nbirthday: 7\r\njpegPhoto:< file:///x\r\n\r\n\
            # a comment\r\ndn: ou=kites\r\nobjectclass: organizationalUnit\r\n";
        let [otto] = &from_ldif(file)[..] else { panic!("one person") };
        assert_eq!(otto.emails, ["otto@windrose.example", "o@kites.example"]);
        assert_eq!(otto.addresses[0].1.city, "Saltmarsh");
        assert_eq!(
            (otto.birthday.map(|day| day.to_string()).as_deref(), &otto.photo),
            (Some("1979-03-07"), &None)
        );
    }
}
