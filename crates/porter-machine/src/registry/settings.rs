//! Settings and printers in a Windows registry. The place of each is named beside it.

use super::RegistryKey;
use super::printer_driver::{self, PrinterDriver};
use crate::account::id_from_name;
use crate::data_driver::{self, DataDriver};
use crate::power_plan;
use crate::setting::Setting;
use crate::setting::variables::is_of_system;
use crate::setting::windows::list::read_all;
use crate::setting::windows::odbc;
use crate::setting::windows::own::Own;
use crate::shared_folder;
use crate::time_zone;
use porter_formats::print_defaults::PrintDefaults;

/// Ports that are not printers: fax, files, other programs.
const NOT_PRINTERS: [&str; 6] =
    ["SHRFAX:", "XPSPORT:", "PORTPROMPT:", "NUL:", "FILE:", "MICROSOFT DOCUMENT IMAGING WRITER PORT:"];

/// The drivers for sources of data, from the hive `SOFTWARE`.
pub fn data_drivers(software: &impl RegistryKey) -> Vec<DataDriver> {
    data_driver::drivers(&Own::new(software))
}

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
        settings.extend(power_plan::of_machine(set));
        settings.extend(shared_folder::of_machine(set));
    }
    if let Some(software) = software {
        settings.extend(odbc::of_machine(&Own::new(software)));
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
    let port_of = |port: &str| monitors.iter().flatten().find_map(|ports| ports.subkey(port));
    for printers in roots.iter().flatten().filter_map(|print| print.subkey("Printers")) {
        for name in printers.subkey_names() {
            let Some(row) = printers.subkey(&name) else { continue };
            let port = row.text("Port").unwrap_or_default();
            let tcp = port_of(&port);
            let of_port = |name: &str| tcp.as_ref()?.text(name).filter(|text| !text.is_empty());
            let number = |name: &str| tcp.as_ref()?.number(name);
            // 1 is raw, 2 is LPR.
            let is_lpr = number("Protocol") == Some(2);
            let driver = row.text("Printer Driver");
            let known = driver.as_ref().and_then(|name| printer_driver::named(control_set?, name));
            let of_driver = |what: fn(PrinterDriver) -> Option<String>| known.clone().and_then(what);
            let no_printer = NOT_PRINTERS.iter().any(|known| known.eq_ignore_ascii_case(port.trim()));
            let defaults =
                row.bytes("Default DevMode").and_then(|mode| PrintDefaults::from_devmode(&mode).ok());
            let mut facts = vec![
                ("name", Some(name.clone())),
                ("address", of_port("HostName").or_else(|| of_port("IPAddress"))),
                ("protocol", is_lpr.then(|| "lpr".to_owned())),
                ("queue", of_port("Queue").filter(|_| is_lpr)),
                ("port-number", number("PortNumber").filter(|_| !is_lpr).map(|number| number.to_string())),
                ("port", Some(port)),
                ("driver", driver),
                ("driver-version", of_driver(|driver| driver.version)),
                ("driver-processor", of_driver(|driver| Some(driver.processor.to_owned()))),
                ("driver-package", of_driver(|driver| driver.package)),
                ("location", row.text("Location")),
                ("shared-as", row.text("Share Name")),
                ("description", row.text("Description")),
            ];
            facts.extend(
                defaults.unwrap_or_default().facts().into_iter().map(|(name, value)| (name, Some(value))),
            );
            let id = id_from_name(name.as_bytes());
            let printer = Setting::printer(&id, &format!("Printer {name}"), &facts);
            let is_new = |printer: &Setting| settings.iter().all(|known: &Setting| known.id != printer.id);
            settings.extend(printer.filter(|printer| !no_printer && is_new(printer)));
        }
    }
    settings
}

/// The settings and printers of a person, from that person's own registry.
pub fn of_person(own: &impl RegistryKey) -> Vec<Setting> {
    read_all(&Own::new(own))
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
    let names: Vec<String> = key.value_names().into_iter().filter(|name| !is_of_system(name)).collect();
    let facts: Vec<(&str, Option<String>)> =
        names.iter().map(|name| (name.as_str(), key.text(name))).collect();
    Setting::new("environment", title, &facts)
}
