//! Accounts of Evolution: files of sections, one for receiving, one for sending and one for the person, which
//! name each other.

use super::mail_account::{MailAccount, MailServer};
use crate::item::Item;
use porter_formats::ini::Ini;
use porter_machine::{Machine, small_file};
use porter_names::RelativePath;
use porter_source::Volume;
use std::collections::BTreeMap;

/// The folder of the files below that of the program's settings.
const FOLDER: &str = "sources";
const ENDING: &str = ".source";

/// The accounts of an item.
pub(super) fn of_item(machine: &Machine, item: &Item) -> Vec<MailAccount> {
    let parts = item.parts.iter().filter_map(|part| item.path_of(part, machine));
    let folders = parts.filter_map(|at| at.join(FOLDER.as_bytes()).ok());
    folders.flat_map(|at| accounts(&*machine.volume, &at)).collect()
}

/// The accounts in a folder of such files.
fn accounts(volume: &dyn Volume, folder: &RelativePath) -> Vec<MailAccount> {
    let mut sources = BTreeMap::new();
    for row in volume.list(folder).into_iter().flatten().flatten() {
        let name = String::from_utf8_lossy(&row.name).into_owned();
        if let (Some(id), Ok(at)) = (name.strip_suffix(ENDING), folder.join(&row.name))
            && let Some(file) = small_file::read(volume, &at)
        {
            sources.insert(id.to_owned(), Ini::from_text(&String::from_utf8_lossy(&file)));
        }
    }
    sources.values().filter_map(|source| account_of(source, &sources)).collect()
}

/// None for a calendar, a folder of this computer, and the like.
fn account_of(receiving: &Ini, all: &BTreeMap<String, Ini>) -> Option<MailAccount> {
    let backend = receiving.get("Mail Account", "BackendName")?;
    let protocol = match backend {
        "imapx" | "imap" => "imap",
        "pop" => "pop3",
        "ews" | "mapi" => "exchange",
        _ => return None,
    };
    let named = |source: &Ini, section: &str, name: &str| all.get(source.get(section, name)?).cloned();
    let person = named(receiving, "Mail Account", "IdentityUid").unwrap_or_default();
    let sending = named(&person, "Mail Submission", "TransportUid").unwrap_or_default();
    let text =
        |source: &Ini, section: &str, name: &str| source.get(section, name).unwrap_or_default().to_owned();
    let server = |source: &Ini| MailServer {
        host: text(source, "Authentication", "Host"),
        port: text(source, "Authentication", "Port"),
        encryption: match source.get("Security", "Method") {
            Some("ssl-on-alternate-port") => "tls",
            Some("starttls-on-standard-port") => "starttls",
            _ => "none",
        }
        .to_owned(),
        user: text(source, "Authentication", "User"),
    };
    Some(MailAccount {
        name: text(&person, "Mail Identity", "Name"),
        address: text(&person, "Mail Identity", "Address"),
        protocol: protocol.to_owned(),
        incoming: server(receiving),
        outgoing: server(&sending),
        stays_on_server: String::new(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use porter_source::HostFolder;

    #[test]
    fn an_account_is_what_three_files_say_together() {
        let folder = tempfile::tempdir().unwrap();
        for (name, text) in [
            (
                "a",
                "[Mail Account]\nBackendName=imapx\nIdentityUid=p\n[Authentication]\nHost=imap.saltmarsh.example\nPort=993\nUser=odile\n[Security]\nMethod=ssl-on-alternate-port\n",
            ),
            (
                "p",
                "[Mail Identity]\nName=Odile\nAddress=odile@saltmarsh.example\n[Mail Submission]\nTransportUid=s\n",
            ),
            (
                "s",
                "[Authentication]\nHost=smtp.saltmarsh.example\nPort=587\n[Security]\nMethod=starttls-on-standard-port\n",
            ),
            ("lost", "[Mail Account]\nBackendName=pop\nIdentityUid=gone\n"),
            ("local", "[Mail Account]\nBackendName=maildir\n"),
        ] {
            std::fs::write(folder.path().join(format!("{name}.source")), text).unwrap();
        }
        let volume = HostFolder::open(folder.path()).unwrap();
        let found = accounts(&volume, &RelativePath::root());
        assert_eq!(found.len(), 2, "{found:?}");
        assert_eq!((&*found[0].address, &*found[0].incoming.encryption), ("odile@saltmarsh.example", "tls"));
        assert_eq!((&*found[0].outgoing.port, &*found[0].outgoing.encryption), ("587", "starttls"));
        assert_eq!((&*found[1].protocol, &*found[1].address), ("pop3", ""));
    }
}
