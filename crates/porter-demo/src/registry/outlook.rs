//! A mail profile of Outlook in the demo's registries, most of whose texts are bytes; and an account of
//! Outlook Express.

use porter_hive::{KeyTree, ValueKind};

const PROFILE: &str =
    "Software\\Microsoft\\Windows NT\\CurrentVersion\\Windows Messaging Subsystem\\Profiles\\Outlook";

/// One account that letters are fetched for, and two data files: one is where it should be, and one is on a
/// server that is not there.
pub(super) fn write(root: &mut KeyTree, person: &str) {
    let profile = root.key(PROFILE);
    let bytes =
        |text: &str| -> Vec<u8> { text.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect() };
    let own = format!("C:\\Users\\{person}\\AppData\\Local\\Microsoft\\Outlook\\{person}.pst");
    for (section, path) in [
        ("1a2b3c4d5e6f708192a3b4c5d6e7f801", own.as_str()),
        ("1a2b3c4d5e6f708192a3b4c5d6e7f802", "\\\\TIDEHOUSE\\Mail\\Orders 2009.pst"),
    ] {
        profile.key(section).set("001f6700", ValueKind::Bytes, bytes(path));
    }
    let accounts = profile.key("9375CFF0413111d3B88A00104B2A6676");
    accounts.key("00000001").set("Account Name", ValueKind::Bytes, bytes("Outlook Address Book"));
    let account = accounts.key("00000002");
    for (name, text) in [
        ("Account Name", "Front desk"),
        ("Display Name", "Tamsin Okafor"),
        ("Email", "desk@saltmarsh.example"),
        ("POP3 Server", "mail.saltmarsh.example"),
        ("POP3 User", "desk"),
        ("SMTP Server", "smtp.saltmarsh.example"),
    ] {
        account.set(name, ValueKind::Bytes, bytes(text));
    }
    account.set_number("POP3 Port", 995).set_number("POP3 Use SSL", 1).set_number("SMTP Port", 587);
    account.set_number("SMTP Secure Connection", 2).set_number("Leave on Server", 0x0005_0001);
}

/// One account of Outlook Express, whose letters stay on their server.
pub(super) fn write_express(root: &mut KeyTree, person: &str) {
    let account = root.key("Software\\Microsoft\\Internet Account Manager\\Accounts\\00000001");
    for (name, text) in [
        ("Account Name", "Festivals"),
        ("POP3 Server", "mail.festivals.example"),
        ("POP3 User Name", person),
        ("SMTP Server", "smtp.festivals.example"),
        ("SMTP Display Name", "Bram"),
        ("SMTP Email Address", "bram@festivals.example"),
    ] {
        account.set_text(name, text);
    }
    account.set_number("POP3 Port", 110).set_number("SMTP Port", 25).set_number("Leave Mail On Server", 1);
}
