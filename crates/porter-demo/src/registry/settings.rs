//! Settings and printers in the demo's registries.

use porter_hive::{KeyTree, ValueKind};

/// The folder in the driver store of the driver of each printer on the network.
pub const PACKAGE: &str = "sail200.inf_amd64_0c4f2d9a7b31e865";

/// A printer of a machine.
#[derive(Debug, Clone, Copy)]
pub struct Printer {
    /// Its name.
    pub name: &'static str,
    /// Where it is connected.
    pub port: Port,
    /// Its driver.
    pub driver: &'static str,
}

/// Where a printer is connected.
#[derive(Debug, Clone, Copy)]
pub enum Port {
    /// On the network without a server, at an address.
    Network(&'static str),
    /// Anything else, by the name of the port.
    Other(&'static str),
}

/// A person's own settings.
#[derive(Debug, Clone, Copy, Default)]
pub struct OwnSettings {
    /// A letter and a folder on a server.
    pub drive: Option<(&'static str, &'static str)>,
    /// A printer that another PC shares.
    pub server_printer: Option<&'static str>,
    /// The printer that is used unless another is chosen.
    pub usual_printer: Option<&'static str>,
    /// The picture on the desktop.
    pub wallpaper: Option<&'static str>,
    /// A variable.
    pub variable: Option<(&'static str, &'static str)>,
    /// Left-handed people swap them.
    pub swaps_mouse_buttons: bool,
    /// Years of small changes.
    pub is_lived_in: bool,
    /// The page that Internet Explorer opens.
    pub start_page: Option<&'static str>,
    /// The folders of Chrome's profiles; with them comes what its add-ons and Firefox note.
    pub chrome_profiles: &'static [&'static str],
    /// The name of the account, if the person has a mail profile of Outlook.
    pub outlook_of: Option<&'static str>,
}

impl OwnSettings {
    pub(super) fn write(&self, root: &mut KeyTree, is_old: bool) {
        let international = root.key("Control Panel\\International");
        international.set_text("Locale", "00000809");
        if !is_old {
            international.set_text("LocaleName", "en-GB");
        }
        root.key("Keyboard Layout\\Preload").set_text("1", "00000809").set_text("2", "0000040c");
        root.key("Control Panel\\Mouse")
            .set_text("SwapMouseButtons", if self.swaps_mouse_buttons { "1" } else { "0" })
            .set_text("DoubleClickSpeed", "500");
        let standard = if is_old {
            "C:\\WINDOWS\\web\\wallpaper\\Bliss.bmp"
        } else {
            "C:\\Windows\\Web\\Wallpaper\\kites.jpg"
        };
        root.key("Control Panel\\Desktop")
            .set_text("Wallpaper", self.wallpaper.unwrap_or(standard))
            .set_text("WallpaperStyle", "10");
        if let Some((letter, folder)) = self.drive {
            root.key(&format!("Network\\{letter}")).set_text("RemotePath", folder).set_text("UserName", "");
        }
        if let Some(path) = self.server_printer {
            // No key's name can hold a backslash.
            root.key("Printers\\Connections")
                .key(&path.replace('\\', ","))
                .set_text("Provider", "win32spl.dll");
        }
        if let Some(name) = self.usual_printer {
            root.key("Software\\Microsoft\\Windows NT\\CurrentVersion\\Windows")
                .set_text("Device", &format!("{name},winspool,Ne00:"));
        }
        super::lived_in::standard(root);
        if self.is_lived_in {
            super::lived_in::write(root);
        }
        let environment = root.key("Environment").set_expand_text("TEMP", "%USERPROFILE%\\Temp");
        if let Some((name, value)) = self.variable {
            environment.set_text(name, value);
        }
    }
}

/// Time zone and printers: in the control set up to Windows 7, later in `SOFTWARE`.
pub(super) fn of_machine(software: &mut KeyTree, control: &mut KeyTree, version: &str, printers: &[Printer]) {
    let zone = control.key("TimeZoneInformation").set_text("StandardName", "GMT Standard Time");
    if !version.starts_with("5.") {
        zone.set_text("TimeZoneKeyName", "GMT Standard Time");
    }
    let is_new = version.starts_with("10.");
    for printer in printers {
        let print = if is_new {
            software.key("Microsoft\\Windows NT\\CurrentVersion\\Print")
        } else {
            control.key("Print")
        };
        let port = match printer.port {
            Port::Network(address) => format!("IP_{address}"),
            Port::Other(name) => name.to_owned(),
        };
        print
            .key(&format!("Printers\\{}", printer.name))
            .set_text("Name", printer.name)
            .set_text("Port", &port)
            .set_text("Printer Driver", printer.driver);
        if let Port::Network(address) = printer.port {
            print.key(&format!("Printers\\{}", printer.name)).set(
                "Default DevMode",
                ValueKind::Bytes,
                two_sided_a4(),
            );
            let inf = format!("C:\\Windows\\System32\\DriverStore\\FileRepository\\{PACKAGE}\\sail200.inf");
            control
                .key(&format!("Print\\Environments\\Windows x64\\Drivers\\Version-3\\{}", printer.driver))
                .set_text("InfPath", &inf)
                .set_text("DriverVersion", "6.1.0.4");
            let print = if is_new {
                software.key("Microsoft\\Windows NT\\CurrentVersion\\Print")
            } else {
                control.key("Print")
            };
            print
                .key(&format!("Monitors\\Standard TCP/IP Port\\Ports\\{port}"))
                .set_text("HostName", address)
                .set_number("PortNumber", 9100);
        }
    }
}

/// The defaults of a printer: A4, on both sides, and once (`DEVMODEW` of `wingdi.h`, 220 bytes).
fn two_sided_a4() -> Vec<u8> {
    let mut mode = vec![0; 220];
    // Version, length, fields, direction, paper, copies, colour, sides.
    let rows = [(64, 0x401), (68, 220), (72, 0x1903), (76, 1), (78, 9), (86, 1), (92, 2), (94, 2)];
    for (at, value) in rows {
        mode[at..at + 2].copy_from_slice(&u16::to_le_bytes(value));
    }
    mode
}
