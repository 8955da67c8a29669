//! vCard 3.0 (RFC 2426), which all programs read, and 4.0 (RFC 6350); lists as 4.0 has them, as 3.0 has none.

use super::{AddressKind, Contact, NameParts, PhoneKind, WrittenCard};
use crate::content_lines::ContentLines;
use time::Date;
use time::OffsetDateTime;
use time::format_description::well_known::Rfc3339;
use time::macros::format_description;

/// A version of the form.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum VcardVersion {
    /// 3.0
    Three,
    /// 4.0
    Four,
}

/// A card for each, one behind the other.
pub fn to_vcards(people: &[Contact], version: VcardVersion) -> String {
    let mut lines = ContentLines::default();
    for contact in people {
        // Readers of 3.0 read 4.0 as well today, and nothing of it is lost.
        let fits = |written: &&WrittenCard| {
            written.version == "4.0" || (written.version == "3.0" && version == VcardVersion::Three)
        };
        if let Some(written) = contact.written.as_ref().filter(fits) {
            lines.as_written(&written.text);
            continue;
        }
        lines.raw("BEGIN", "VCARD");
        match &contact.members {
            None => card(contact, version, &mut lines),
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
        if let Some(at) = contact.modified_utc.and_then(|at| changed(at, version)) {
            lines.raw("REV", &at);
        }
        lines.raw("END", "VCARD");
    }
    lines.finish()
}

fn changed(at: OffsetDateTime, version: VcardVersion) -> Option<String> {
    match version {
        VcardVersion::Three => at.format(&Rfc3339),
        VcardVersion::Four => at
            .to_offset(time::UtcOffset::UTC)
            .format(format_description!("[year][month][day]T[hour][minute][second]Z")),
    }
    .ok()
}

fn card(contact: &Contact, version: VcardVersion, lines: &mut ContentLines) {
    use VcardVersion::{Four, Three};
    lines.raw("VERSION", if version == Three { "3.0" } else { "4.0" });
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
        let name = match (version, number, is_first_of_several) {
            (Four, 0, _) => "EMAIL;PREF=1",
            (Four, ..) => "EMAIL",
            (Three, _, true) => "EMAIL;TYPE=INTERNET,PREF",
            (Three, ..) => "EMAIL;TYPE=INTERNET",
        };
        lines.text(name, address);
    }
    for (kind, phone) in &contact.phones {
        let name = match (version, types_of(*kind)) {
            (Three, types) => format!("TEL;TYPE={types}"),
            // More than one word stands in quotes there; to be preferred is a parameter of its own.
            (Four, types) => match types.to_lowercase().replace("pref,", "") {
                types if types.contains(',') => format!("TEL;TYPE=\"{types}\""),
                types => format!("TEL;TYPE={types}"),
            },
        };
        lines.text(&name, phone);
    }
    for (kind, address) in &contact.addresses {
        let kind = match kind {
            AddressKind::Work => ";TYPE=WORK",
            AddressKind::Home => ";TYPE=HOME",
            AddressKind::Other => "",
        };
        let kind =
            if version == Four { kind.to_lowercase().replace("type", "TYPE") } else { kind.to_owned() };
        let [post_box, street, city, region, code, country] = address.fields();
        lines.texts(&format!("ADR{kind}"), &[post_box, "", street, city, region, code, country], ";");
    }
    for page in &contact.pages {
        lines.text("URL", page);
    }
    for name in &contact.chat_names {
        lines.text("X-IM", name);
    }
    let mut day = |name: &str, day: Option<Date>| match (day, version) {
        (Some(day), Three) => lines.raw(name, &day.to_string()),
        (Some(day), Four) => lines.raw(name, &day.to_string().replace('-', "")),
        (None, _) => {}
    };
    day("BDAY", contact.birthday);
    day(if version == Four { "ANNIVERSARY" } else { "X-ANNIVERSARY" }, contact.anniversary);
    if version == Four {
        lines.text("RELATED;TYPE=spouse;VALUE=text", &contact.spouse);
        contact.children.iter().for_each(|child| lines.text("RELATED;TYPE=child;VALUE=text", child));
    } else {
        lines.text("X-SPOUSE", &contact.spouse);
        lines.texts("X-CHILDREN", &contact.children, ",");
    }
    lines.text("X-MANAGER", &contact.manager);
    lines.text("X-ASSISTANT", &contact.assistant);
    if let Some(photo) = &contact.photo {
        let kind = match photo.get(..4) {
            Some(b"\x89PNG") => "PNG",
            Some(b"GIF8") => "GIF",
            Some([0xff, 0xd8, ..]) => "JPEG",
            _ => "",
        };
        match (version, kind) {
            (Four, "") => lines.bytes("PHOTO:data:application/octet-stream;base64,", photo),
            (Four, kind) => lines.bytes(&format!("PHOTO:data:image/{};base64,", kind.to_lowercase()), photo),
            (Three, "") => lines.bytes("PHOTO;ENCODING=b:", photo),
            (Three, kind) => lines.bytes(&format!("PHOTO;ENCODING=b;TYPE={kind}:"), photo),
        }
    }
    if contact.is_private {
        // Version 4 has no word for it.
        lines.raw(if version == Four { "X-CLASS" } else { "CLASS" }, "PRIVATE");
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
