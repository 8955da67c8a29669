//! The accounts of Apple Mail, as far as they are in its own folder.

use super::mail_account::{MailAccount, MailServer};
use crate::item::Item;
use porter_formats::mail::apple_accounts::{Receiving, Server, accounts};
use porter_machine::{Machine, small_file};

/// The list, below the folder of a version: `V2/MailData/Accounts.plist`.
const LIST: &[u8] = b"MailData/Accounts.plist";

/// The accounts of an item. Those of several versions are told once.
pub(super) fn of_item(machine: &Machine, item: &Item) -> Vec<MailAccount> {
    let mut found = Vec::new();
    for folder in item.parts.iter().filter_map(|part| item.path_of(part, machine)) {
        let versions = machine.volume.list(&folder).into_iter().flatten().flatten();
        let versions =
            versions.filter(|row| row.name.starts_with(b"V")).filter_map(|row| folder.join(&row.name).ok());
        for version in versions {
            let file = LIST.split(|byte| *byte == b'/').try_fold(version, |at, step| at.join(step)).ok();
            let file = file.and_then(|at| small_file::read(&*machine.volume, &at));
            for account in file.and_then(|file| accounts(&file).ok()).into_iter().flatten().map(told) {
                if !found.contains(&account) {
                    found.push(account);
                }
            }
        }
    }
    found
}

fn told(account: Receiving) -> MailAccount {
    let server = |server: Server| MailServer {
        host: server.host,
        port: server.port,
        encryption: if server.is_encrypted { "tls" } else { "none" }.to_owned(),
        user: server.user,
    };
    let protocol = match account.kind.as_str() {
        "POPAccount" => "pop3",
        "ExchangeAccount" | "EWSAccount" => "exchange",
        _ => "imap",
    };
    let stays = match (protocol, account.stays) {
        ("pop3", Some(true)) => "yes",
        ("pop3", Some(false)) => "no",
        _ => "",
    };
    MailAccount {
        name: account.name,
        address: account.address,
        protocol: protocol.to_owned(),
        incoming: server(account.server),
        outgoing: server(account.sending),
        stays_on_server: stays.to_owned(),
    }
}
