//! The people on a machine.

use super::{FoundPlace, Place, Setting};
use porter_names::{RelativePath, fold, screen::on_screen};
use std::collections::BTreeMap;
use time::OffsetDateTime;

/// A person's account.
#[derive(Debug, Clone)]
pub struct Account {
    /// Short, stable, fit for a command line: `odile`.
    pub id: String,
    /// As the machine has it.
    pub name: Vec<u8>,
    /// The person's name, if the system knows it.
    pub full_name: Option<String>,
    /// The system's own identifier of the account: a SID, a user number.
    pub identifier: Option<String>,
    /// Whether it may change the system, if that is known.
    pub is_administrator: Option<bool>,
    /// Whether nobody can sign in with it, if that is known.
    pub is_disabled: Option<bool>,
    /// The system's other notes about it.
    pub record: AccountRecord,
    /// The profile folder.
    pub home: RelativePath,
    /// When the account's registry was last written, which happens at the end of each session.
    pub last_used_utc: Option<OffsetDateTime>,
    /// False if the profile folder of a Windows has no registry: nobody ever signed in, or somebody copied it
    /// by hand.
    pub has_registry: bool,
    /// False if the system has people, and the folder belongs to none of them.
    pub has_owner: bool,
    /// The person's settings and printers.
    pub settings: Vec<Setting>,
    /// Where this person's things are.
    pub places: BTreeMap<Place, FoundPlace>,
}

/// A system's notes about an account, beside its name and its rights.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct AccountRecord {
    /// In an administrator's words.
    pub comment: Option<String>,
    /// Whether its password may stay for ever.
    pub password_never_expires: Option<bool>,
    /// Who vouches for the person.
    pub origin: Option<Origin>,
    /// The server's folder that its profile is kept in step with.
    pub roaming_profile: Option<String>,
}

/// Who vouches for the person that signs in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Origin {
    /// The machine alone.
    Local,
    /// Microsoft, for a person of that mail address.
    Microsoft {
        /// The address.
        address: String,
    },
    /// A domain.
    Domain {
        /// Its name, if the machine says it.
        name: Option<String>,
    },
    /// Microsoft, for a firm or a school.
    WorkOrSchool,
}

impl Origin {
    /// Its name among the facts of an account.
    pub fn name(&self) -> &'static str {
        match self {
            Self::Local => "this-machine",
            Self::Microsoft { .. } => "microsoft",
            Self::Domain { .. } => "domain",
            Self::WorkOrSchool => "work-or-school",
        }
    }
}

impl Account {
    /// The name, harmless to show.
    pub fn shown_name(&self) -> String {
        on_screen(&self.name)
    }
}

/// A short id made of a name: Latin letters without accents and digits, in lower case, anything else a
/// hyphen.
///
/// Ids are typed, and name folders in trunks, also on sticks that take nothing but ASCII.
pub fn id_from_name(name: &[u8]) -> String {
    let text = String::from_utf8_lossy(name);
    let mut id = String::new();
    for c in fold::without_accents(&text).chars().flat_map(char::to_lowercase) {
        if c.is_ascii_alphanumeric() {
            id.push(c);
        } else if !id.ends_with('-') && !id.is_empty() {
            id.push('-');
        }
    }
    // Long names would make item ids that nobody can type.
    let id: String = id.chars().take(48).collect();
    let id = id.trim_matches('-');
    if id.is_empty() { "unnamed".to_owned() } else { id.to_owned() }
}

/// `id`, or `id-2`, `id-3`… if others have it already.
pub fn unused_id(id: &str, is_taken: impl Fn(&str) -> bool) -> String {
    if !is_taken(id) {
        return id.to_owned();
    }
    let mut number = 2_u64;
    loop {
        let numbered = format!("{id}-{number}");
        if !is_taken(&numbered) {
            return numbered;
        }
        number += 1;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ids_can_be_typed_and_are_told_apart() {
        assert_eq!(id_from_name(b"Odile Marchetti"), "odile-marchetti");
        assert_eq!(id_from_name("Zoë Çelik".as_bytes()), "zoe-celik");
        assert_eq!(id_from_name("Зоя".as_bytes()), "unnamed");
        assert_eq!(id_from_name(b" $$ "), "unnamed");
        assert_eq!(id_from_name(b"tamsin.LOFT-PC"), "tamsin-loft-pc");
        assert_eq!(unused_id("odile", |id| id == "odile" || id == "odile-2"), "odile-3");
    }
}
