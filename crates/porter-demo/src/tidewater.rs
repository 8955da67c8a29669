//! `TIDEWATER`: the new PC, as a fresh Windows 11 is after its accounts were made.

use crate::browser;
use crate::loft_pc::workshop_rules;
use crate::registry::{
    self, BRAM, Installed, JUNO, ODILE, OwnSettings, Person, Port, Printer, Registry, TAMSIN,
};
use crate::tree::Tree;
use crate::{thunderbird, writing};
use std::io;
use std::path::Path;
use time::OffsetDateTime;
use time::macros::datetime;

const SET_UP: OffsetDateTime = datetime!(2026-11-16 09:30 UTC);

/// The PC's registry. It goes on calling itself Windows 10, as every Windows 11 does.
const REGISTRY: Registry = Registry {
    computer: "TIDEWATER",
    product: "Windows 10 Pro",
    service_pack: None,
    version: "10.0",
    build: "26100",
    people: &[
        ODILE,
        Person {
            name: "tamsin.okafor",
            home: "C:\\Users\\tamsin.okafor",
            address: "tamsin@saltmarsh-kiteworks.example",
            ..TAMSIN
        },
        BRAM,
        JUNO,
    ],
    programs: &[Installed {
        name: "KiteCAD 5.0 (64-bit)",
        version: "5.0.3",
        publisher: "Harbour Drawing Office",
        date: "20261116",
        size_in_kib: 520_000,
        is_32_bit: false,
    }],
    printers: &[Printer {
        name: "Microsoft Print to PDF",
        port: Port::Other("PORTPROMPT:"),
        driver: "Microsoft Print To PDF",
    }],
    variable: None,
    share: None,
    stays_awake: false,
    data_driver: Some("Harbour SQL"),
};

/// Builds the new machine's drive in `root`, which must not be there yet. Tamsin's account has another name
/// than on the old machine, and a few files there are already in the way of old ones.
pub fn build_tidewater(root: &Path) -> io::Result<()> {
    let mut tree = Tree::begin(root, SET_UP)?;
    for file in ["Windows/System32/kernel32.dll", "Windows/System32/Mystify.scr", "Windows/explorer.exe"] {
        tree.file(file, &writing::noise(&format!("new {file}"), 4096))?;
    }
    tree.file(
        "Windows/System32/drivers/etc/hosts",
        b"# Names of this machine's own\r\n#\t127.0.0.1 localhost\r\n",
    )?;
    registry::write(&mut tree, &REGISTRY, SET_UP)?;
    for folder in ["Windows/SystemApps", "Program Files/WindowsApps", "ProgramData/Microsoft", "$Recycle.Bin"]
    {
        tree.folder(folder)?;
    }
    tree.link("Documents and Settings", "Users")?;
    tree.link("Users/All Users", "../ProgramData")?;
    tree.file("Users/Default/NTUSER.DAT", &writing::noise("new default registry", 8192))?;
    for account in ["odile", "tamsin.okafor", "bram", "juno"] {
        let home = format!("Users/{account}");
        for folder in [
            "AppData/Local/Temp",
            "AppData/LocalLow",
            "AppData/Roaming",
            "Contacts",
            "Desktop",
            "Documents",
            "Downloads",
            "Favorites",
            "Links",
            "Music",
            "Pictures",
            "Saved Games",
            "Searches",
            "Videos",
        ] {
            tree.folder(&format!("{home}/{folder}"))?;
        }
        tree.link(&format!("{home}/My Documents"), "Documents")?;
        let own = format!("{home}/NTUSER.DAT");
        tree.dated_file(&own, &registry::own(&own, &[], &NEW_SETTINGS)?, SET_UP)?;
    }
    for folder in ["Desktop", "Documents", "Downloads", "Music", "Pictures", "Videos"] {
        tree.folder(&format!("Users/Public/{folder}"))?;
    }
    // The browsers are installed; Odile has started one of them.
    tree.file(
        "Program Files/Mozilla Firefox/application.ini",
        b"[App]\r\nVendor=Mozilla\r\nName=Firefox\r\nVersion=151.0\r\n",
    )?;
    tree.folder("Program Files/Google/Chrome/Application/149.0.7700.41")?;
    let started = [browser::Profile {
        name: "default-release",
        folder: "n3wf1r3f.default-release",
        pages: 3,
        passwords: 0,
    }];
    browser::gecko(
        &mut tree,
        "Users/odile/AppData/Roaming/Mozilla/Firefox",
        "151.0",
        "Users/odile",
        &started,
    )?;
    tree.file(
        "Program Files/Mozilla Thunderbird/application.ini",
        b"[App]\r\nVendor=Mozilla\r\nName=Thunderbird\r\nVersion=151.0\r\n",
    )?;
    let looked_at = thunderbird::Profile {
        name: "default-release",
        folder: "n3wm41l0.default-release",
        owner: "odile",
        version: "151.0",
        letters: 0,
        local_folders: None,
    };
    thunderbird::thunderbird(&mut tree, "Users/odile", &looked_at)?;
    // Tamsin gives up Outlook, and has looked at it, too.
    let of_tamsin = thunderbird::Profile { folder: "t4m51n0k.default-release", owner: "tamsin", ..looked_at };
    thunderbird::thunderbird(&mut tree, "Users/tamsin.okafor", &of_tamsin)?;
    // In the way of old files: one that differs, one that is the same, a folder that differs only by case.
    tree.file("Users/odile/Documents/Price list.csv", &writing::csv("a draft for the new season", 5))?;
    tree.file("Users/odile/Documents/Workshop rules.txt", &workshop_rules())?;
    tree.file("Users/odile/Documents/kites/2026/Job 001 - notes.txt", b"Begun on the new PC.\r\n")?;
    tree.file("Users/Public/Documents/Opening hours.txt", &writing::text("Opening hours, new", 3))?;
    tree.file("Users/tamsin.okafor/Desktop/Welcome.txt", b"Your new PC is ready.\r\n")?;
    tree.finish()
}

/// Internet Explorer has this first page by default.
const NEW_SETTINGS: OwnSettings = OwnSettings {
    drive: None,
    server_printer: None,
    usual_printer: None,
    wallpaper: None,
    variable: None,
    swaps_mouse_buttons: false,
    is_lived_in: false,
    start_page: Some("http://welcome.example/"),
    chrome_profiles: &[],
    outlook_of: None,
};
