//! LDIF (RFC 2849) of people as `inetOrgPerson` (RFC 2798), and of lists as `groupOfNames` (RFC 4519).

use super::{AddressKind, Contact, PhoneKind, PostalAddress};
use crate::mail::autocomplete::Address;
use base64::Engine;
use base64::engine::general_purpose::STANDARD;

/// No line is longer, without its end.
const LINE_IN_BYTES: usize = 76;

/// A record for each, with an empty line between two.
pub fn to_ldif(people: &[Contact]) -> String {
    let mut records = Vec::new();
    for contact in people {
        let mut record = String::new();
        match &contact.members {
            None => person(contact, &mut record),
            Some(members) => list(contact, members, &mut record),
        }
        records.push(record);
    }
    format!("version: 1\n\n{}", records.join("\n"))
}

fn person(contact: &Contact, to: &mut String) {
    let first = contact.emails.first().cloned().unwrap_or_default();
    let shown = contact.shown_name();
    line(to, "dn", &name_of(&shown, &first));
    for class in ["top", "person", "organizationalPerson", "inetOrgPerson"] {
        line(to, "objectClass", class);
    }
    line(to, "cn", &shown);
    // Every person has a family name there.
    let family = &contact.parts.family;
    line(to, "sn", if family.is_empty() { &shown } else { family });
    line(to, "givenName", &contact.parts.given);
    line(to, "displayName", &shown);
    contact.emails.iter().for_each(|email| line(to, "mail", email));
    for (kind, phone) in &contact.phones {
        line(to, attribute_of(*kind), phone);
    }
    for (kind, address) in &contact.addresses {
        match kind {
            AddressKind::Home => line(to, "homePostalAddress", &in_lines(address)),
            AddressKind::Work | AddressKind::Other => at_work(address, to),
        }
    }
    line(to, "o", &contact.company);
    line(to, "ou", &contact.department);
    line(to, "roomNumber", &contact.office);
    line(to, "title", &contact.job_title);
    line(to, "businessCategory", &contact.profession);
    contact.pages.iter().for_each(|page| line(to, "labeledURI", page));
    line(to, "description", &contact.note);
    if let Some(photo) = &contact.photo {
        fold(to, &format!("jpegPhoto:: {}", STANDARD.encode(photo)));
    }
}

fn list(contact: &Contact, members: &[Address], to: &mut String) {
    let shown = contact.shown_name();
    line(to, "dn", &name_of(&shown, ""));
    line(to, "objectClass", "top");
    line(to, "objectClass", "groupOfNames");
    line(to, "cn", &shown);
    line(to, "description", &contact.note);
    for member in members.iter().filter(|member| !member.address.is_empty()) {
        let name = if member.name.is_empty() { &member.address } else { &member.name };
        line(to, "member", &name_of(name, &member.address));
    }
}

/// A name that nobody else has (RFC 4514).
fn name_of(shown: &str, email: &str) -> String {
    let escaped = |text: &str| {
        let text: String = text.chars().filter(|letter| !letter.is_control()).collect();
        text.chars().fold(String::new(), |mut out, letter| {
            if ",+\"\\<>;=#".contains(letter) {
                out.push('\\');
            }
            out.push(letter);
            out
        })
    };
    match email {
        "" => format!("cn={}", escaped(shown)),
        email => format!("cn={},mail={}", escaped(shown), escaped(email)),
    }
}

fn attribute_of(kind: PhoneKind) -> &'static str {
    match kind {
        PhoneKind::Home | PhoneKind::SecondAtHome => "homePhone",
        PhoneKind::Mobile | PhoneKind::Car => "mobile",
        PhoneKind::WorkFax | PhoneKind::HomeFax | PhoneKind::OtherFax => "facsimileTelephoneNumber",
        PhoneKind::Pager => "pager",
        PhoneKind::Data => "internationaliSDNNumber",
        PhoneKind::Telex => "telexNumber",
        _ => "telephoneNumber",
    }
}

fn at_work(address: &PostalAddress, to: &mut String) {
    let [post_box, street, city, region, code, country] = address.fields();
    line(to, "postOfficeBox", post_box);
    line(to, "street", street);
    line(to, "l", city);
    line(to, "st", region);
    line(to, "postalCode", code);
    line(to, "friendlyCountryName", country);
}

/// Lines of an address with the sign between them that directories have (RFC 4517, 3.3.28).
fn in_lines(address: &PostalAddress) -> String {
    let fields = address.fields();
    let known = fields.iter().filter(|field| !field.is_empty());
    known.map(|field| field.replace('\\', "\\5C").replace('$', "\\24")).collect::<Vec<_>>().join("$")
}

/// A line, unless the value is empty; in base64 if it is not plain.
fn line(to: &mut String, name: &str, value: &str) {
    if value.is_empty() {
        return;
    }
    let is_plain = value.is_ascii()
        && !value.starts_with([' ', ':', '<'])
        && !value.ends_with(' ')
        && !value.contains(['\r', '\n', '\0']);
    if is_plain {
        fold(to, &format!("{name}: {value}"));
    } else {
        fold(to, &format!("{name}:: {}", STANDARD.encode(value)));
    }
}

/// All of it is ASCII.
fn fold(to: &mut String, line: &str) {
    let mut rest = line;
    let mut room = LINE_IN_BYTES;
    while rest.len() > room {
        let (now, later) = rest.split_at(room);
        to.push_str(now);
        to.push_str("\n ");
        rest = later;
        room = LINE_IN_BYTES - 1;
    }
    to.push_str(rest);
    to.push('\n');
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn people_and_lists_are_records_and_what_is_not_plain_is_in_base64() {
        let text = str::to_owned;
        let bea = Contact {
            name: text("B\u{e9}a, of Windrose"),
            emails: vec![text("bea@windrose.example"), text("b@kites.example")],
            phones: vec![(PhoneKind::Mobile, text("0151 1")), (PhoneKind::First, text("04"))],
            addresses: vec![(
                AddressKind::Home,
                PostalAddress {
                    street: text("Dyke $3"),
                    city: text("Saltmarsh"),
                    ..PostalAddress::default()
                },
            )],
            note: "kites ".repeat(30).trim().to_owned(),
            ..Contact::default()
        };
        let list = Contact {
            name: text("Stall holders"),
            members: Some(vec![Address { address: text("b@kites.example"), ..Address::default() }]),
            ..Contact::default()
        };
        let ldif = to_ldif(&[bea, list]);
        assert!(ldif.lines().all(|line| line.len() <= 76) && ldif.is_ascii(), "{ldif}");
        let whole = ldif.replace("\n ", "");
        let name = STANDARD.encode("cn=B\u{e9}a\\, of Windrose,mail=bea@windrose.example");
        for expected in [
            &*format!("dn:: {name}"),
            "mail: b@kites.example",
            "mobile: 0151 1",
            "telephoneNumber: 04",
            "homePostalAddress: Dyke \\243$Saltmarsh",
            "member: cn=b@kites.example,mail=b@kites.example",
        ] {
            assert!(whole.lines().any(|line| line == expected), "{expected} in {whole}");
        }
        assert_eq!(whole.matches("\n\n").count(), 2);
    }
}
