//! People and their addresses, in the files of mail programs that are read.

use crate::caution::Caution;
use crate::profiles::ProfileFolder;
use porter_formats::contacts::Contact;
use porter_formats::gecko::address_book;
use porter_formats::mail::autocomplete::{self, Address};
use porter_formats::{FormatError, mork};
use porter_names::RelativePath;
use porter_source::Volume;
use std::collections::HashSet;

/// The number of addresses that a program offers while somebody types.
pub const OFFERED: &str = "addresses offered";

/// True for a list of addresses that Outlook offers.
pub fn is_autocomplete(name: &str) -> bool {
    let name = name.to_lowercase();
    name.ends_with(".nk2") || (name.starts_with("stream_autocomplete") && name.ends_with(".dat"))
}

/// True for an address book of Mozilla's mail programs.
pub(super) fn is_address_book(name: &str) -> bool {
    is_named_as_book(name) && [".sqlite", ".mab"].iter().any(|ending| name.ends_with(ending))
}

fn is_named_as_book(name: &str) -> bool {
    name.starts_with("abook") || name.starts_with("history.")
}

/// True for a file that [`people_in`] reads, and for the log beside a database of its.
pub fn may_hold_people(name: &str) -> bool {
    is_autocomplete(name) || is_named_as_book(name)
}

/// A new version leaves the book of the old one beside its own.
pub(super) fn is_left_over(folder: &ProfileFolder<'_>, name: &str) -> bool {
    name.strip_suffix(".mab").is_some_and(|stem| folder.has(&format!("{stem}.sqlite")))
}

/// People of a folder.
#[derive(Debug, Default)]
pub struct People {
    /// In address books.
    pub contacts: Vec<Contact>,
    /// Addresses that a program offers, or has in a book of an old form.
    pub offered: Vec<Address>,
}

/// All people in the files of a folder. None if no file there is known to hold any.
pub fn people_in(folder: &ProfileFolder<'_>) -> Result<Option<People>, FormatError> {
    let mut names = folder.names_in("");
    names.sort();
    let mut all: Option<People> = None;
    let (mut seen, mut cards) = (HashSet::new(), HashSet::new());
    for name in names {
        let offered = if is_autocomplete(&name) {
            folder.read(&name).map_or(Ok(Vec::new()), |file| autocomplete::addresses(&file))?
        } else if !is_address_book(&name) || is_left_over(folder, &name) {
            continue;
        } else if name.ends_with(".mab") {
            folder.read(&name).map_or(Ok(Vec::new()), |file| mork::people(&file))?
        } else {
            let database = folder.database(&name)?;
            let people = database.map_or(Ok(Vec::new()), |database| address_book::contacts(&database))?;
            let all = all.get_or_insert_default();
            // Somebody is often in two books as the same.
            all.contacts.extend(people.into_iter().filter(|person| cards.insert(person.clone())));
            continue;
        };
        let all = all.get_or_insert_default();
        // One list is often there twice, from program to program.
        all.offered.extend(offered.into_iter().filter(|person| seen.insert(person.clone())));
    }
    Ok(all)
}

/// The addresses that Outlook offers by the lists in a folder, each list for itself; those that cannot be
/// understood are named.
pub(super) fn count_offered(volume: &dyn Volume, at: &RelativePath, cautions: &mut Vec<Caution>) -> u64 {
    let folder = ProfileFolder { volume, at: at.clone() };
    let mut number = 0;
    for name in folder.names_in("").into_iter().filter(|name| is_autocomplete(name)) {
        let Some(file) = folder.read(&name) else { continue };
        match autocomplete::addresses(&file) {
            Ok(addresses) => number += addresses.len() as u64,
            Err(cause) => cautions.push(Caution::ProfileDamaged { file: name, detail: cause.to_string() }),
        }
    }
    number
}
