//! Accounts of KMail: a file of sections for each that receives, one for all that send, and one for the
//! names that the person writes under.

use super::mail_account::{MailAccount, MailServer};
use crate::item::Item;
use porter_formats::ini::Ini;
use porter_machine::{Machine, small_file};
use std::collections::BTreeMap;

/// The accounts of an item: its parts are the files.
pub(super) fn of_item(machine: &Machine, item: &Item) -> Vec<MailAccount> {
    let mut files = BTreeMap::new();
    for at in item.parts.iter().filter_map(|part| item.path_of(part, machine)) {
        let name = at.name().map(|name| String::from_utf8_lossy(name).into_owned()).unwrap_or_default();
        if let Some(file) = small_file::read(&*machine.volume, &at) {
            files.insert(name, Ini::from_text(&String::from_utf8_lossy(&file)));
        }
    }
    accounts_in(&files)
}

fn accounts_in(files: &BTreeMap<String, Ini>) -> Vec<MailAccount> {
    let identities = files.get("emailidentities");
    let person = |name: &str| {
        let found = identities.and_then(|all| all.get("Identity #0", name));
        found.unwrap_or_default().to_owned()
    };
    let outgoing = files.get("mailtransports").map(sending).unwrap_or_default();
    let receiving = files.iter().filter_map(|(name, file)| {
        let protocol = if name.starts_with("akonadi_imap") {
            "imap"
        } else if name.starts_with("akonadi_pop3") {
            "pop3"
        } else if name.starts_with("akonadi_ews") {
            "exchange"
        } else {
            return None;
        };
        let value = |names: &[&str]| {
            let found = names.iter().find_map(|name| {
                file.sections().collect::<Vec<_>>().into_iter().find_map(|section| file.get(section, name))
            });
            found.unwrap_or_default().to_owned()
        };
        let encryption = match value(&["Safety"]).as_str() {
            "SSL" | "TLS" => "tls",
            "STARTTLS" => "starttls",
            _ if value(&["useSSL"]) == "true" => "tls",
            _ if value(&["useTLS"]) == "true" => "starttls",
            _ => "none",
        };
        let incoming = MailServer {
            host: value(&["ImapServer", "host", "BaseUrl"]),
            port: value(&["ImapPort", "port"]),
            encryption: encryption.to_owned(),
            user: value(&["UserName", "login", "Username"]),
        };
        let stays = if protocol == "pop3" && value(&["leaveOnServer"]) == "true" { "yes" } else { "" };
        Some(MailAccount {
            name: person("Name"),
            address: person("Email Address"),
            protocol: protocol.to_owned(),
            incoming,
            outgoing: outgoing.clone(),
            stays_on_server: stays.to_owned(),
        })
    });
    receiving.filter(|account| !account.incoming.host.is_empty()).collect()
}

/// The way to send that is the default, or the first.
fn sending(transports: &Ini) -> MailServer {
    let default = transports.get("General", "default-transport").map(|id| format!("Transport {id}"));
    let sections: Vec<&str> = transports.sections().filter(|name| name.starts_with("Transport ")).collect();
    let section = default.as_deref().filter(|name| sections.contains(name)).or(sections.first().copied());
    let value = |name: &str| section.and_then(|section| transports.get(section, name)).unwrap_or_default();
    MailServer {
        host: value("host").to_owned(),
        port: value("port").to_owned(),
        encryption: match value("encryption") {
            "SSL" => "tls",
            "TLS" => "starttls",
            _ => "none",
        }
        .to_owned(),
        user: value("user").to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_account_is_what_its_own_file_and_the_shared_ones_say() {
        let files = [
            (
                "akonadi_imap_resource_0rc",
                "[network]\nImapServer=imap.saltmarsh.example\nImapPort=993\nSafety=SSL\nUserName=odile\n",
            ),
            (
                "akonadi_pop3_resource_0rc",
                "[General]\nhost=pop.saltmarsh.example\nlogin=desk\nuseTLS=true\nleaveOnServer=true\n",
            ),
            ("akonadi_maildir_resource_0rc", "[General]\nPath=local-mail\n"),
            ("emailidentities", "[Identity #0]\nEmail Address=odile@saltmarsh.example\nName=Odile\n"),
            (
                "mailtransports",
                "[General]\ndefault-transport=7\n[Transport 3]\nhost=old\n[Transport 7]\nhost=smtp.saltmarsh.example\nencryption=TLS\n",
            ),
        ];
        let files = files.map(|(name, text)| (name.to_owned(), Ini::from_text(text)));
        let found = accounts_in(&files.into());
        let told: Vec<_> = found
            .iter()
            .map(|row| (&*row.protocol, &*row.incoming.encryption, &*row.stays_on_server))
            .collect();
        assert_eq!(told, [("imap", "tls", ""), ("pop3", "starttls", "yes")]);
        assert_eq!(
            (&*found[0].outgoing.host, &*found[1].address),
            ("smtp.saltmarsh.example", "odile@saltmarsh.example")
        );
        assert_eq!(accounts_in(&BTreeMap::new()), []);
    }
}
