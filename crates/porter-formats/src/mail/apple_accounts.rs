//! The accounts of Apple Mail up to OS X 10.9: `MailData/Accounts.plist`, with a list of those that receive
//! and one of those that send. Passwords are in the keychain, and not in it.

use crate::{FormatError, property_list};
use plist::{Dictionary, Value};

/// An account that receives letters. A text is empty if it is not known.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Receiving {
    /// The person's name.
    pub name: String,
    /// The first of its addresses.
    pub address: String,
    /// `IMAPAccount`, `POPAccount` and the like.
    pub kind: String,
    /// Where from.
    pub server: Server,
    /// Where its letters are sent by.
    pub sending: Server,
    /// Days after which letters are taken from the server; none if they stay.
    pub stays: Option<bool>,
}

/// A server. A text is empty if it is not known.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Server {
    /// Its name.
    pub host: String,
    /// The port.
    pub port: String,
    /// The name that the person is known by there.
    pub user: String,
    /// True if it is encrypted.
    pub is_encrypted: bool,
}

/// The accounts of a list. One of this computer alone is passed by.
pub fn accounts(file: &[u8]) -> Result<Vec<Receiving>, FormatError> {
    let list = property_list::from_bytes(file)?;
    let all = |name: &str| {
        let rows = list.as_dictionary().and_then(|list| list.get(name)?.as_array()).into_iter().flatten();
        rows.filter_map(Value::as_dictionary).collect::<Vec<_>>()
    };
    let sending = all("DeliveryAccounts");
    let receiving = all("MailAccounts").into_iter().filter_map(|row| {
        let address = row.get("EmailAddresses").and_then(Value::as_array).and_then(|rows| rows.first());
        let address = address.and_then(Value::as_string).unwrap_or_default().to_owned();
        let by = text(row, "SMTPIdentifier");
        let by = sending.iter().find(|row| !by.is_empty() && is_called(row, &by));
        let account = Receiving {
            name: text(row, "FullUserName"),
            address,
            kind: text(row, "AccountType"),
            server: server(row),
            sending: by.map(|row| server(row)).unwrap_or_default(),
            stays: row.get("DeleteMessagesOnServer").and_then(Value::as_boolean).map(|deletes| !deletes),
        };
        (!account.server.host.is_empty()).then_some(account)
    });
    Ok(receiving.collect())
}

/// An account that sends is named by its identifier, or by its server and its user.
fn is_called(row: &Dictionary, name: &str) -> bool {
    let (host, user) = (text(row, "Hostname"), text(row, "Username"));
    text(row, "AccountIdentifier") == name || host == name || format!("{host}:{user}") == name
}

fn server(row: &Dictionary) -> Server {
    Server {
        host: text(row, "Hostname"),
        port: text(row, "PortNumber"),
        user: text(row, "Username"),
        is_encrypted: text(row, "SSLEnabled") == "YES"
            || row.get("SSLEnabled") == Some(&Value::Boolean(true)),
    }
}

/// A text, or a number as one.
fn text(row: &Dictionary, name: &str) -> String {
    match row.get(name) {
        Some(Value::String(text)) => text.clone(),
        Some(Value::Integer(number)) => number.to_string(),
        _ => String::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_receives_is_joined_with_what_sends() {
        let file = br#"<plist version="1.0"><dict><key>MailAccounts</key><array>
            <dict><key>AccountType</key><string>LocalAccount</string></dict>
            <dict><key>AccountType</key><string>IMAPAccount</string><key>EmailAddresses</key><array><string>juno@saltmarsh.example</string></array>
            <key>FullUserName</key><string>Juno</string><key>Hostname</key><string>imap.saltmarsh.example</string><key>PortNumber</key><integer>993</integer>
            <key>SSLEnabled</key><string>YES</string><key>Username</key><string>juno</string><key>SMTPIdentifier</key><string>smtp.saltmarsh.example:juno</string></dict>
            <string>junk</string></array><key>DeliveryAccounts</key><array>
            <dict><key>Hostname</key><string>smtp.saltmarsh.example</string><key>Username</key><string>juno</string><key>PortNumber</key><string>587</string></dict>
            </array></dict></plist>"#;
        let found = accounts(file).unwrap();
        assert_eq!(found.len(), 1);
        assert_eq!((&*found[0].server.port, found[0].server.is_encrypted), ("993", true));
        assert_eq!((&*found[0].sending.host, &*found[0].sending.port), ("smtp.saltmarsh.example", "587"));
        assert_eq!(accounts(b"<plist><array/></plist>").unwrap(), []);
        assert!(accounts(b"bplist00 torn").is_err());
    }
}
