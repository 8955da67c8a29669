//! Tables of people that programs write when somebody takes their contacts out: comma-separated values (RFC
//! 4180), or with another sign between them, below names of columns that each program chooses.

use super::{AddressKind, Contact, PhoneKind, PostalAddress};
use time::{Date, Month};

/// A person is not longer.
const LONGEST_CELL: usize = 1 << 20;

/// The meaning of a column.
#[derive(Debug, Clone, Copy)]
enum Column {
    Text(fn(&mut Contact) -> &mut String),
    /// Texts of several columns, one below the other.
    Note,
    Email,
    Phone(PhoneKind),
    /// A telephone whose kind stands in another column.
    NumberedPhone(usize),
    KindOfPhone(usize),
    Address(AddressKind, fn(&mut PostalAddress) -> &mut String),
    Page,
    ChatName,
    Birthday,
    BirthPart(usize),
    Anniversary,
    Children,
    Categories,
}

/// The people of a table. None for a table of other things: without an address of mail, or a name and a
/// telephone, nobody is in it.
pub fn from_table(file: &[u8]) -> Option<Vec<Contact>> {
    let text = match std::str::from_utf8(file) {
        Ok(text) => text.trim_start_matches('\u{feff}').to_owned(),
        Err(_) if file.starts_with(&[0xff, 0xfe]) => crate::encoding::by_mark(file),
        Err(_) => crate::encoding::of_code_page(file, 1252),
    };
    let head = text.lines().next()?;
    let between = [b',', b';', b'\t']
        .into_iter()
        .max_by_key(|sign| head.bytes().filter(|byte| byte == sign).count())?;
    let mut rows = csv::ReaderBuilder::new().delimiter(between).flexible(true).from_reader(text.as_bytes());
    let columns: Vec<Option<Column>> = rows.headers().ok()?.iter().map(column_of).collect();
    let has = |is_it: fn(&Column) -> bool| columns.iter().flatten().any(is_it);
    let has_phone = has(|column| matches!(column, Column::Phone(_) | Column::NumberedPhone(_)));
    let has_name = has(|column| matches!(column, Column::Text(_)));
    if !has_name || !(has(|column| matches!(column, Column::Email)) || has_phone) {
        return None;
    }
    let rows: Vec<csv::StringRecord> = rows.records().map_while(Result::ok).collect();
    let day_first = is_day_first(&rows, &columns);
    let people = rows.iter().map(|row| person(row, &columns, day_first));
    Some(people.filter(|person| *person != Contact::default()).collect())
}

fn person(row: &csv::StringRecord, columns: &[Option<Column>], day_first: Option<bool>) -> Contact {
    let mut person = Contact::default();
    let mut addresses: Vec<(AddressKind, PostalAddress)> = Vec::new();
    let mut birth = [0_u16; 3];
    let kind_in = |number: usize| {
        let at = columns
            .iter()
            .position(|column| matches!(column, Some(Column::KindOfPhone(of)) if *of == number));
        phone_kind(at.and_then(|at| row.get(at)).unwrap_or_default())
    };
    for (column, cell) in columns.iter().zip(row) {
        let (Some(column), cell) = (column, cell.trim()) else { continue };
        if cell.is_empty() || cell.len() > LONGEST_CELL {
            continue;
        }
        // Several values of one kind may share a cell.
        let each = || cell.split(" ::: ").flat_map(|part| part.split("; ")).map(str::trim).map(str::to_owned);
        match column {
            Column::Text(field) if field(&mut person).is_empty() => cell.clone_into(field(&mut person)),
            Column::Text(_) => {}
            Column::Note => {
                if !person.note.is_empty() {
                    person.note.push('\n');
                }
                person.note.push_str(cell);
            }
            Column::Email => person.emails.extend(each().filter(|address| address.contains('@'))),
            Column::Phone(kind) => person.phones.extend(each().map(|number| (*kind, number))),
            Column::NumberedPhone(number) => {
                person.phones.extend(each().map(|phone| (kind_in(*number), phone)));
            }
            Column::Address(kind, field) => {
                let at = addresses.iter().position(|(known, _)| known == kind).unwrap_or_else(|| {
                    addresses.push((*kind, PostalAddress::default()));
                    addresses.len() - 1
                });
                let part = field(&mut addresses[at].1);
                if !part.is_empty() {
                    part.push('\n');
                }
                part.push_str(cell);
            }
            Column::Page => person.pages.extend(each()),
            Column::ChatName => person.chat_names.extend(each()),
            Column::Birthday | Column::Anniversary => {
                let is_birthday = matches!(column, Column::Birthday);
                match day(cell, day_first) {
                    Some(day) if is_birthday => person.birthday = Some(day),
                    Some(day) => person.anniversary = Some(day),
                    // Outlook writes this for no day.
                    None if cell.chars().all(|c| matches!(c, '0' | '/' | '.' | '-')) => {}
                    None => {
                        let what = if is_birthday { "Birthday" } else { "Anniversary" };
                        person.note = format!("{}\n{what}: {cell}", person.note).trim().to_owned();
                    }
                }
            }
            Column::BirthPart(at) => birth[*at] = cell.parse().unwrap_or_default(),
            Column::Children => person.children.extend(each()),
            Column::Categories => person.categories.extend(each()),
            Column::KindOfPhone(_) => {}
        }
    }
    let [year, month, day] = birth;
    person.birthday = person.birthday.or_else(|| date(year, month, day));
    person.addresses = addresses;
    person
}

/// Names of columns in English, as Outlook, Outlook Express, Windows Mail, Thunderbird and web mail write
/// them, and in German, as Outlook does.
fn column_of(name: &str) -> Option<Column> {
    use Column::{Address, Phone, Text};
    let plain: String =
        name.to_lowercase().chars().map(|c| if c.is_alphanumeric() { c } else { ' ' }).collect();
    let words: Vec<&str> = plain.split_whitespace().collect();
    let plain = words.join(" ");
    if let Some(column) = numbered(&words) {
        return Some(column);
    }
    if let Some(column) = address_column(&plain) {
        return Some(column);
    }
    Some(match plain.as_str() {
        "name" | "display name" | "full name" | "file as" | "anzeigename" => Text(|to| &mut to.name),
        "title" | "name prefix" | "anrede" => Text(|to| &mut to.parts.prefix),
        "first name" | "given name" | "vorname" => Text(|to| &mut to.parts.given),
        "middle name" | "additional name" | "weitere vornamen" => Text(|to| &mut to.parts.middle),
        "last name" | "family name" | "surname" | "nachname" => Text(|to| &mut to.parts.family),
        "suffix" | "name suffix" => Text(|to| &mut to.parts.suffix),
        "nickname" | "spitzname" => Text(|to| &mut to.nickname),
        "company" | "organization" | "organization name" | "firma" => Text(|to| &mut to.company),
        "department" | "organization department" | "abteilung" => Text(|to| &mut to.department),
        "office location" | "büro" => Text(|to| &mut to.office),
        "job title" | "organization title" | "position" => Text(|to| &mut to.job_title),
        "profession" | "beruf" => Text(|to| &mut to.profession),
        "spouse" | "partner" => Text(|to| &mut to.spouse),
        "manager s name" | "manager" => Text(|to| &mut to.manager),
        "assistant s name" | "assistant" => Text(|to| &mut to.assistant),
        "notes" | "notizen" | "custom 1" | "custom 2" | "custom 3" | "custom 4" => Column::Note,
        "e mail address" | "email address" | "email" | "e mail" | "primary email" | "secondary email"
        | "e mail adresse" => Column::Email,
        "business phone" | "work phone" | "telefon geschäftlich" => Phone(PhoneKind::Work),
        "home phone" | "telefon privat" => Phone(PhoneKind::Home),
        "mobile phone" | "mobile number" | "mobile" | "mobiltelefon" => Phone(PhoneKind::Mobile),
        "car phone" | "autotelefon" => Phone(PhoneKind::Car),
        "primary phone" | "haupttelefon" => Phone(PhoneKind::First),
        "company main phone" | "telefon firma" => Phone(PhoneKind::Company),
        "assistant s phone" | "telefon assistent" => Phone(PhoneKind::Assistant),
        "callback" | "rückmeldung" => Phone(PhoneKind::Callback),
        "business fax" | "fax number" | "fax geschäftlich" => Phone(PhoneKind::WorkFax),
        "home fax" | "fax privat" => Phone(PhoneKind::HomeFax),
        "other fax" | "weiteres fax" => Phone(PhoneKind::OtherFax),
        "pager" | "pager number" => Phone(PhoneKind::Pager),
        "radio phone" | "mobiltelefon 2" => Phone(PhoneKind::Radio),
        "isdn" => Phone(PhoneKind::Data),
        "telex" => Phone(PhoneKind::Telex),
        "tty tdd phone" => Phone(PhoneKind::TextPhone),
        "other phone" | "weiteres telefon" | "phone" => Phone(PhoneKind::Other),
        "po box" => Address(AddressKind::Other, |to| &mut to.post_box),
        "web page" | "personal web page" | "business web page" | "webseite" => Column::Page,
        "im" | "screen name" => Column::ChatName,
        "birthday" | "geburtstag" => Column::Birthday,
        "anniversary" | "jahrestag" => Column::Anniversary,
        "birth year" => Column::BirthPart(0),
        "birth month" => Column::BirthPart(1),
        "birth day" => Column::BirthPart(2),
        "children" | "kinder" => Column::Children,
        "categories" | "labels" | "kategorien" => Column::Categories,
        _ => return None,
    })
}

/// `E-mail 2 Address`, `E-mail 1 - Value`, `Home Phone 2`, `Phone 1 - Type`, `Organization 1 - Name`.
fn numbered(words: &[&str]) -> Option<Column> {
    let at =
        words.iter().position(|word| word.len() == 1 && word.chars().all(|c| ('1'..='9').contains(&c)))?;
    let number: usize = words[at].parse().ok()?;
    let without: Vec<&str> = [&words[..at], &words[at + 1..]].concat();
    Some(match without.join(" ").as_str() {
        "e mail address" | "e mail adresse" | "e mail value" | "email" | "e mail" => Column::Email,
        "phone value" => Column::NumberedPhone(number),
        "phone type" | "phone label" => Column::KindOfPhone(number),
        "business phone" | "telefon geschäftlich" => Column::Phone(PhoneKind::SecondAtWork),
        "home phone" | "telefon privat" => Column::Phone(PhoneKind::SecondAtHome),
        "web page" | "website value" => Column::Page,
        "organization name" => Column::Text(|to| &mut to.company),
        "organization title" => Column::Text(|to| &mut to.job_title),
        "organization department" => Column::Text(|to| &mut to.department),
        "address street" => Column::Address(AddressKind::Other, |to| &mut to.street),
        "address city" => Column::Address(AddressKind::Other, |to| &mut to.city),
        "address region" => Column::Address(AddressKind::Other, |to| &mut to.region),
        "address postal code" => Column::Address(AddressKind::Other, |to| &mut to.code),
        "address country" => Column::Address(AddressKind::Other, |to| &mut to.country),
        "home address" => Column::Address(AddressKind::Home, |to| &mut to.street),
        "work address" | "business address" => Column::Address(AddressKind::Work, |to| &mut to.street),
        "business street" => Column::Address(AddressKind::Work, |to| &mut to.street),
        "home street" => Column::Address(AddressKind::Home, |to| &mut to.street),
        "other street" => Column::Address(AddressKind::Other, |to| &mut to.street),
        _ => return None,
    })
}

/// `Business Street`, `Home ZipCode`, `Ort privat`.
fn address_column(plain: &str) -> Option<Column> {
    let of = |kind: AddressKind, part: &str| {
        Some(Column::Address(
            kind,
            match part {
                "street" | "address" | "straße" | "strasse" => |to| &mut to.street,
                "city" | "ort" => |to| &mut to.city,
                "state" | "region" | "bundesland kanton" => |to| &mut to.region,
                "postal code" | "zipcode" | "zip code" | "zip" | "postleitzahl" => |to| &mut to.code,
                "country" | "country region" | "land region" | "land" => |to| &mut to.country,
                "po box" | "postfach" => |to| &mut to.post_box,
                _ => return None,
            },
        ))
    };
    let before = [
        ("business ", AddressKind::Work),
        ("work ", AddressKind::Work),
        ("home ", AddressKind::Home),
        ("other ", AddressKind::Other),
        ("weitere ", AddressKind::Other),
        ("weiterer ", AddressKind::Other),
    ];
    let behind = [(" geschäftlich", AddressKind::Work), (" privat", AddressKind::Home)];
    let by_begin = before.iter().find_map(|(word, kind)| of(*kind, plain.strip_prefix(word)?));
    by_begin.or_else(|| behind.iter().find_map(|(word, kind)| of(*kind, plain.strip_suffix(word)?)))
}

fn phone_kind(word: &str) -> PhoneKind {
    match word.trim().trim_start_matches("* ").to_lowercase().as_str() {
        "work" => PhoneKind::Work,
        "home" => PhoneKind::Home,
        "mobile" => PhoneKind::Mobile,
        "main" => PhoneKind::First,
        "work fax" => PhoneKind::WorkFax,
        "home fax" => PhoneKind::HomeFax,
        "pager" => PhoneKind::Pager,
        _ => PhoneKind::Other,
    }
}

/// Whether the day stands before the month in the dates of a table with slashes; none if no row tells.
fn is_day_first(rows: &[csv::StringRecord], columns: &[Option<Column>]) -> Option<bool> {
    let is_date = |at: &usize| matches!(columns.get(*at), Some(Some(Column::Birthday | Column::Anniversary)));
    let cells = rows.iter().flat_map(|row| row.iter().enumerate().filter(|(at, _)| is_date(at)));
    let pairs = cells.filter_map(|(_, cell)| {
        let mut numbers = cell.trim().split('/').map(|number| number.parse::<u16>().ok());
        Some((numbers.next()??, numbers.next()??))
    });
    let mut told = pairs.filter_map(|(first, second)| match (first > 12, second > 12) {
        (true, false) => Some(true),
        (false, true) => Some(false),
        _ => None,
    });
    let first = told.next()?;
    told.all(|other| other == first).then_some(first)
}

/// `1979-03-07`, `7.3.1979`, or with slashes if the table tells which is the day.
fn day(cell: &str, day_first: Option<bool>) -> Option<Date> {
    let sign = ['-', '.', '/'].into_iter().find(|sign| cell.contains(*sign))?;
    let numbers: Vec<u16> =
        cell.split(sign).map(|number| number.trim().parse().ok()).collect::<Option<_>>()?;
    match (&numbers[..], sign, day_first) {
        (&[year, month, day], '-', _) if year > 31 => date(year, month, day),
        (&[day, month, year], '.', _) | (&[day, month, year], '/', Some(true)) => date(year, month, day),
        (&[month, day, year], '/', Some(false)) => date(year, month, day),
        _ => None,
    }
}

fn date(year: u16, month: u16, day: u16) -> Option<Date> {
    let month = Month::try_from(u8::try_from(month).ok()?).ok()?;
    // A year of two digits could be of any century.
    Date::from_calendar_date(i32::from(year), month, u8::try_from(day).ok()?).ok().filter(|_| year >= 1000)
}

#[cfg(test)]
mod tests {
    use super::super::{NameParts, to_table};
    use super::*;
    use time::macros::date;

    #[test]
    fn people_come_back_from_the_table_that_was_made_of_them() {
        let text = str::to_owned;
        let bram = Contact {
            name: text("Bram Okafor"),
            parts: NameParts { family: text("Okafor"), given: text("Bram"), ..NameParts::default() },
            company: text("Kites, \"and\" sails"),
            emails: vec![text("bram@saltmarsh.example"), text("b@kites.example")],
            phones: vec![(PhoneKind::SecondAtWork, text("04 1")), (PhoneKind::Mobile, text("0151 1"))],
            addresses: vec![(
                AddressKind::Home,
                PostalAddress { street: text("Dyke 3\nLoft"), code: text("26"), ..PostalAddress::default() },
            )],
            birthday: Some(date!(1979 - 03 - 07)),
            children: vec![text("Juno"), text("Odile")],
            note: text("first\nsecond"),
            ..Contact::default()
        };
        let people = [bram, Contact { name: text("Ines"), ..Contact::default() }];
        assert_eq!(from_table(to_table(&people).as_bytes()), Some(people.to_vec()));
    }

    #[test]
    fn tables_of_other_programs_are_read_and_tables_of_other_things_are_none() {
        let read = |table: &str| {
            from_table(table.as_bytes()).map(|people| people.into_iter().next().unwrap_or_default())
        };
        let mozilla = read("First Name,Last Name,Primary Email,Secondary Email,Work Phone,Home Address,Home Address 2,Home ZipCode,Birth Year,Birth Month,Birth Day\r\n\
            Otto,Vane,otto@windrose.example,o@kites.example,04 1,Dyke 3,Loft,26,1979,3,7\r\n").unwrap();
        assert_eq!((mozilla.emails.len(), mozilla.birthday), (2, Some(date!(1979 - 03 - 07))));
        assert_eq!(mozilla.addresses[0].1.street, "Dyke 3\nLoft");
        let web = read("Name,Given Name,E-mail 1 - Type,E-mail 1 - Value,Phone 1 - Type,Phone 1 - Value,Organization 1 - Name,Birthday\n\
            Otto Vane,Otto,* Work,otto@windrose.example ::: o@kites.example,Mobile,0151,Windrose,3/7/1979\n").unwrap();
        assert_eq!((web.emails.len(), &web.phones[..]), (2, &[(PhoneKind::Mobile, "0151".to_owned())][..]));
        // Nothing tells which number is the month.
        assert_eq!((web.birthday, web.note.as_str()), (None, "Birthday: 3/7/1979"));
        let german = "Vorname;Nachname;Stra\u{df}e gesch\u{e4}ftlich;Ort gesch\u{e4}ftlich;E-Mail-Adresse;Geburtstag\r\nB\u{e9}a;Vane;Deich 3;Salzmarsch;bea@windrose.example;7.3.1979\r\n";
        let latin: Vec<u8> = german.chars().map(|letter| letter as u8).collect();
        let bea = from_table(&latin).unwrap().remove(0);
        assert_eq!(
            (&*bea.parts.given, &*bea.addresses[0].1.street, bea.birthday),
            ("Béa", "Deich 3", Some(date!(1979 - 03 - 07)))
        );
        let english = "Name,E-mail Address,Birthday\nA,a@x.example,3/7/1979\nB,b@x.example,25/12/1980\n";
        assert_eq!(from_table(english.as_bytes()).unwrap()[0].birthday, Some(date!(1979 - 07 - 03)));
        for other in ["", "Date,Kites,Price\n1,2,3\n", "Name,Length\nRokkaku,3\n", "\u{0}\u{0}"] {
            assert_eq!(from_table(other.as_bytes()), None, "{other}");
        }
    }
}
