//! `LOFT-PC`: the workshop's PC of 2012, as Windows 7 left it.

use crate::mail;
use crate::registry::{
    self, BRAM, Installed, JUNO, ODILE, OwnSettings, PACKAGE, Person, Port, Printer, Registry, TAMSIN,
};
use crate::tree::{Mark, Tree};
use crate::{DemoSize, browser, film, picture, sound, thunderbird, writing};
use std::io;
use std::path::Path;
use time::OffsetDateTime;
use time::macros::datetime;

const ODILE_LAST: OffsetDateTime = datetime!(2026-10-30 16:42 UTC);
const TAMSIN_LAST: OffsetDateTime = datetime!(2026-10-29 11:05 UTC);
/// Bram left the workshop last year.
const BRAM_LAST: OffsetDateTime = datetime!(2025-08-15 14:20 UTC);

/// Builds the old machine's drive in `root`, which must not be there yet.
pub fn build_loft_pc(root: &Path, size: DemoSize) -> io::Result<()> {
    let mut tree = Tree::begin(root, ODILE_LAST)?;
    system(&mut tree)?;
    odile(&mut tree, size)?;
    tamsin(&mut tree, size)?;
    bram(&mut tree, size)?;
    juno(&mut tree)?;
    shared(&mut tree, size)?;
    drive_root(&mut tree, size)?;
    tree.finish()
}

fn system(tree: &mut Tree) -> io::Result<()> {
    for file in ["Windows/System32/kernel32.dll", "Windows/explorer.exe"] {
        tree.file(file, &writing::noise(file, 4096))?;
    }
    registry::write_torn(tree, &REGISTRY, ODILE_LAST)?;
    tree.file("Program Files/KiteCAD/kitecad.exe", &writing::noise("kitecad", 20_000))?;
    tree.file("ProgramData/KiteCAD/licence.txt", b"Licence of Saltmarsh Kiteworks: SK-0000-DEMO\r\n")?;
    tree.file(
        "ProgramData/Ledger for Small Workshops/books/2025.ledger",
        &writing::noise("books 2025", 60_000),
    )?;
    tree.file(
        "ProgramData/Ledger for Small Workshops/books/2026.ledger",
        &writing::noise("books 2026", 48_000),
    )?;
    tree.file("ProgramData/Ledger for Small Workshops/preview/page1.img", &writing::noise("preview", 9_000))?;
    tree.file(
        "ProgramData/Ledger for Small Workshops/ledger.ini",
        b"[ledger]\r\nowner=Saltmarsh Kiteworks\r\n",
    )?;
    let wifi = "ProgramData/Microsoft/Wlansvc/Profiles/Interfaces/{8D3A3F6C-2012-4B0E-9C55-1F0B0C0D0E0F}";
    for name in ["Saltmarsh Loft", "Saltmarsh Guests"] {
        let profile = format!(
            "<?xml version=\"1.0\"?>\r\n<WLANProfile xmlns=\"http://www.microsoft.com/networking/WLAN/profile/v1\">\r\n\
             \t<name>{name}</name>\r\n\t<SSIDConfig>\r\n\t\t<SSID>\r\n\t\t\t<name>{name}</name>\r\n\t\t</SSID>\r\n\
             \t</SSIDConfig>\r\n\t<connectionMode>auto</connectionMode>\r\n\t<MSM>\r\n\t\t<security>\r\n\t\t\t<authEncryption>\r\n\
             \t\t\t\t<authentication>WPA2PSK</authentication>\r\n\t\t\t\t<encryption>AES</encryption>\r\n\t\t\t</authEncryption>\r\n\
             \t\t\t<sharedKey>\r\n\t\t\t\t<keyType>passPhrase</keyType>\r\n\t\t\t\t<protected>true</protected>\r\n\
             \t\t\t\t<keyMaterial>01000000D08C9DDF0115D1118C7A00C04FC297EB</keyMaterial>\r\n\t\t\t</sharedKey>\r\n\
             \t\t</security>\r\n\t</MSM>\r\n</WLANProfile>\r\n"
        );
        tree.file(&format!("{wifi}/{{{name}}}.xml"), profile.as_bytes())?;
    }
    let package = format!("Windows/System32/DriverStore/FileRepository/{PACKAGE}");
    let inf = "[Version]\r\nSignature=\"$Windows NT$\"\r\nClass=Printer\r\nClassGUID={4D36E979-E325-11CE-BFC1-08002BE10318}\r\n\
               Provider=%maker%\r\nCatalogFile=sail200.cat\r\nDriverVer=03/14/2017,6.1.0.4\r\n\
               [Manufacturer]\r\n%maker%=Ropewalk,NTamd64\r\n\
               [Ropewalk.NTamd64]\r\n\"Ropewalk Laser 200\"=SAIL200,USBPRINT\\RopewalkLaser200\r\n\
               [SAIL200]\r\nCopyFiles=@sail200.dll\r\n[Strings]\r\nmaker=\"Ropewalk\"\r\n";
    tree.file(&format!("{package}/sail200.inf"), inf.as_bytes())?;
    tree.file(&format!("{package}/sail200.cat"), &writing::noise("catalogue of the driver", 9_000))?;
    tree.file(&format!("{package}/amd64/sail200.dll"), &writing::noise("driver", 120_000))?;
    // One that somebody installed for everybody, and one that Windows brings.
    tree.file("Windows/Fonts/Halyard Hand.ttf", &writing::noise("a font for everybody", 48_000))?;
    tree.file("Windows/Fonts/segoeui.ttf", &writing::noise("a font of the system", 60_000))?;
    let task = "<Task xmlns=\"http://schemas.microsoft.com/windows/2004/02/mit/task\"><Actions><Exec>\
                <Command>C:\\Kite Plans\\tools\\backup.cmd</Command></Exec></Actions></Task>";
    let task: Vec<u8> =
        "\u{feff}".encode_utf16().chain(task.encode_utf16()).flat_map(u16::to_le_bytes).collect();
    tree.file("Windows/System32/Tasks/Back up kite plans", &task)?;
    tree.file("Windows/System32/Tasks/Microsoft/Windows/Defrag/ScheduledDefrag", &task)?;
    tree.file("Windows/System32/drivers/etc/hosts", b"# hosts\r\n192.0.2.10  tidehouse\r\n")?;
    tree.file("pagefile.sys", &[0; 4096])?;
    tree.folder("$Recycle.Bin")?;
    tree.folder("PerfLogs/Admin")?;
    // As Windows 7 keeps old programs happy; one of these leads to its own parent.
    tree.link("Documents and Settings", "Users")?;
    tree.link("Users/All Users", "../ProgramData")?;
    tree.link("Users/Default User", "Default")?;
    tree.file("Users/Default/NTUSER.DAT", &writing::noise("default registry", 8192))?;
    tree.file("Users/desktop.ini", b"[.ShellClassInfo]\r\n")?;
    tree.mark("Users/desktop.ini", Mark::System)
}

/// The folders and files that Windows 7 puts into every profile folder.
fn profile(tree: &mut Tree, home: &str, last_used_utc: OffsetDateTime) -> io::Result<()> {
    let is_odiles = home == "Users/odile";
    let programs = if is_odiles { &[WINDROSE][..] } else { &[] };
    let settings = match home {
        "Users/odile" => ODILES_SETTINGS,
        "Users/tamsin" => OwnSettings { outlook_of: Some("tamsin"), ..OwnSettings::default() },
        _ => OwnSettings::default(),
    };
    for folder in [
        "AppData/LocalLow",
        "AppData/Roaming/Microsoft/Windows",
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
    for (link, target) in [
        ("Application Data", "AppData/Roaming"),
        ("Local Settings", "AppData/Local"),
        ("My Documents", "Documents"),
        ("AppData/Local/Application Data", "../Local"),
        ("Documents/My Pictures", "../Pictures"),
        ("Documents/My Music", "../Music"),
    ] {
        tree.link(&format!("{home}/{link}"), target)?;
    }
    let own = format!("{home}/NTUSER.DAT");
    tree.dated_file(&own, &registry::own(&own, programs, &settings)?, last_used_utc)?;
    tree.mark(&own, Mark::System)?;
    for (file, length) in
        [("ntuser.dat.LOG1", 8192), ("AppData/Local/Microsoft/Windows/UsrClass.dat", 16_384)]
    {
        let path = format!("{home}/{file}");
        tree.dated_file(&path, &writing::noise(&path, length), last_used_utc)?;
        tree.mark(&path, Mark::System)?;
    }
    for folder in ["Desktop", "Documents", "Pictures"] {
        let path = format!("{home}/{folder}/desktop.ini");
        tree.dated_file(&path, b"[.ShellClassInfo]\r\nIconResource=shell32.dll,-1\r\n", last_used_utc)?;
        tree.mark(&path, Mark::System)?;
    }
    let keys = format!("{home}/AppData/Roaming/Microsoft/Protect/S-1-5-21-1000/5a1e-key");
    tree.dated_file(&keys, &writing::noise(&keys, 468), last_used_utc)
}

/// The PC's registry. Juno came last: her account is still only in the logs.
const REGISTRY: Registry = Registry {
    computer: "LOFT-PC",
    product: "Windows 7 Professional",
    service_pack: Some("Service Pack 1"),
    version: "6.1",
    build: "7601",
    people: &[
        ODILE,
        TAMSIN,
        Person { comment: "left in 2025", ..BRAM },
        Person { home: "C:\\Apprentice\\juno", ..JUNO },
    ],
    programs: &PROGRAMS,
    printers: &[
        Printer { name: "Front desk", port: Port::Network("192.0.2.20"), driver: "Ropewalk Laser 200" },
        Printer { name: "Sail labels", port: Port::Other("USB001"), driver: "Ropewalk Label 4" },
        Printer { name: "Fax", port: Port::Other("SHRFAX:"), driver: "Microsoft Shared Fax Driver" },
    ],
    variable: Some(("KITECAD_LICENCE", "27000@LOFT-PC")),
    share: Some(("plans", "C:\\Kite Plans")),
    stays_awake: true,
    data_driver: None,
};

const ODILES_SETTINGS: OwnSettings = OwnSettings {
    drive: Some(("K", "\\\\TIDEHOUSE\\kites")),
    server_printer: Some("\\\\TIDEHOUSE\\Plans A1"),
    usual_printer: Some("Front desk"),
    wallpaper: Some("C:\\Users\\odile\\Pictures\\2012\\IMG_0000.png"),
    variable: Some(("KITE_PLANS", "C:\\Kite Plans")),
    swaps_mouse_buttons: true,
    is_lived_in: true,
    start_page: Some("http://saltmarsh-kiteworks.example/board"),
    chrome_profiles: &["Default", "Profile 1"],
    outlook_of: None,
};

/// Only Odile has it.
const WINDROSE: Installed = Installed {
    name: "Windrose Forecast",
    version: "2.11",
    publisher: "Lee Shore Software",
    date: "20220314",
    size_in_kib: 18_400,
    is_32_bit: false,
};

const PROGRAMS: [Installed; 4] = [
    Installed {
        name: "KiteCAD",
        version: "4.2.1",
        publisher: "Harbour Drawing Office",
        date: "20120306",
        size_in_kib: 412_000,
        is_32_bit: false,
    },
    Installed {
        name: "Sailcloth Cutter Driver",
        version: "1.9",
        publisher: "Ropewalk Machines",
        date: "20130211",
        size_in_kib: 7_300,
        is_32_bit: true,
    },
    Installed {
        name: "Ledger for Small Workshops",
        version: "2015.3",
        publisher: "Quayside, \"Books & Co\"",
        date: "20150107",
        size_in_kib: 96_000,
        is_32_bit: true,
    },
    Installed {
        name: "Picture Shelf",
        version: "7.0",
        publisher: "Tidepool",
        date: "20181119",
        size_in_kib: 54_000,
        is_32_bit: false,
    },
];

/// The apprentice, since this autumn: her profile is where nobody would look.
fn juno(tree: &mut Tree) -> io::Result<()> {
    let home = "Apprentice/juno";
    profile(tree, home, ODILE_LAST)?;
    tree.file(&format!("{home}/Documents/My first kite.txt"), &writing::text("my first kite", 25))?;
    tree.file(&format!("{home}/Pictures/My first kite.png"), &picture::png("my first kite", 320, 200))
}

fn odile(tree: &mut Tree, size: DemoSize) -> io::Result<()> {
    let home = "Users/odile";
    profile(tree, home, ODILE_LAST)?;
    for year in 2012..=2026 {
        let folder = format!("{home}/Documents/Kites/{year}");
        for number in 1..=size.of(24) {
            let path = format!("{folder}/Job {number:03} - sail and spars.rtf");
            tree.file(&path, &writing::rtf(&path, 30 + number))?;
            let path = format!("{folder}/Job {number:03} - notes.txt");
            tree.file(&path, &writing::text(&path, 12 + number))?;
        }
        let path = format!("{folder}/Parts used in {year}.csv");
        tree.file(&path, &writing::csv(&path, size.of(900)))?;
    }
    tree.link(&format!("{home}/Documents/Latest jobs"), "Kites/2026")?;
    tree.file(&format!("{home}/Documents/Price list.csv"), &writing::csv("price list of the workshop", 60))?;
    tree.file(&format!("{home}/Documents/Workshop rules.txt"), &workshop_rules())?;
    tree.folder(&format!("{home}/Documents/Kites/2027"))?;
    odd_names(tree, &format!("{home}/Documents/Odds and ends"))?;

    for number in 0..size.of(560) {
        let path = format!("{home}/Pictures/{}/IMG_{number:04}.png", 2012 + number / 40);
        tree.file(&path, &picture::png(&path, 240, 160))?;
    }
    let thumbs = format!("{home}/Pictures/2012/Thumbs.db");
    tree.file(&thumbs, &writing::noise(&thumbs, 30_000))?;
    tree.mark(&thumbs, Mark::Hidden)?;
    for number in 1..=size.of(6) {
        let path = format!("{home}/Music/Lines in the wind {number}.wav");
        tree.file(&path, &sound::wav(&path, if size == DemoSize::Full { 90 } else { 1 }))?;
    }
    let film = format!("{home}/Videos/Kite festival.avi");
    tree.file(&film, &film::avi(&film, if size == DemoSize::Full { 180 } else { 4 }))?;
    for number in 1..=size.of(40) {
        let path = format!("{home}/Downloads/Catalogue {number}.csv");
        tree.file(&path, &writing::csv(&path, size.of(600)))?;
        // The same again: people press the button twice.
        tree.file(
            &format!("{home}/Downloads/Catalogue {number} (1).csv"),
            &writing::csv(&path, size.of(600)),
        )?;
    }
    favourites(tree, home, size.of(40))?;
    let letters = thunderbird::Profile {
        name: "default",
        folder: "k1t3s4lt.default",
        owner: "odile",
        version: "115.18.0",
        letters: size.of(120),
        local_folders: Some("Documents/Old mail"),
    };
    thunderbird::thunderbird(tree, home, &letters)?;
    odiles_browsers(tree, home, size)?;
    program_data(tree, home, size)?;
    tree.file(&format!("{home}/KiteCAD backup/plans 2025.kcd"), &writing::noise("kcd", 40_000))?;
    tree.file(&format!("{home}/Desktop/To do.txt"), &writing::text("To do", 9))
}

fn tamsin(tree: &mut Tree, size: DemoSize) -> io::Result<()> {
    let home = "Users/tamsin";
    profile(tree, home, TAMSIN_LAST)?;
    for number in 0..size.of(168) {
        let path =
            format!("{home}/Documents/Orders/{}/{:02} orders.csv", 2012 + number / 12, 1 + number % 12);
        tree.file(&path, &writing::csv(&path, size.of(400)))?;
    }
    for number in 1..=size.of(420) {
        let path = format!("{home}/Documents/Letters/Letter {number:03}.rtf");
        tree.file(&path, &writing::rtf(&path, 20))?;
    }
    tree.folder(&format!("{home}/Documents/Letters/Drafts"))?;
    for number in 0..size.of(260) {
        let path = format!("{home}/Pictures/Shop window/{number:03}.png");
        tree.file(&path, &picture::png(&path, 200, 150))?;
    }
    for (name, lines) in [("Read me first.txt", 12), ("Opening hours.txt", 5)] {
        tree.file(&format!("{home}/Desktop/{name}"), &writing::text(name, lines))?;
    }
    tree.mark(&format!("{home}/Desktop/Read me first.txt"), Mark::ReadOnly)?;
    let hidden = format!("{home}/Documents/.diary.txt");
    tree.file(&hidden, &writing::text("diary", 40))?;
    tree.mark(&hidden, Mark::Hidden)?;
    favourites(tree, home, size.of(30))?;
    mail::outlook(tree, home, "tamsin")?;
    let chrome = format!("{home}/AppData/Local/Google/Chrome/User Data");
    let profiles =
        [browser::Profile { name: "Tamsin", folder: "Default", pages: size.of(400), passwords: 9 }];
    browser::chromium(tree, &chrome, CHROME, home, &profiles)?;
    program_data(tree, home, size)
}

/// The last versions for Windows 7.
const FIREFOX: &str = "115.12.0";
const CHROME: &str = "109.0.5414.120";

fn odiles_browsers(tree: &mut Tree, home: &str, size: DemoSize) -> io::Result<()> {
    let profile = |name, folder, pages, passwords| browser::Profile { name, folder, pages, passwords };
    let root = format!("{home}/AppData/Roaming/Mozilla/Firefox");
    let profiles = [
        profile("default-release", "k7r2m1xw.default-release", size.of(800), 23),
        profile("work", "p0w4yt9c.work", size.of(300), 4),
        profile("Kite fair", "z3q8f6ab.Kite fair", size.of(60), 0),
        profile("work", "a1b2c3d4.work", 1, 1),
    ];
    browser::gecko(tree, &root, FIREFOX, home, &profiles)?;
    for number in 0..size.of(160) {
        let cache =
            format!("{home}/AppData/Local/Mozilla/Firefox/Profiles/k7r2m1xw.default-release/cache2/entries");
        let path = format!("{cache}/{number:040X}");
        tree.file(&path, &writing::noise(&path, 12_000))?;
    }
    let chrome = format!("{home}/AppData/Local/Google/Chrome/User Data");
    let profiles =
        [profile("Odile", "Default", size.of(200), 6), profile("Workshop", "Profile 1", size.of(90), 0)];
    browser::chromium(tree, &chrome, CHROME, home, &profiles)
}

fn bram(tree: &mut Tree, size: DemoSize) -> io::Result<()> {
    let home = "Users/bram";
    profile(tree, home, BRAM_LAST)?;
    for number in 1..=size.of(240) {
        let path = format!("{home}/Documents/Repairs/Repair {number:03}.txt");
        tree.dated_file(&path, &writing::text(&path, 25), BRAM_LAST - time::Duration::days(number as i64))?;
    }
    for number in 1..=size.of(80) {
        let path = format!("{home}/Pictures/Repairs/before {number:03}.png");
        tree.dated_file(
            &path,
            &picture::png(&path, 200, 150),
            BRAM_LAST - time::Duration::days(number as i64),
        )?;
    }
    Ok(())
}

fn shared(tree: &mut Tree, size: DemoSize) -> io::Result<()> {
    for number in 1..=size.of(60) {
        let path = format!("Users/Public/Documents/Instructions/How to fly it {number:02}.rtf");
        tree.file(&path, &writing::rtf(&path, 60))?;
    }
    tree.file(
        "Users/Public/Documents/Opening hours.txt",
        &writing::text("Opening hours of the workshop", 6),
    )?;
    for number in 1..=size.of(40) {
        let path = format!("Users/Public/Pictures/Catalogue/kite {number:02}.png");
        tree.file(&path, &picture::png(&path, 320, 240))?;
    }
    tree.folder("Users/Public/Music")
}

fn drive_root(tree: &mut Tree, size: DemoSize) -> io::Result<()> {
    for number in 1..=size.of(120) {
        let path = format!("Kite Plans/Plan {number:03}/cutting list.csv");
        tree.file(&path, &writing::csv(&path, 40))?;
        let path = format!("Kite Plans/Plan {number:03}/drawing.png");
        tree.file(&path, &picture::png(&path, 160, 120))?;
    }
    tree.file("insurance letter.txt", &writing::text("insurance letter", 14))
}

/// Caches and junk, and between them the few files that matter.
fn program_data(tree: &mut Tree, home: &str, size: DemoSize) -> io::Result<()> {
    tree.file(
        &format!("{home}/AppData/Roaming/KiteCAD/settings.ini"),
        b"[window]\r\nwidth=1280\r\nunits=mm\r\n",
    )?;
    for number in 1..=size.of(30) {
        let path = format!("{home}/AppData/Roaming/KiteCAD/library/part {number:02}.kcp");
        tree.file(&path, &writing::noise(&path, 6000))?;
    }
    for number in 0..size.of(280) {
        let path = format!("{home}/AppData/Local/Kitebrowser/Default/Cache/f_{number:06x}");
        tree.file(&path, &writing::noise(&path, 24_000))?;
        let path = format!("{home}/AppData/Local/Temp/~DF{number:04X}.tmp");
        tree.file(&path, &writing::noise(&path, 2500))?;
    }
    tree.file(&format!("{home}/AppData/Local/Kitebrowser/Default/notes.txt"), &writing::text("notes", 5))
}

fn favourites(tree: &mut Tree, home: &str, count: usize) -> io::Result<()> {
    for number in 1..=count {
        let folder = ["Suppliers", "Weather", "Clubs"][number % 3];
        let path = format!("{home}/Favorites/{folder}/Page {number:02}.url");
        tree.file(&path, &writing::favourite(&format!("page{number}.{}", folder.to_lowercase())))?;
    }
    Ok(())
}

/// Names that make careless copies fail.
fn odd_names(tree: &mut Tree, folder: &str) -> io::Result<()> {
    let long = "A very long name that somebody typed because the cursor was in the wrong field and nobody noticed until ";
    let long: String = long.chars().cycle().take(196).collect();
    for name in [
        "  two spaces before.txt",
        "Café menü – Ostersonntag.txt",
        "kite 🪁 and wind 💨.txt",
        "100% wind.txt",
        "e\u{301}tude (decomposed).txt",
        "Ōtsuru 大凧.txt",
        "semi;colon & ampersand 'quotes'.txt",
        "no extension",
        ".begins with a dot",
        &format!("{}.txt", long.trim_end()),
    ] {
        tree.file(&format!("{folder}/{name}"), &writing::text(name, 4))?;
    }
    tree.file(&format!("{folder}/empty.txt"), b"")?;
    let deep = "deeper/".repeat(24);
    tree.file(&format!("{folder}/{deep}found it.txt"), b"All the way down.\r\n")
}

/// Both machines have it.
pub(crate) fn workshop_rules() -> Vec<u8> {
    writing::text("Workshop rules", 8)
}
