//! Accounts of Outlook Express, Windows Mail and Windows Live Mail. They have one set of values: the first
//! keeps it in the person's registry, the others in files.

use super::mail_account::{MailAccount, MailServer};
use crate::item::Item;
use crate::registry_part::source::{self, WithKey};
use porter_formats::mail::oe_account;
use porter_machine::registry::RegistryKey;
use porter_machine::{Machine, small_file};
use porter_names::RelativePath;
use porter_source::{EntryKind, Volume};

/// Accounts of everybody who uses the Windows account, and those of one identity.
const ACCOUNTS: &str = r"Software\Microsoft\Internet Account Manager\Accounts";
const IDENTITIES: &str = "Identities";
/// No file of an account lies deeper below the program's folder.
const DEEPEST: usize = 3;

/// Reads the accounts of Outlook Express.
pub(super) struct Reading;

impl WithKey for Reading {
    type Gives = Vec<MailAccount>;

    fn with(self, root: &impl RegistryKey) -> Vec<MailAccount> {
        let identities = root.subkey(IDENTITIES).map(|key| key.below()).unwrap_or_default();
        let of_identities = identities.iter().filter_map(|(_, identity)| identity.subkey(ACCOUNTS));
        let mut accounts = Vec::new();
        for all in root.subkey(ACCOUNTS).into_iter().chain(of_identities) {
            for (_, key) in all.below() {
                let value =
                    |name: &str| key.text(name).or_else(|| key.number(name).map(|number| number.to_string()));
                accounts.extend(account_of(&value).filter(|account| !accounts.contains(account)));
            }
        }
        accounts
    }
}

/// The accounts of Outlook Express, which are in its owner's registry.
pub(super) fn of_registry(machine: &Machine, item: &Item) -> Vec<MailAccount> {
    let owner = item.owner.as_ref().and_then(|id| machine.account(id));
    let registry = owner.and_then(|owner| source::open(machine, owner).ok());
    registry.and_then(|registry| registry.read(Reading)).unwrap_or_default()
}

/// The accounts of a program that keeps each in a file of its own.
pub(super) fn of_files(machine: &Machine, item: &Item) -> Vec<MailAccount> {
    let parts = item.parts.iter().filter_map(|part| item.path_of(part, machine));
    parts.flat_map(|at| in_files(&*machine.volume, &at, 0)).collect()
}

fn in_files(volume: &dyn Volume, folder: &RelativePath, depth: usize) -> Vec<MailAccount> {
    let mut accounts = Vec::new();
    for row in volume.list(folder).into_iter().flatten().flatten() {
        let Ok(at) = folder.join(&row.name) else { continue };
        if row.metadata.kind == EntryKind::Folder && depth < DEEPEST {
            accounts.extend(in_files(volume, &at, depth + 1));
        } else if row.name.to_ascii_lowercase().ends_with(b".oeaccount") {
            let values = small_file::read(volume, &at).and_then(|file| oe_account::values(&file).ok());
            accounts.extend(values.and_then(|values| account_of(&|name| values.get(name).cloned())));
        }
    }
    accounts
}

/// None for a news server or an address book.
fn account_of(value: &dyn Fn(&str) -> Option<String>) -> Option<MailAccount> {
    let text = |name: &str| value(name).unwrap_or_default();
    let server = |kind: &str| MailServer {
        host: text(&format!("{kind} Server")),
        port: text(&format!("{kind} Port")),
        encryption: match text(&format!("{kind} Secure Connection")).as_str() {
            "1" => "tls",
            "2" | "3" => "starttls",
            _ => "none",
        }
        .to_owned(),
        user: text(&format!("{kind} User Name")),
    };
    let protocol = if text("IMAP Server").is_empty() { "pop3" } else { "imap" };
    let incoming = server(if protocol == "imap" { "IMAP" } else { "POP3" });
    if incoming.host.is_empty() {
        return None;
    }
    let stays = match (protocol, text("Leave Mail On Server").as_str()) {
        ("pop3", "" | "0") => "no",
        ("pop3", _) => "yes",
        _ => "",
    };
    Some(MailAccount {
        name: text("SMTP Display Name"),
        address: text("SMTP Email Address"),
        protocol: protocol.to_owned(),
        incoming,
        outgoing: server("SMTP"),
        stays_on_server: stays.to_owned(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use porter_hive::write::{Heading, Version, to_bytes};
    use porter_hive::{Hive, KeyTree};

    #[test]
    fn accounts_of_every_identity_are_told_and_no_other_service_is() {
        let mut root = KeyTree::new("ROOT");
        let own = root.key(&format!("{ACCOUNTS}\\00000001"));
        own.set_text("POP3 Server", "pop.saltmarsh.example").set_text("POP3 User Name", "bram");
        own.set_text("SMTP Email Address", "bram@saltmarsh.example").set_number("Leave Mail On Server", 1);
        root.key(&format!("{ACCOUNTS}\\00000002")).set_text("LDAP Server", "ldap.windrose.example");
        let second = root.key(&format!("{IDENTITIES}\\{{5A1713A7}}\\{ACCOUNTS}\\00000001"));
        second.set_text("IMAP Server", "imap.saltmarsh.example").set_number("IMAP Secure Connection", 1);
        let heading =
            Heading { version: Version::V1_3, last_written: 0, sequence: 1, file_name: String::new() };
        let hive = Hive::from_bytes(to_bytes(&root, &heading).unwrap()).unwrap();
        let accounts = Reading.with(&hive.root().unwrap());
        let told: Vec<_> = accounts
            .iter()
            .map(|row| {
                (&*row.protocol, &*row.incoming.host, &*row.incoming.encryption, &*row.stays_on_server)
            })
            .collect();
        let expected =
            [("pop3", "pop.saltmarsh.example", "none", "yes"), ("imap", "imap.saltmarsh.example", "tls", "")];
        assert_eq!(told, expected);
    }
}
