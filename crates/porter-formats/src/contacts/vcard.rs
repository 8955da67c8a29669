//! vCard 3.0 (RFC 2426), which all programs read; lists as version 4.0 (RFC 6350) has them, as 3.0 has none.

use super::{AddressKind, Contact, NameParts, PhoneKind};
use crate::content_lines::ContentLines;
use time::Date;
use time::format_description::well_known::Rfc3339;

/// A card for each, one behind the other.
pub fn to_vcards(people: &[Contact]) -> String {
    let mut lines = ContentLines::default();
    for contact in people {
        lines.raw("BEGIN", "VCARD");
        match &contact.members {
            None => card(contact, &mut lines),
            Some(members) => {
                lines.raw("VERSION", "4.0");
                lines.raw("KIND", "group");
                lines.text("FN", &contact.shown_name());
                let known = members.iter().filter(|member| !member.address.is_empty());
                for member in known {
                    let address: String =
                        member.address.chars().filter(|c| !c.is_control() && *c != ' ').collect();
                    lines.raw("MEMBER", &format!("mailto:{address}"));
                }
            }
        }
        lines.text("NOTE", &contact.note);
        lines.texts("CATEGORIES", &contact.categories, ",");
        lines.text("UID", &contact.unique_name);
        if let Some(at) = contact.modified_utc.and_then(|at| at.format(&Rfc3339).ok()) {
            lines.raw("REV", &at);
        }
        lines.raw("END", "VCARD");
    }
    lines.finish()
}

fn card(contact: &Contact, lines: &mut ContentLines) {
    lines.raw("VERSION", "3.0");
    let shown = contact.shown_name();
    lines.text("FN", &shown);
    let NameParts { family, given, middle, prefix, suffix } = &contact.parts;
    let parts = [family, given, middle, prefix, suffix].map(String::as_str);
    if parts.iter().all(|part| part.is_empty()) {
        // The name must be there.
        lines.texts("N", &[&shown, "", "", "", ""], ";");
    } else {
        lines.texts("N", &parts, ";");
    }
    lines.text("NICKNAME", &contact.nickname);
    let mut organisation = vec![contact.company.as_str(), &contact.department, &contact.office];
    while organisation.last().is_some_and(|last| last.is_empty()) {
        organisation.pop();
    }
    lines.texts("ORG", &organisation, ";");
    lines.text("TITLE", &contact.job_title);
    lines.text("ROLE", &contact.profession);
    for (number, address) in contact.emails.iter().enumerate() {
        let is_first_of_several = number == 0 && contact.emails.len() > 1;
        lines.text(
            if is_first_of_several { "EMAIL;TYPE=INTERNET,PREF" } else { "EMAIL;TYPE=INTERNET" },
            address,
        );
    }
    for (kind, phone) in &contact.phones {
        lines.text(&format!("TEL;TYPE={}", types_of(*kind)), phone);
    }
    for (kind, address) in &contact.addresses {
        let kind = match kind {
            AddressKind::Work => ";TYPE=WORK",
            AddressKind::Home => ";TYPE=HOME",
            AddressKind::Other => "",
        };
        let [post_box, street, city, region, code, country] = address.fields();
        lines.texts(&format!("ADR{kind}"), &[post_box, "", street, city, region, code, country], ";");
    }
    for page in &contact.pages {
        lines.text("URL", page);
    }
    for name in &contact.chat_names {
        lines.text("X-IM", name);
    }
    let mut day = |name: &str, day: Option<Date>| {
        if let Some(day) = day {
            lines.raw(name, &day.to_string());
        }
    };
    day("BDAY", contact.birthday);
    day("X-ANNIVERSARY", contact.anniversary);
    lines.text("X-SPOUSE", &contact.spouse);
    lines.text("X-MANAGER", &contact.manager);
    lines.text("X-ASSISTANT", &contact.assistant);
    lines.texts("X-CHILDREN", &contact.children, ",");
    if let Some(photo) = &contact.photo {
        let kind = match photo.get(..4) {
            Some(b"\x89PNG") => ";TYPE=PNG",
            Some(b"GIF8") => ";TYPE=GIF",
            Some([0xff, 0xd8, ..]) => ";TYPE=JPEG",
            _ => "",
        };
        lines.bytes(&format!("PHOTO;ENCODING=b{kind}"), photo);
    }
    if contact.is_private {
        lines.raw("CLASS", "PRIVATE");
    }
}

fn types_of(kind: PhoneKind) -> &'static str {
    match kind {
        PhoneKind::Work | PhoneKind::SecondAtWork => "WORK,VOICE",
        PhoneKind::Home | PhoneKind::SecondAtHome => "HOME,VOICE",
        PhoneKind::Mobile => "CELL,VOICE",
        PhoneKind::Car => "CAR,VOICE",
        PhoneKind::First => "PREF,VOICE",
        PhoneKind::Company => "WORK,VOICE,X-COMPANY",
        PhoneKind::Assistant => "VOICE,X-ASSISTANT",
        PhoneKind::Callback => "VOICE,X-CALLBACK",
        PhoneKind::WorkFax => "WORK,FAX",
        PhoneKind::HomeFax => "HOME,FAX",
        PhoneKind::OtherFax => "FAX",
        PhoneKind::Pager => "PAGER",
        PhoneKind::Radio => "X-RADIO",
        PhoneKind::Data => "ISDN",
        PhoneKind::Telex => "X-TELEX",
        PhoneKind::TextPhone => "X-TTY",
        PhoneKind::Other => "VOICE",
    }
}
