//! `SAILROOM`: the drive of the Mac in the room where sails are cut.

use crate::tree::Tree;
use crate::{DemoSize, picture, writing};
use plist::{Dictionary, Value};
use std::io;
use std::path::Path;
use time::OffsetDateTime;
use time::macros::datetime;

const LAST: OffsetDateTime = datetime!(2024-02-11 15:30 UTC);
const DIRECTORY: &str = "private/var/db/dslocal/nodes/Default";

/// Builds the drive in `root`, which must not be there yet.
pub fn build_sailroom(root: &Path, size: DemoSize) -> io::Result<()> {
    let mut tree = Tree::begin(root, LAST)?;
    system(&mut tree)?;
    for (name, full_name, number) in [("tamsin", "Tamsin Okafor", "501"), ("bram", "Bram Lindqvist", "502")] {
        let record = record(name, full_name, number, &format!("/Users/{name}"));
        tree.file(&format!("{DIRECTORY}/users/{name}.plist"), &binary(record)?)?;
    }
    let daemon = record("_spotlight", "Spotlight", "89", "/var/empty");
    tree.file(&format!("{DIRECTORY}/users/_spotlight.plist"), &binary(daemon)?)?;
    let admins =
        dictionary([("name", list("admin")), ("users", Value::Array(vec!["root".into(), "tamsin".into()]))]);
    tree.file(&format!("{DIRECTORY}/groups/admin.plist"), &binary(admins)?)?;
    tamsin(&mut tree, size)?;
    tree.file("Users/bram/Documents/Sail loft keys.txt", &writing::text("keys", 5))?;
    tree.folder("Users/bram/Library/Preferences")?;
    tree.file("Users/Shared/Cutting table.txt", &writing::text("cutting table", 8))?;
    tree.file("Users/.localized", b"")?;
    tree.finish()
}

fn system(tree: &mut Tree) -> io::Result<()> {
    let version = dictionary([
        ("ProductName", "Mac OS X".into()),
        ("ProductVersion", "10.11.6".into()),
        ("ProductBuildVersion", "15G31".into()),
    ]);
    tree.file("System/Library/CoreServices/SystemVersion.plist", &xml(version)?)?;
    let name = dictionary([("ComputerName", "SAILROOM".into())]);
    let names = dictionary([("System", dictionary([("System", name)]))]);
    tree.file("Library/Preferences/SystemConfiguration/preferences.plist", &xml(names)?)?;
    let networks = dictionary([("wifi.network.ssid.Saltmarsh Loft", Value::Dictionary(Dictionary::new()))]);
    tree.file("Library/Preferences/com.apple.wifi.known-networks.plist", &binary(networks)?)?;
    for (path, name, version, maker) in [
        ("Applications/Sail Nester.app", "Sail Nester", "3.4", "example.ropewalk.sailnester"),
        ("Applications/Utilities/Colour Book.app", "Colour Book", "1.0", "example.tidepool.colourbook"),
    ] {
        let info = dictionary([
            ("CFBundleName", name.into()),
            ("CFBundleShortVersionString", version.into()),
            ("CFBundleIdentifier", maker.into()),
        ]);
        tree.file(&format!("{path}/Contents/Info.plist"), &xml(info)?)?;
        tree.file(&format!("{path}/Contents/MacOS/run"), &writing::noise(path, 9000))?;
    }
    tree.file(
        "private/etc/cups/printers.conf",
        b"# Printer configuration file for CUPS v2.1.4\n<DefaultPrinter Plotter>\nInfo Plotter in the sail room\n\
          DeviceURI ipp://192.0.2.31/ipp/print\nMakeModel Ropewalk Plotter 36\nLocation Sail room\n</DefaultPrinter>\n",
    )?;
    tree.file(
        "private/etc/cups/ppd/Plotter.ppd",
        b"*PPD-Adobe: \"4.3\"\n*NickName: \"Ropewalk Plotter 36\"\n",
    )?;
    tree.file("private/etc/hosts", b"127.0.0.1 localhost\n192.0.2.10 tidehouse\n")?;
    tree.link("private/etc/localtime", "/usr/share/zoneinfo/Europe/London")?;
    tree.folder("Volumes")
}

fn tamsin(tree: &mut Tree, size: DemoSize) -> io::Result<()> {
    let home = "Users/tamsin";
    for folder in ["Desktop", "Documents", "Downloads", "Movies", "Music", "Pictures", "Public"] {
        tree.folder(&format!("{home}/{folder}"))?;
    }
    for number in 1..=size.of(80) {
        let path = format!("{home}/Documents/Sails/Sail {number:03}.rtf");
        tree.file(&path, &writing::rtf(&path, 15))?;
    }
    // As HFS+ keeps names: each accent a letter of its own.
    tree.file(&format!("{home}/Documents/Cafe\u{301} am Deich.txt"), &writing::text("cafe", 6))?;
    tree.file(&format!("{home}/Documents/.DS_Store"), &writing::noise("store", 6148))?;
    for number in 1..=size.of(60) {
        let path = format!("{home}/Pictures/Sails/{number:03}.png");
        tree.file(&path, &picture::png(&path, 160, 120))?;
    }
    let library = format!("{home}/Library");
    for number in 1..=size.of(90) {
        let letter = format!(
            "From: Piet Visser <piet@{number}.example>\nTo: tamsin@saltmarsh.example\nSubject: Sail {number}\n\nPlease cut it by Friday.\n"
        );
        let content = format!(
            "{}\n{letter}<?xml version=\"1.0\"?><plist version=\"1.0\"><dict><key>flags</key><integer>{}</integer></dict></plist>\n",
            letter.len(),
            u8::from(number % 10 != 1)
        );
        let path =
            format!("{library}/Mail/V3/POP-tamsin@mail.saltmarsh.example/INBOX.mbox/Messages/{number}.emlx");
        tree.file(&path, content.as_bytes())?;
    }
    let receiving = dictionary([
        ("AccountType", "POPAccount".into()),
        ("Hostname", "mail.saltmarsh.example".into()),
        ("PortNumber", "995".into()),
        ("SSLEnabled", "YES".into()),
        ("Username", "tamsin".into()),
        ("FullUserName", "Tamsin Okafor".into()),
        ("EmailAddresses", list("tamsin@saltmarsh.example")),
        ("SMTPIdentifier", "smtp.saltmarsh.example".into()),
        ("DeleteMessagesOnServer", Value::Boolean(false)),
    ]);
    let sending = dictionary([
        ("Hostname", "smtp.saltmarsh.example".into()),
        ("PortNumber", "465".into()),
        ("SSLEnabled", "YES".into()),
        ("Username", "tamsin".into()),
    ]);
    let accounts = dictionary([
        ("MailAccounts", Value::Array(vec![receiving])),
        ("DeliveryAccounts", Value::Array(vec![sending])),
    ]);
    tree.file(&format!("{library}/Mail/V3/MailData/Accounts.plist"), &binary(accounts)?)?;
    let leaf = |title: &str, url: &str| {
        dictionary([
            ("WebBookmarkType", "WebBookmarkTypeLeaf".into()),
            ("URLString", url.into()),
            ("URIDictionary", dictionary([("title", title.into())])),
        ])
    };
    let folder = |title: &str, rows: Vec<Value>| {
        dictionary([
            ("WebBookmarkType", "WebBookmarkTypeList".into()),
            ("Title", title.into()),
            ("Children", Value::Array(rows)),
        ])
    };
    let cloths = folder(
        "Cloths",
        vec![leaf("Ripstop", "https://ripstop.example/"), leaf("Spinnaker", "https://spinnaker.example/")],
    );
    let bookmarks = folder(
        "",
        vec![
            folder("BookmarksBar", vec![leaf("Sailcloth", "https://sailcloth.example/"), cloths]),
            folder("BookmarksMenu", vec![leaf("Tides", "https://tides.example/")]),
            folder("com.apple.ReadingList", vec![leaf("How to cut a sail", "https://cutting.example/sail")]),
        ],
    );
    tree.file(&format!("{library}/Safari/Bookmarks.plist"), &binary(bookmarks)?)?;
    let locale =
        dictionary([("AppleLocale", "en_GB".into()), ("AppleLanguages", Value::Array(vec!["en-GB".into()]))]);
    tree.file(&format!("{library}/Preferences/.GlobalPreferences.plist"), &binary(locale)?)?;
    tree.file(
        &format!("{library}/Application Support/Sail Nester/cuts.db"),
        &writing::noise("cuts", 22_000),
    )?;
    tree.file(
        &format!("{library}/Fonts/Halyard Hand.ttf"),
        &[vec![0, 1, 0, 0], writing::noise("font", 16_000)].concat(),
    )?;
    tree.file(&format!("{library}/Keychains/login.keychain"), &writing::noise("keychain", 5_000))?;
    tree.file(&format!("{library}/Caches/Sail Nester/tile.bin"), &writing::noise("tile", 50_000))
}

fn dictionary<const N: usize>(rows: [(&str, Value); N]) -> Value {
    Value::Dictionary(rows.into_iter().map(|(key, value)| (key.to_owned(), value)).collect())
}

/// The directory keeps every value as a list.
fn list(text: &str) -> Value {
    Value::Array(vec![text.into()])
}

fn record(name: &str, full_name: &str, number: &str, home: &str) -> Value {
    dictionary([
        ("name", list(name)),
        ("realname", list(full_name)),
        ("uid", list(number)),
        ("home", list(home)),
        ("authentication_authority", list(";ShadowHash;")),
    ])
}

fn xml(value: Value) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    value.to_writer_xml(&mut bytes).map_err(io::Error::other)?;
    Ok(bytes)
}

fn binary(value: Value) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    value.to_writer_binary(&mut bytes).map_err(io::Error::other)?;
    Ok(bytes)
}
