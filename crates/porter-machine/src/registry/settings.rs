//! Settings and printers in a Windows registry. The place of each is named beside it.

use super::RegistryKey;
use crate::account::id_from_name;
use crate::setting::Setting;
use crate::time_zone;

/// The variables that every Windows sets, or a program when it is installed.
const NOT_A_PERSONS_VARIABLES: [&str; 20] = [
    "COMSPEC",
    "DRIVERDATA",
    "FP_NO_HOST_CHECK",
    "NUMBER_OF_PROCESSORS",
    "OS",
    "PATH",
    "PATHEXT",
    "PROCESSOR_ARCHITECTURE",
    "PROCESSOR_IDENTIFIER",
    "PROCESSOR_LEVEL",
    "PROCESSOR_REVISION",
    "PSMODULEPATH",
    "TEMP",
    "TMP",
    "USERNAME",
    "WINDIR",
    "ONEDRIVE",
    "ONEDRIVECONSUMER",
    "ONEDRIVECOMMERCIAL",
    "ASL.LOG",
];
/// Ports that are not printers: fax, files, other programs.
const NOT_PRINTERS: [&str; 6] =
    ["SHRFAX:", "XPSPORT:", "PORTPROMPT:", "NUL:", "FILE:", "MICROSOFT DOCUMENT IMAGING WRITER PORT:"];

/// The settings of the machine: from its hive `SOFTWARE` and the control set in force.
pub fn of_machine<K: RegistryKey>(software: Option<&K>, control_set: Option<&K>) -> Vec<Setting> {
    let mut settings = Vec::new();
    if let Some(set) = control_set {
        let name = computer_name(set);
        settings.extend(Setting::new("computer-name", "Name of the PC", &[("name", name)]));
        let zone = set.subkey("Control\\TimeZoneInformation");
        // Since Windows Vista by its key; before, by its name in the system's language.
        let name = zone.and_then(|key| key.text("TimeZoneKeyName").or_else(|| key.text("StandardName")));
        // Windows keeps what was there before behind the first NUL.
        let name = name.map(|name| name.split('\0').next().unwrap_or_default().to_owned());
        settings.extend(name.filter(|name| !name.is_empty()).and_then(time_zone::of_windows));
        let variables = set.subkey("Control\\Session Manager\\Environment");
        settings.extend(variables.and_then(|key| environment(&key, "Environment variables for everybody")));
    }
    let roots = [
        control_set.and_then(|set| set.subkey("Control\\Print")),
        software.and_then(|software| software.subkey("Microsoft\\Windows NT\\CurrentVersion\\Print")),
    ];
    let monitors = [
        control_set.and_then(|set| set.subkey("Control\\Print\\Monitors\\Standard TCP/IP Port\\Ports")),
        software.and_then(|software| {
            software
                .subkey("Microsoft\\Windows NT\\CurrentVersion\\Print\\Monitors\\Standard TCP/IP Port\\Ports")
        }),
    ];
    let address_of = |port: &str| {
        let port = monitors.iter().flatten().find_map(|ports| ports.subkey(port))?;
        let text = |name: &str| port.text(name).filter(|text| !text.is_empty());
        text("HostName").or_else(|| text("IPAddress"))
    };
    for printers in roots.iter().flatten().filter_map(|print| print.subkey("Printers")) {
        for name in printers.subkey_names() {
            let Some(row) = printers.subkey(&name) else { continue };
            let port = row.text("Port").unwrap_or_default();
            let no_printer = NOT_PRINTERS.iter().any(|known| known.eq_ignore_ascii_case(port.trim()));
            let printer = Setting::printer(
                &id_from_name(name.as_bytes()),
                &format!("Printer {name}"),
                &[
                    ("name", Some(name.clone())),
                    ("address", address_of(&port)),
                    ("port", Some(port)),
                    ("driver", row.text("Printer Driver")),
                    ("location", row.text("Location")),
                    ("shared-as", row.text("Share Name")),
                ],
            );
            let is_new = |printer: &Setting| settings.iter().all(|known: &Setting| known.id != printer.id);
            settings.extend(printer.filter(|printer| !no_printer && is_new(printer)));
        }
    }
    settings
}

/// The settings of a person, from that person's own registry.
pub fn of_person(own: &impl RegistryKey) -> Vec<Setting> {
    let text = |path: &str, name: &str| own.subkey(path)?.text(name);
    let number = |path: &str, name: &str| own.subkey(path)?.number(name).map(|number| number.to_string());
    let mut settings = Vec::new();
    settings.extend(Setting::new(
        "locale",
        "Language and formats",
        &[
            ("name", text("Control Panel\\International", "LocaleName")),
            // Windows 2000 and XP know only the number.
            ("windows-id", text("Control Panel\\International", "Locale")),
        ],
    ));
    let layouts = own.subkey("Keyboard Layout\\Preload").map(|key| {
        let mut names = key.value_names();
        names.sort();
        names.iter().filter_map(|name| key.text(name)).collect::<Vec<_>>().join(" ")
    });
    settings.extend(Setting::new("keyboard", "Keyboard layouts", &[("windows-layouts", layouts)]));
    let desktop = "Control Panel\\Desktop";
    let wallpaper =
        text(desktop, "Wallpaper").filter(|path| !path.to_ascii_lowercase().contains("\\windows\\web\\"));
    if wallpaper.as_ref().is_some_and(|path| !path.is_empty()) {
        let facts = [
            ("file", wallpaper),
            ("style", text(desktop, "WallpaperStyle")),
            ("tiled", text(desktop, "TileWallpaper")),
        ];
        settings.extend(Setting::new("wallpaper", "Picture on the desktop", &facts));
    }
    let mouse = "Control Panel\\Mouse";
    settings.extend(Setting::new(
        "mouse",
        "Mouse",
        &[
            ("swap-buttons", text(mouse, "SwapMouseButtons")),
            ("double-click-speed", text(mouse, "DoubleClickSpeed")),
            ("sensitivity", text(mouse, "MouseSensitivity")),
            ("wheel-lines", text(desktop, "WheelScrollLines")),
        ],
    ));
    let flags = |name: &str| text(&format!("Control Panel\\Accessibility\\{name}"), "Flags");
    settings.extend(Setting::new(
        "accessibility",
        "Ease of access",
        &[
            ("sticky-keys", flags("StickyKeys")),
            ("filter-keys", flags("Keyboard Response")),
            ("toggle-keys", flags("ToggleKeys")),
            ("mouse-keys", flags("MouseKeys")),
            ("high-contrast", flags("HighContrast")),
        ],
    ));
    let advanced = "Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\Advanced";
    settings.extend(Setting::new(
        "file-view",
        "How files are shown",
        &[("hidden", number(advanced, "Hidden")), ("hide-extensions", number(advanced, "HideFileExt"))],
    ));
    settings.extend(own.subkey("Environment").and_then(|key| environment(&key, "Environment variables")));
    if let Some(drives) = own.subkey("Network") {
        for letter in drives.subkey_names() {
            let Some(drive) = drives.subkey(&letter) else { continue };
            let (id, title) = (
                format!("drive/{}", id_from_name(letter.as_bytes())),
                format!("Drive {}:", letter.to_uppercase()),
            );
            let facts = [
                ("letter", Some(letter.to_uppercase())),
                ("server-folder", drive.text("RemotePath")),
                ("signed-in-as", drive.text("UserName")),
            ];
            settings.extend(Setting::new(&id, &title, &facts));
        }
    }
    if let Some(connections) = own.subkey("Printers\\Connections") {
        // A backslash cannot stand in a key's name: `,,server,printer`.
        for path in connections.subkey_names().iter().map(|name| name.replace(',', "\\")) {
            let name = path.rsplit('\\').next().unwrap_or_default().to_owned();
            let id = id_from_name(path.trim_matches('\\').as_bytes());
            let facts = [("name", Some(name)), ("server-printer", Some(path.clone()))];
            settings.extend(Setting::printer(&id, &format!("Printer {path}"), &facts));
        }
    }
    let device = text("Software\\Microsoft\\Windows NT\\CurrentVersion\\Windows", "Device");
    let name = device.and_then(|device| device.split(',').next().map(str::to_owned));
    settings.extend(Setting::new("default-printer", "The usual printer", &[("name", name)]));
    settings
}

/// The name of the machine, of the control set in force.
pub fn computer_name(control_set: &impl RegistryKey) -> Option<String> {
    control_set
        .subkey("Control\\ComputerName\\ComputerName")?
        .text("ComputerName")
        .filter(|name| !name.is_empty())
}

/// The variables that somebody set.
fn environment(key: &impl RegistryKey, title: &str) -> Option<Setting> {
    let names: Vec<String> = key
        .value_names()
        .into_iter()
        .filter(|name| !NOT_A_PERSONS_VARIABLES.iter().any(|known| known.eq_ignore_ascii_case(name)))
        .collect();
    let facts: Vec<(&str, Option<String>)> =
        names.iter().map(|name| (name.as_str(), key.text(name))).collect();
    Setting::new("environment", title, &facts)
}
