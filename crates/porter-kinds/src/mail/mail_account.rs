//! An account of a mail program, with all that a person types into another program to have it there: all but
//! the password.

use porter_names::Facts;

/// See the module. A text is empty if it is not known.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct MailAccount {
    /// The person's name, as letters bear it.
    pub name: String,
    /// The address.
    pub address: String,
    /// The protocol by which letters come: `imap`, `pop3`.
    pub protocol: String,
    /// Where letters come from.
    pub incoming: MailServer,
    /// Where letters are sent by.
    pub outgoing: MailServer,
    /// Whether letters stay on the server: `yes`, `no`.
    pub stays_on_server: String,
}

/// A server of an account.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct MailServer {
    /// Its name.
    pub host: String,
    /// The port; empty for the usual one.
    pub port: String,
    /// `tls` from the beginning, `starttls`, or `none`.
    pub encryption: String,
    /// The name that the person is known by there.
    pub user: String,
}

/// How the facts of accounts are called, before their number.
const PREFIX: &str = "account-";

impl MailAccount {
    fn fields(&mut self) -> [(&'static str, &mut String); 12] {
        let Self { name, address, protocol, incoming, outgoing, stays_on_server } = self;
        [
            ("name", name),
            ("address", address),
            ("protocol", protocol),
            ("incoming-host", &mut incoming.host),
            ("incoming-port", &mut incoming.port),
            ("incoming-encryption", &mut incoming.encryption),
            ("incoming-user", &mut incoming.user),
            ("outgoing-host", &mut outgoing.host),
            ("outgoing-port", &mut outgoing.port),
            ("outgoing-encryption", &mut outgoing.encryption),
            ("outgoing-user", &mut outgoing.user),
            ("stays-on-server", stays_on_server),
        ]
    }

    /// Writes accounts among the facts of an item: `account-1-address`.
    pub fn tell_all(accounts: &[Self], facts: &mut Facts) {
        for (number, account) in accounts.iter().enumerate() {
            for (name, value) in account.clone().fields() {
                if !value.is_empty() {
                    facts.insert(format!("{PREFIX}{}-{name}", number + 1), std::mem::take(value));
                }
            }
        }
    }

    /// Those that the facts of an item tell of.
    pub fn all_in(facts: &Facts) -> Vec<Self> {
        let mut accounts = Vec::new();
        // A trunk may name any number.
        for number in 1..=facts.len() {
            let mut account = Self::default();
            for (name, field) in account.fields() {
                if let Some(value) = facts.get(&format!("{PREFIX}{number}-{name}")) {
                    field.clone_from(value);
                }
            }
            if account == Self::default() {
                break;
            }
            accounts.push(account);
        }
        accounts
    }
}
