//! Accounts of Claws Mail: sections of `accountrc`.

use super::mail_account::{MailAccount, MailServer};
use crate::item::Item;
use porter_formats::ini::Ini;
use porter_machine::{Machine, small_file};

const LIST: &[u8] = b"accountrc";

/// The accounts of an item: the list is in one of its parts.
pub(super) fn of_item(machine: &Machine, item: &Item) -> Vec<MailAccount> {
    let folders = item.parts.iter().filter_map(|part| item.path_of(part, machine));
    let files = folders.filter_map(|at| small_file::read(&*machine.volume, &at.join(LIST).ok()?));
    files.flat_map(|file| accounts_in(&Ini::from_text(&String::from_utf8_lossy(&file)))).collect()
}

fn accounts_in(list: &Ini) -> Vec<MailAccount> {
    let of_section = |section: &str| {
        let value = |name: &str| list.get(section, name).unwrap_or_default();
        let (protocol, short) = match value("protocol") {
            "0" => ("pop3", "pop"),
            "3" => ("imap", "imap"),
            // News, letters of this computer, and accounts that only send.
            _ => return None,
        };
        let server = |kind: &str, host: &str, user: &str| MailServer {
            host: value(host).to_owned(),
            port: if value(&format!("set_{kind}port")) == "1" { value(&format!("{kind}_port")) } else { "" }
                .to_owned(),
            encryption: match value(&format!("ssl_{kind}")) {
                "1" => "tls",
                "2" => "starttls",
                _ => "none",
            }
            .to_owned(),
            user: value(user).to_owned(),
        };
        let stays = match (protocol, value("remove_mail")) {
            ("pop3", "1") => "no",
            ("pop3", "0") => "yes",
            _ => "",
        };
        Some(MailAccount {
            name: value("name").to_owned(),
            address: value("address").to_owned(),
            protocol: protocol.to_owned(),
            incoming: server(short, "receive_server", "user_id"),
            outgoing: server("smtp", "smtp_server", "smtp_user_id"),
            stays_on_server: stays.to_owned(),
        })
    };
    list.sections().filter_map(of_section).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn accounts_that_receive_are_told() {
        let text = "[Account: 1]\nname=Odile\naddress=odile@saltmarsh.example\nprotocol=3\nreceive_server=imap.saltmarsh.example\nuser_id=odile\n\
                    ssl_imap=1\nset_imapport=1\nimap_port=993\nsmtp_server=smtp.saltmarsh.example\nssl_smtp=2\nsmtp_port=587\npassword=secret\n\
                    [Account: 2]\nprotocol=4\nnntp_server=news.windrose.example\n[Account: 3]\nprotocol=0\nreceive_server=pop.saltmarsh.example\nremove_mail=1\n";
        let found = accounts_in(&Ini::from_text(text));
        assert_eq!(found.len(), 2);
        assert_eq!(
            (&*found[0].incoming.port, &*found[0].incoming.encryption, &*found[0].outgoing.port),
            ("993", "tls", "")
        );
        assert_eq!((&*found[1].protocol, &*found[1].stays_on_server), ("pop3", "no"));
    }
}
