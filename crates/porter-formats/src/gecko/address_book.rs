//! Address books: `abook.sqlite` and its sisters. A contact is rows of one card: a name and a value each
//! (`user_version` 1 to 4, as Thunderbird's `AddrBookDirectory` makes it). What is known of a person is its
//! vCard, and the other rows are copies that searches look into.

use crate::FormatError;
use crate::contacts::{Contact, VcardVersion, to_vcards};
use crate::mail::autocomplete::Address;
use rusqlite::{Connection, params};

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
        let card = "SELECT value FROM properties WHERE card = '1' AND name = '_vCard'";
        let card: String = database.query_row(card, [], |row| row.get(0)).unwrap();
        assert!(
            card.contains("VERSION:4.0\r\n") && card.contains("EMAIL;PREF=1:ines@windrose.example\r\n"),
            "{card}"
        );
    }
}
