//! A table of comma-separated values (RFC 4180), below the names that address books give their columns.

use super::{AddressKind, Contact, PhoneKind};
use std::collections::BTreeMap;
use time::Date;

/// In the order of the table. Two further addresses have columns of their own; the rest is with the notes.
const COLUMNS: [&str; 49] = [
    "Name",
    "E-mail Address",
    "E-mail 2 Address",
    "E-mail 3 Address",
    "Title",
    "First Name",
    "Middle Name",
    "Last Name",
    "Suffix",
    "Nickname",
    "Company",
    "Department",
    "Office Location",
    "Job Title",
    "Profession",
    "Business Phone",
    "Business Phone 2",
    "Home Phone",
    "Home Phone 2",
    "Mobile Phone",
    "Car Phone",
    "Primary Phone",
    "Company Main Phone",
    "Assistant's Phone",
    "Callback",
    "Business Fax",
    "Home Fax",
    "Other Fax",
    "Pager",
    "Radio Phone",
    "ISDN",
    "Telex",
    "TTY/TDD Phone",
    "Other Phone",
    "Business",
    "Home",
    "Other",
    "Web Page",
    "IM",
    "Birthday",
    "Anniversary",
    "Spouse",
    "Manager's Name",
    "Assistant's Name",
    "Children",
    "Notes",
    "Categories",
    "Private",
    "Members",
];
/// A postal address has several columns.
const OF_ADDRESS: [&str; 6] = ["PO Box", "Street", "City", "State", "Postal Code", "Country"];

/// A row for each. Columns that nobody fills are left out, but for the first two.
pub fn to_table(people: &[Contact]) -> String {
    let names: Vec<String> = COLUMNS.iter().flat_map(|column| names_of(column)).collect();
    let rows: Vec<_> = people.iter().map(cells_of).collect();
    let is_filled = |name: &&String| rows.iter().any(|row| row.contains_key(*name));
    let names: Vec<&String> = names
        .iter()
        .enumerate()
        .filter(|(number, name)| *number < 2 || is_filled(name))
        .map(|(_, name)| name)
        .collect();
    let cell = |text: &str| format!("\"{}\"", text.replace('"', "\"\""));
    let mut table = names.iter().map(|name| name.as_str()).collect::<Vec<_>>().join(",") + "\r\n";
    for row in &rows {
        let cells: Vec<String> =
            names.iter().map(|name| cell(row.get(*name).map_or("", String::as_str))).collect();
        table.push_str(&cells.join(","));
        table.push_str("\r\n");
    }
    table
}

fn names_of(column: &str) -> Vec<String> {
    match column {
        "Business" | "Home" | "Other" => OF_ADDRESS.iter().map(|part| format!("{column} {part}")).collect(),
        column => vec![column.to_owned()],
    }
}

fn cells_of(contact: &Contact) -> BTreeMap<String, String> {
    let mut cells: BTreeMap<String, String> = BTreeMap::new();
    let mut put = |column: &str, value: &str| {
        if value.is_empty() {
            return;
        }
        // Two numbers of one kind share a cell.
        let cell = cells.entry(column.to_owned()).or_default();
        if !cell.is_empty() {
            cell.push_str("; ");
        }
        cell.push_str(value);
    };
    put("Name", &contact.name);
    let mut further = Vec::new();
    for (number, address) in contact.emails.iter().enumerate() {
        match number {
            0 => put("E-mail Address", address),
            1 | 2 => put(&format!("E-mail {} Address", number + 1), address),
            _ => further.push(address.as_str()),
        }
    }
    put("Title", &contact.parts.prefix);
    put("First Name", &contact.parts.given);
    put("Middle Name", &contact.parts.middle);
    put("Last Name", &contact.parts.family);
    put("Suffix", &contact.parts.suffix);
    put("Nickname", &contact.nickname);
    put("Company", &contact.company);
    put("Department", &contact.department);
    put("Office Location", &contact.office);
    put("Job Title", &contact.job_title);
    put("Profession", &contact.profession);
    for (kind, phone) in &contact.phones {
        put(column_of(*kind), phone);
    }
    for (kind, address) in &contact.addresses {
        let kind = match kind {
            AddressKind::Work => "Business",
            AddressKind::Home => "Home",
            AddressKind::Other => "Other",
        };
        for (part, value) in OF_ADDRESS.iter().zip(address.fields()) {
            put(&format!("{kind} {part}"), value);
        }
    }
    put("Web Page", &contact.pages.join("; "));
    put("IM", &contact.chat_names.join("; "));
    let day = |day: Option<Date>| day.map(|day| day.to_string()).unwrap_or_default();
    put("Birthday", &day(contact.birthday));
    put("Anniversary", &day(contact.anniversary));
    put("Spouse", &contact.spouse);
    put("Manager's Name", &contact.manager);
    put("Assistant's Name", &contact.assistant);
    put("Children", &contact.children.join("; "));
    put("Notes", &contact.note);
    put("Notes", &further.join("; "));
    put("Categories", &contact.categories.join("; "));
    put("Private", if contact.is_private { "yes" } else { "" });
    let members = contact.members.iter().flatten().map(|member| member.address.as_str());
    put("Members", &members.collect::<Vec<_>>().join("; "));
    cells
}

fn column_of(kind: PhoneKind) -> &'static str {
    match kind {
        PhoneKind::Work => "Business Phone",
        PhoneKind::SecondAtWork => "Business Phone 2",
        PhoneKind::Home => "Home Phone",
        PhoneKind::SecondAtHome => "Home Phone 2",
        PhoneKind::Mobile => "Mobile Phone",
        PhoneKind::Car => "Car Phone",
        PhoneKind::First => "Primary Phone",
        PhoneKind::Company => "Company Main Phone",
        PhoneKind::Assistant => "Assistant's Phone",
        PhoneKind::Callback => "Callback",
        PhoneKind::WorkFax => "Business Fax",
        PhoneKind::HomeFax => "Home Fax",
        PhoneKind::OtherFax => "Other Fax",
        PhoneKind::Pager => "Pager",
        PhoneKind::Radio => "Radio Phone",
        PhoneKind::Data => "ISDN",
        PhoneKind::Telex => "Telex",
        PhoneKind::TextPhone => "TTY/TDD Phone",
        PhoneKind::Other => "Other Phone",
    }
}
