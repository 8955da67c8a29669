//! Address books: `abook.sqlite` and its sisters. A contact is rows of one card: a name and a value each
//! (`user_version` 1 to 4, as Thunderbird's `AddrBookDirectory` makes it). One of them is a vCard with
//! all that is known of the person; the others are copies that searches look into.

use crate::FormatError;
use crate::contacts::{
    AddressKind, Contact, NameParts, PhoneKind, PostalAddress, VcardVersion, from_vcards, to_vcards,
};
use crate::mail::autocomplete::Address;
use rusqlite::{Connection, params};
use std::collections::BTreeMap;
use time::{Date, Month};

/// People and lists of people.
pub fn counts(database: &Connection) -> Result<(u64, u64), FormatError> {
    let number = |sql: &str| database.query_row(sql, [], |row| row.get(0));
    Ok((number("SELECT count(DISTINCT card) FROM properties")?, number("SELECT count(*) FROM lists")?))
}

/// All people with an address, by their names.
pub fn people(database: &Connection) -> Result<Vec<Address>, FormatError> {
    let sql = "SELECT (SELECT value FROM properties n WHERE n.card = a.card AND n.name = 'DisplayName'), a.value \
               FROM properties a WHERE a.name = 'PrimaryEmail' AND a.value <> '' ORDER BY 1, 2";
    addresses(database, sql)
}

/// All people and lists of a book, with all that is known of them.
pub fn contacts(database: &Connection) -> Result<Vec<Contact>, FormatError> {
    let mut people: BTreeMap<String, Vec<(String, String)>> = BTreeMap::new();
    let mut statement =
        database.prepare("SELECT card, name, coalesce(value, '') FROM properties ORDER BY rowid")?;
    let mut rows = statement.query([])?;
    while let Some(row) = rows.next()? {
        people.entry(row.get(0)?).or_default().push((row.get(1)?, row.get(2)?));
    }
    let mut all: Vec<Contact> = people.iter().map(|(card, rows)| person(card, rows)).collect();
    all.sort_by_key(|contact| (contact.shown_name(), contact.unique_name.clone()));
    let mut statement = database
        .prepare("SELECT uid, coalesce(name, ''), coalesce(description, '') FROM lists ORDER BY 2")?;
    let mut rows = statement.query([])?;
    while let Some(row) = rows.next()? {
        let (list, name, note) = (row.get::<_, String>(0)?, row.get(1)?, row.get(2)?);
        let mut members = database.prepare("SELECT card FROM list_cards WHERE list = ?1 ORDER BY rowid")?;
        let members = members.query_map([&list], |row| row.get::<_, String>(0))?;
        let members: Vec<String> = members.collect::<Result<_, _>>()?;
        let member = |card: &String| {
            let contact = person(card, people.get(card)?);
            let address = contact.emails.first().cloned().unwrap_or_default();
            Some(Address { name: contact.shown_name(), address, is_of_internet: true })
        };
        let members = Some(members.iter().filter_map(member).collect());
        all.push(Contact { name, note, members, unique_name: list, ..Contact::default() });
    }
    Ok(all)
}

/// By its card if it has one, as all have since version 102; else by its rows.
fn person(card: &str, rows: &[(String, String)]) -> Contact {
    let of = |name: &str| {
        let row = rows.iter().find(|(own, value)| own == name && !value.is_empty());
        row.map(|(_, value)| value.clone()).unwrap_or_default()
    };
    if let Some(contact) = from_vcards(of("_vCard").as_bytes()).into_iter().next() {
        let unique_name = card.to_owned();
        // Some of it stands beside the card alone.
        let name = if contact.name.is_empty() { of("DisplayName") } else { contact.name.clone() };
        return Contact { name, unique_name, ..contact };
    }
    let filled =
        |names: &[&str]| names.iter().map(|name| of(name)).filter(|value| !value.is_empty()).collect();
    let phones = [
        (PhoneKind::Work, "WorkPhone"),
        (PhoneKind::Home, "HomePhone"),
        (PhoneKind::Mobile, "CellularNumber"),
        (PhoneKind::OtherFax, "FaxNumber"),
        (PhoneKind::Pager, "PagerNumber"),
    ];
    let address = |kind: &str| PostalAddress {
        street: [of(&format!("{kind}Address")), of(&format!("{kind}Address2"))].join("\n").trim().to_owned(),
        city: of(&format!("{kind}City")),
        region: of(&format!("{kind}State")),
        code: of(&format!("{kind}ZipCode")),
        country: of(&format!("{kind}Country")),
        ..PostalAddress::default()
    };
    let addresses = [(AddressKind::Home, address("Home")), (AddressKind::Work, address("Work"))];
    let number = |name: &str| of(name).parse::<i32>().ok();
    let month = number("BirthMonth").and_then(|month| u8::try_from(month).ok());
    let month = month.and_then(|month| Month::try_from(month).ok());
    let day = number("BirthDay").and_then(|day| u8::try_from(day).ok());
    Contact {
        name: of("DisplayName"),
        parts: NameParts { family: of("LastName"), given: of("FirstName"), ..NameParts::default() },
        nickname: of("NickName"),
        company: of("Company"),
        department: of("Department"),
        job_title: of("JobTitle"),
        emails: filled(&["PrimaryEmail", "SecondEmail"]),
        phones: phones
            .into_iter()
            .map(|(kind, name)| (kind, of(name)))
            .filter(|(_, phone)| !phone.is_empty())
            .collect(),
        addresses: addresses.into_iter().filter(|(_, address)| !address.is_empty()).collect(),
        pages: filled(&["WebPage1", "WebPage2"]),
        birthday: number("BirthYear")
            .zip(month)
            .zip(day)
            .and_then(|((year, month), day)| Date::from_calendar_date(year, month, day).ok()),
        note: of("Notes"),
        unique_name: card.to_owned(),
        ..Contact::default()
    }
}

/// The shown name and the first address of each person; either may be empty.
pub fn names(database: &Connection) -> Result<Vec<Address>, FormatError> {
    let sql = "SELECT (SELECT value FROM properties n WHERE n.card = c.card AND n.name = 'DisplayName'), \
               coalesce((SELECT value FROM properties a WHERE a.card = c.card AND a.name = 'PrimaryEmail'), '') \
               FROM (SELECT DISTINCT card FROM properties) c ORDER BY 1, 2";
    addresses(database, sql)
}

/// The names of the lists.
pub fn list_names(database: &Connection) -> Result<Vec<String>, FormatError> {
    let mut statement = database.prepare("SELECT name FROM lists ORDER BY 1")?;
    let rows = statement.query_map([], |row| row.get(0))?;
    Ok(rows.collect::<Result<_, _>>()?)
}

fn addresses(database: &Connection, sql: &str) -> Result<Vec<Address>, FormatError> {
    let mut statement = database.prepare(sql)?;
    let rows = statement.query_map([], |row| {
        let name = row.get::<_, Option<String>>(0)?.unwrap_or_default();
        Ok(Address { name, address: row.get(1)?, is_of_internet: true })
    })?;
    Ok(rows.collect::<Result<_, _>>()?)
}

/// Makes the tables of an empty book.
pub fn begin(database: &Connection) -> Result<(), FormatError> {
    Ok(database.execute_batch(
        "PRAGMA user_version = 4;
         CREATE TABLE properties (card TEXT, name TEXT, value TEXT);
         CREATE TABLE lists (uid TEXT PRIMARY KEY, name TEXT, nickName TEXT, description TEXT);
         CREATE TABLE list_cards (list TEXT, card TEXT, PRIMARY KEY(list, card));
         CREATE INDEX properties_card ON properties(card);
         CREATE INDEX properties_name ON properties(name);",
    )?)
}

/// Adds people and lists, each under the name that nobody else has, in one transaction. Those on a list who
/// are in the book by their address are on it; others come into the book.
pub fn add(database: &mut Connection, contacts: &[Contact]) -> Result<(), FormatError> {
    let transaction = database.transaction()?;
    // People first: lists name them.
    for contact in contacts.iter().filter(|contact| contact.members.is_none()) {
        add_person(&transaction, contact)?;
    }
    for list in contacts {
        let Some(members) = &list.members else { continue };
        transaction.execute(
            "INSERT OR IGNORE INTO lists VALUES (?1, ?2, '', ?3)",
            params![list.unique_name, list.shown_name(), list.note],
        )?;
        for (number, member) in members.iter().filter(|member| !member.address.is_empty()).enumerate() {
            let known = transaction.query_row(
                "SELECT card FROM properties WHERE name IN ('PrimaryEmail', 'SecondEmail') AND lower(value) = lower(?1)",
                [&member.address],
                |row| row.get::<_, String>(0),
            );
            let card = match known {
                Ok(card) => card,
                Err(rusqlite::Error::QueryReturnedNoRows) => {
                    let unique_name = format!("{}-{number}", list.unique_name);
                    add_person(
                        &transaction,
                        &Contact { unique_name: unique_name.clone(), ..member.clone().into() },
                    )?;
                    unique_name
                }
                Err(cause) => return Err(cause.into()),
            };
            transaction
                .execute("INSERT OR IGNORE INTO list_cards VALUES (?1, ?2)", [&list.unique_name, &card])?;
        }
    }
    Ok(transaction.commit()?)
}

fn add_person(database: &Connection, contact: &Contact) -> Result<(), FormatError> {
    let card = to_vcards(std::slice::from_ref(contact), VcardVersion::Four);
    let email = |at: usize| contact.emails.get(at).cloned().unwrap_or_default();
    let rows = [
        ("DisplayName", contact.shown_name()),
        ("FirstName", contact.parts.given.clone()),
        ("LastName", contact.parts.family.clone()),
        ("NickName", contact.nickname.clone()),
        ("PrimaryEmail", email(0)),
        ("SecondEmail", email(1)),
        ("_vCard", card),
    ];
    for (name, value) in rows.iter().filter(|(_, value)| !value.is_empty()) {
        database.execute(
            "INSERT INTO properties VALUES (?1, ?2, ?3)",
            params![contact.unique_name, name, value],
        )?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn people_and_lists_come_into_a_book_and_a_list_finds_its_people_there() {
        let mut database = Connection::open_in_memory().unwrap();
        begin(&database).unwrap();
        let text = str::to_owned;
        let ines = Contact {
            name: text("Ines Albrecht"),
            emails: vec![text("ines@windrose.example")],
            unique_name: text("1"),
            ..Contact::default()
        };
        let firm = Contact { company: text("Windrose"), unique_name: text("2"), ..Contact::default() };
        let member = |address: &str| Address { address: text(address), ..Address::default() };
        let list = Contact {
            name: text("Stall holders"),
            unique_name: text("3"),
            members: Some(vec![member("INES@windrose.example"), member("piet@saltmarsh.example")]),
            ..Contact::default()
        };
        add(&mut database, &[list, ines, firm]).unwrap();
        assert_eq!(counts(&database).unwrap(), (3, 1), "one more, who was on the list alone");
        let found: Vec<String> = names(&database).unwrap().into_iter().map(|row| row.name).collect();
        assert_eq!(found, ["Ines Albrecht", "Windrose", "piet@saltmarsh.example"]);
        let on_list =
            "SELECT count(*) FROM list_cards JOIN properties USING (card) WHERE name = 'PrimaryEmail'";
        assert_eq!(database.query_row(on_list, [], |row| row.get::<_, u64>(0)).unwrap(), 2);
        assert_eq!(list_names(&database).unwrap(), ["Stall holders"]);
        database
            .execute_batch(
                "INSERT INTO properties VALUES ('old', 'DisplayName', 'Bram'), ('old', 'CellularNumber', '0151'),
                 ('old', 'HomeCity', 'Saltmarsh'), ('old', 'BirthYear', '1979'), ('old', 'BirthMonth', '3'), ('old', 'BirthDay', '7');",
            )
            .unwrap();
        let all = contacts(&database).unwrap();
        let found: Vec<String> = all.iter().map(Contact::shown_name).collect();
        assert_eq!(found, ["Bram", "Ines Albrecht", "Windrose", "piet@saltmarsh.example", "Stall holders"]);
        assert_eq!((&*all[0].phones[0].1, &*all[0].addresses[0].1.city), ("0151", "Saltmarsh"));
        assert!(all[0].birthday.is_some() && all[1].written.is_some());
        assert_eq!(all[4].members.as_ref().map(Vec::len), Some(2));
        let card = "SELECT value FROM properties WHERE card = '1' AND name = '_vCard'";
        let card: String = database.query_row(card, [], |row| row.get(0)).unwrap();
        assert!(
            card.contains("VERSION:4.0\r\n") && card.contains("EMAIL;PREF=1:ines@windrose.example\r\n"),
            "{card}"
        );
    }
}
