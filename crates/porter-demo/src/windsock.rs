//! `WINDSOCK`: the drive of the laptop that Bram took to kite festivals until it failed, with Windows XP on
//! it.

use crate::registry::{self, BRAM, Installed, ODILE, OwnSettings, Person, Port, Printer, Registry};
use crate::tree::{Mark, Tree};
use crate::{DemoSize, mail, picture, writing};
use porter_formats::mail::dbx;
use std::io;
use std::path::Path;
use time::OffsetDateTime;
use time::macros::datetime;

const BRAM_LAST: OffsetDateTime = datetime!(2013-09-22 18:10 UTC);
/// The same as a `FILETIME`.
const BRAM_LAST_SIGN_IN: u64 = 130_243_470_000_000_000;

const REGISTRY: Registry = Registry {
    computer: "WINDSOCK",
    product: "Microsoft Windows XP",
    service_pack: Some("Service Pack 3"),
    version: "5.1",
    build: "2600",
    people: &[
        Person {
            home: "%SystemDrive%\\Documents and Settings\\bram",
            is_administrator: true,
            last_signed_in: BRAM_LAST_SIGN_IN,
            ..BRAM
        },
        Person { home: "%SystemDrive%\\Documents and Settings\\odile.WINDSOCK", is_disabled: true, ..ODILE },
        Person {
            number: 1005,
            name: "stall",
            full_name: "Festival stall",
            home: "",
            is_administrator: false,
            is_disabled: false,
            last_signed_in: 0,
            has_profile: false,
            comment: "",
            address: "",
        },
    ],
    programs: &[Installed {
        name: "Wind Log",
        version: "1.1",
        publisher: "Lee Shore Software",
        date: "20080517",
        size_in_kib: 3_100,
        is_32_bit: false,
    }],
    printers: &[Printer {
        name: "Festival receipt printer",
        port: Port::Other("LPT1:"),
        driver: "Generic / Text Only",
    }],
    variable: None,
    share: None,
    stays_awake: false,
    data_driver: None,
};

/// Builds the drive in `root`, which must not be there yet.
pub fn build_windsock(root: &Path, size: DemoSize) -> io::Result<()> {
    let mut tree = Tree::begin(root, BRAM_LAST)?;
    for file in ["WINDOWS/system32/kernel32.dll", "WINDOWS/explorer.exe", "ntldr", "NTDETECT.COM"] {
        tree.file(file, &writing::noise(file, 4096))?;
    }
    tree.file("boot.ini", b"[boot loader]\r\ntimeout=30\r\n")?;
    // It ran out of battery at the festival, and was never woken up again.
    tree.file("hiberfil.sys", &[b"hibr".to_vec(), vec![0; 4092]].concat())?;
    tree.file("WINDOWS/system32/drivers/etc/hosts", b"127.0.0.1 localhost\r\n")?;
    registry::write(&mut tree, &REGISTRY, BRAM_LAST)?;
    bram(&mut tree, size)?;
    let odile = "Documents and Settings/odile.WINDSOCK";
    profile(&mut tree, odile, &OwnSettings::default())?;
    tree.file(&format!("{odile}/My Documents/Festival prices.txt"), &writing::text("festival prices", 20))?;
    // Somebody once copied a profile here by hand; the system knows nothing of it.
    tree.file("Documents and Settings/bram.old/My Documents/Route.txt", &writing::text("route", 12))?;
    for folder in ["Default User", "LocalService", "NetworkService"] {
        let own = format!("Documents and Settings/{folder}/NTUSER.DAT");
        tree.file(&own, &writing::noise(&own, 8192))?;
    }
    let shared = "Documents and Settings/All Users";
    tree.file(&format!("{shared}/Documents/Wind tables.csv"), &writing::csv("wind tables", size.of(300)))?;
    tree.file(&format!("{shared}/Application Data/Wind Log/stations.txt"), &writing::text("stations", 15))?;
    tree.finish()
}

fn profile(tree: &mut Tree, home: &str, settings: &OwnSettings) -> io::Result<()> {
    for folder in [
        "Desktop",
        "Favorites",
        "My Documents/My Pictures",
        "My Documents/My Music",
        "Application Data",
        "Local Settings/Application Data",
        "Local Settings/Temp",
    ] {
        tree.folder(&format!("{home}/{folder}"))?;
    }
    let own = format!("{home}/NTUSER.DAT");
    tree.dated_file(&own, &registry::own(&own, &[], settings)?, BRAM_LAST)?;
    tree.mark(&own, Mark::Hidden)
}

fn bram(tree: &mut Tree, size: DemoSize) -> io::Result<()> {
    let home = "Documents and Settings/bram";
    let settings = OwnSettings {
        usual_printer: Some("Festival receipt printer"),
        start_page: Some("http://festivals.example/route"),
        outlook_of: Some("bram"),
        ..OwnSettings::default()
    };
    profile(tree, home, &settings)?;
    for number in 1..=size.of(120) {
        let path = format!("{home}/My Documents/My Pictures/Festival/{number:03}.png");
        tree.file(&path, &picture::png(&path, 160, 120))?;
    }
    for number in 1..=size.of(60) {
        let path = format!("{home}/My Documents/Repairs on the road/Repair {number:02}.txt");
        tree.file(&path, &writing::text(&path, 15))?;
    }
    for number in 1..=size.of(20) {
        let path = format!("{home}/Favorites/Festivals/Page {number:02}.url");
        tree.file(&path, &writing::favourite(&format!("festival{number}")))?;
    }
    let mail = format!(
        "{home}/Local Settings/Application Data/Identities/{{5A1713A7-2006-4D2C-9B6D-0123456789AB}}/Microsoft/Outlook Express"
    );
    for (name, letters) in [("Inbox", 230), ("Sent Items", 64)] {
        tree.file(&format!("{mail}/{name}.dbx"), &dbx::to_bytes(letters))?;
    }
    // As the list of the folders begins; it holds nothing to be read.
    let folders = [vec![0xcf, 0xad, 0x12, 0xfe, 0xc6, 0xfd, 0x74, 0x6f], writing::noise("folders", 40_000)];
    tree.file(&format!("{mail}/Folders.dbx"), &folders.concat())?;
    mail::offered_before_2010(tree, &format!("{home}/Application Data"))?;
    let contacts = format!("{home}/Application Data/Microsoft/Address Book/bram.wab");
    tree.file(&contacts, &writing::noise("address book", 30_000))?;
    tree.file(
        &format!("{home}/Local Settings/Temporary Internet Files/Content.IE5/x.htm"),
        &writing::noise("x", 9000),
    )?;
    tree.file(&format!("{home}/Local Settings/Temp/~1.tmp"), &writing::noise("tmp", 3000))
}
