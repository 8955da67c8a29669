//! Outlook's mail profiles in a person's registry: the accounts, and the data files that they open. Nothing
//! is ever written there: entries refer to each other by numbers that only Outlook gives.
//!
//! The keys and values are not published; they were learned by looking. A value whose type is not the usual
//! one is read as far as it can be: texts are texts, or bytes of UTF-16 or of a code page.

use super::mail_account::{MailAccount, MailServer};
use crate::registry_part::source::WithKey;
use porter_formats::encoding;
use porter_machine::registry::RegistryKey;
use std::collections::{BTreeMap, BTreeSet};

/// The keys of profiles, the newest programs first, with those of the usual profile and of the files that a
/// search knows.
const ROOTS: [&str; 6] = [
    r"Software\Microsoft\Office\16.0\Outlook\Profiles",
    r"Software\Microsoft\Office\15.0\Outlook\Profiles",
    r"Software\Microsoft\Windows NT\CurrentVersion\Windows Messaging Subsystem\Profiles",
    r"Software\Microsoft\Windows Messaging Subsystem\Profiles",
    r"Software\Microsoft\Office\14.0\Outlook\Profiles",
    r"Software\Microsoft\Office\12.0\Outlook\Profiles",
];
const CATALOGUES: [&str; 4] = [
    r"Software\Microsoft\Office\16.0\Outlook\Search\Catalog",
    r"Software\Microsoft\Office\15.0\Outlook\Search\Catalog",
    r"Software\Microsoft\Office\14.0\Outlook\Search\Catalog",
    r"Software\Microsoft\Office\12.0\Outlook\Search\Catalog",
];
/// The section of a profile that holds the accounts, each in a key of its own.
const ACCOUNTS: &str = "9375CFF0413111d3B88A00104B2A6676";
/// Values with the path of a data file: property 0x6700 or 0x6610, as text of UTF-16 or of a code page, its
/// number's bytes in reverse.
const PATHS: [&str; 4] = ["001f6700", "001e6700", "001f6610", "001e6610"];
/// No profile has more sections, or more accounts.
const MOST_KEYS: usize = 4096;

/// The accounts and files of all profiles.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct OutlookProfiles {
    pub(super) accounts: Vec<MailAccount>,
    /// Their paths, as they are written, with the names of the profiles that open them.
    pub(super) data_files: BTreeMap<String, BTreeSet<String>>,
}

/// Reads them.
pub(super) struct Reading;

impl WithKey for Reading {
    type Gives = OutlookProfiles;

    fn with(self, root: &impl RegistryKey) -> OutlookProfiles {
        let mut found = OutlookProfiles::default();
        for profiles in ROOTS.iter().filter_map(|path| root.subkey(path)) {
            for (profile_name, profile) in profiles.below() {
                for (name, section) in profile.below().into_iter().take(MOST_KEYS) {
                    let paths = PATHS.iter().filter_map(|value| text_of(&section, value));
                    for path in paths.filter(|path| is_path(path)) {
                        found.data_files.entry(path).or_default().insert(profile_name.clone());
                    }
                    if name.eq_ignore_ascii_case(ACCOUNTS) {
                        let accounts = section.below().into_iter().take(MOST_KEYS);
                        let accounts = accounts.filter_map(|(_, account)| account_in(&account));
                        for account in accounts {
                            if !found.accounts.contains(&account) {
                                found.accounts.push(account);
                            }
                        }
                    }
                }
            }
        }
        for catalogue in CATALOGUES.iter().filter_map(|path| root.subkey(path)) {
            for path in catalogue.value_names().into_iter().filter(|path| is_path(path)) {
                found.data_files.entry(path).or_default();
            }
        }
        found
    }
}

fn is_path(text: &str) -> bool {
    super::data_file::is_named_so(text.as_bytes()) && (text.contains(":\\") || text.starts_with("\\\\"))
}

/// None for an address book and the like.
fn account_in(key: &impl RegistryKey) -> Option<MailAccount> {
    let text = |name: &str| text_of(key, name).unwrap_or_default();
    let number = |name: &str| key.number(name);
    let server = |kind: &str| MailServer {
        host: text(&format!("{kind} Server")),
        port: number(&format!("{kind} Port")).map(|port| port.to_string()).unwrap_or_default(),
        encryption:
            match (number(&format!("{kind} Secure Connection")), number(&format!("{kind} Use SSL"))) {
                (Some(2), _) => "starttls",
                (Some(1), _) | (_, Some(1)) => "tls",
                _ => "none",
            }
            .to_owned(),
        user: text(&format!("{kind} User")),
    };
    let address = text("Email");
    let (protocol, incoming) = match (text("IMAP Server").is_empty(), text("POP3 Server").is_empty()) {
        (false, _) => ("imap", server("IMAP")),
        (true, false) => ("pop3", server("POP3")),
        // Exchange and its like find their servers by the address.
        (true, true) => ("exchange", MailServer::default()),
    };
    let address = if address.is_empty() { text("Account Name") } else { address };
    if !address.contains('@') {
        return None;
    }
    let outgoing = if protocol == "exchange" { MailServer::default() } else { server("SMTP") };
    let stays = match (protocol, number("Leave on Server")) {
        ("pop3", Some(0)) | ("pop3", None) => "no",
        ("pop3", Some(_)) => "yes",
        _ => "",
    };
    Some(MailAccount {
        name: text("Display Name"),
        address,
        protocol: protocol.to_owned(),
        incoming,
        outgoing,
        stays_on_server: stays.to_owned(),
    })
}

/// A text, or bytes that are one.
fn text_of(key: &impl RegistryKey, name: &str) -> Option<String> {
    let text = key.text(name).or_else(|| {
        let bytes = key.bytes(name)?;
        if name.starts_with("001e") {
            return Some(encoding::western(&bytes));
        }
        let units: Vec<u16> =
            bytes.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
        String::from_utf16(&units).ok()
    })?;
    let text = text.split('\0').next().unwrap_or_default().trim().to_owned();
    (!text.is_empty()).then_some(text)
}

#[cfg(test)]
mod tests {
    use super::*;
    use porter_hive::write::{Heading, Version, to_bytes};
    use porter_hive::{Hive, KeyTree, ValueKind};

    fn utf16(text: &str) -> Vec<u8> {
        text.encode_utf16().chain([0, 7]).flat_map(u16::to_le_bytes).collect()
    }

    #[test]
    fn accounts_and_files_are_read_in_every_form_and_junk_is_passed_by() {
        let mut root = KeyTree::new("ROOT");
        let old = root.key(&format!("{}\\Outlook", ROOTS[2]));
        old.key("0a01").set("001e6700", ValueKind::Bytes, b"C:\\Mail\\Caf\xe9.pst\0".to_vec());
        old.key("0a02").set("001f6700", ValueKind::Bytes, vec![0xff; 7]).set_number("001f6610", 7);
        old.key("0a03").set_text("001f6700", "not a path.pst");
        let new = root.key(&format!("{}\\Work", ROOTS[0]));
        new.key("0b01").set_text("001f6610", "D:\\Outlook\\odile@saltmarsh.example.ost");
        let accounts = new.key(&ACCOUNTS.to_lowercase());
        accounts.key("00000001").set("Account Name", ValueKind::Bytes, utf16("odile@saltmarsh.example"));
        let imap = accounts.key("00000002");
        imap.set("Email", ValueKind::Bytes, utf16("desk@saltmarsh.example"));
        imap.set_text("IMAP Server", "imap.saltmarsh.example").set_number("IMAP Secure Connection", 1);
        imap.set("SMTP Server", ValueKind::Bytes, vec![0x00, 0xd8]);
        accounts.key("00000003").set_text("Account Name", "Outlook Address Book");
        root.key(CATALOGUES[1]).set_number("\\\\TIDEHOUSE\\Mail\\2009.pst", 1);

        let heading =
            Heading { version: Version::V1_5, last_written: 0, sequence: 1, file_name: String::new() };
        let hive = Hive::from_bytes(to_bytes(&root, &heading).unwrap()).unwrap();
        let found = Reading.with(&hive.root().unwrap());
        let files: Vec<&str> = found.data_files.keys().map(String::as_str).collect();
        let expected = [
            "C:\\Mail\\Caf\u{e9}.pst",
            "D:\\Outlook\\odile@saltmarsh.example.ost",
            "\\\\TIDEHOUSE\\Mail\\2009.pst",
        ];
        assert_eq!(files, expected);
        assert_eq!(found.data_files[expected[1]], BTreeSet::from(["Work".to_owned()]));
        assert!(found.data_files[expected[2]].is_empty(), "only the search knows it");
        let told: Vec<_> = found.accounts.iter().map(|row| (&*row.protocol, &*row.address)).collect();
        assert_eq!(told, [("exchange", "odile@saltmarsh.example"), ("imap", "desk@saltmarsh.example")]);
        assert_eq!(found.accounts[1].incoming.encryption, "tls");
        assert_eq!(found.accounts[1].outgoing.host, "");
    }
}
