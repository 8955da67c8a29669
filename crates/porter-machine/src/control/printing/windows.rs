//! The print system of a Windows, by its own interface.

use super::PORT_MADE;
use crate::library::is_wine;
use crate::registry::{RegistryKey, settings};
use crate::setting::SettingKind;
use crate::spooler::{self, NewPrinter};
use crate::tcp_port::TcpPort;
use porter_formats::print_defaults::PrintDefaults;
use porter_names::Facts;
use std::io;
use winreg::RegKey;
use winreg::enums::HKEY_LOCAL_MACHINE;

pub(super) fn drivers() -> Vec<String> {
    spooler::drivers().unwrap_or_default()
}

pub(super) fn ports() -> Vec<String> {
    spooler::ports().unwrap_or_default()
}

/// By the driver, where the print system makes pages of text; else as the printer itself understands it.
pub(super) fn print_text(queue: &str, title: &str, text: &str) -> io::Result<()> {
    let raw = || spooler::print(queue, title, "RAW", text.as_bytes());
    // Wine takes text, and prints nothing.
    if is_wine() { raw() } else { spooler::print(queue, title, "TEXT", text.as_bytes()).or_else(|_| raw()) }
}

/// As the registry has it, where the print system keeps it.
pub(super) fn read_queue(name: &str) -> io::Result<Option<Facts>> {
    let machine = RegKey::predef(HKEY_LOCAL_MACHINE);
    let (software, set) = (machine.subkey("SOFTWARE"), machine.subkey("SYSTEM\\CurrentControlSet"));
    let settings = settings::of_machine(software.as_ref(), set.as_ref());
    let is_it = |facts: &Facts| facts.get("name").is_some_and(|known| known.eq_ignore_ascii_case(name));
    let printers = settings.into_iter().filter(|known| known.kind == SettingKind::Printer);
    Ok(printers.map(|printer| printer.facts).find(is_it))
}

pub(super) fn set_queue(becomes: &Facts) -> io::Result<()> {
    let text = |name: &str| becomes.get(name).map_or("", String::as_str);
    let wrong = |what: &str| io::Error::new(io::ErrorKind::InvalidData, format!("`{what}` is not given"));
    let (name, driver) = (text("name"), text("driver"));
    if name.is_empty() {
        return Err(wrong("name"));
    }
    // Some print systems (Wine's) add a printer of the same name over the one that is there.
    if read_queue(name)?.is_some() {
        return Err(io::ErrorKind::AlreadyExists.into());
    }
    if !spooler::drivers()?.iter().any(|known| known.eq_ignore_ascii_case(driver)) {
        return Err(io::Error::other(format!("its driver, {driver}, is not installed")));
    }
    let tcp = TcpPort::of(becomes);
    let port = tcp.as_ref().map_or(text("port"), |port| port.name.as_str());
    let is_there = spooler::ports()?.iter().any(|known| known.eq_ignore_ascii_case(port));
    match (&tcp, is_there) {
        (_, true) => {}
        (Some(tcp), false) => spooler::add_tcp_port(tcp)?,
        (None, false) => return Err(io::Error::other(format!("there is no port {port}"))),
    }
    let printer = NewPrinter {
        name,
        port,
        driver,
        location: text("location"),
        comment: text("description"),
        shared_as: becomes.get("shared-as").map(String::as_str),
    };
    let added = spooler::add_printer(&printer).and_then(|()| match read_queue(name)? {
        Some(now) if is_same_queue(&now, becomes) => Ok(()),
        _ => Err(io::Error::other("the print system made it otherwise")),
    });
    if added.is_ok() {
        let fact = |name: &str| becomes.get(name).map(String::as_str);
        let defaults = PrintDefaults::from_facts(fact);
        // The check tells of those that its driver does not take: the queue is there without them.
        if defaults != PrintDefaults::default() {
            let _ = spooler::set_defaults(name, &defaults);
        }
    }
    if added.is_err() && !is_there && tcp.is_some() {
        let _ = spooler::delete_tcp_port(port);
    }
    added
}

pub(super) fn remove_queue(made: &Facts) -> io::Result<()> {
    let name = made.get("name").map_or("", String::as_str);
    spooler::delete_printer(name)?;
    // Another printer may use the port by now: then the print system keeps it.
    if let (true, Some(tcp)) = (made.contains_key(PORT_MADE), TcpPort::of(made)) {
        let _ = spooler::delete_tcp_port(&tcp.name);
    }
    Ok(())
}

pub(super) fn is_same_queue(one: &Facts, other: &Facts) -> bool {
    let same = |name: &str| {
        let text = |facts: &Facts| facts.get(name).map(|text| text.to_lowercase()).unwrap_or_default();
        text(one) == text(other)
    };
    let ports =
        [one, other].map(|facts| TcpPort::of(facts).map(|port| (port.host, port.number, port.lpr_queue)));
    ["name", "driver", "location", "description", "shared-as"].iter().all(|name| same(name))
        && ports[0] == ports[1]
        && (ports[0].is_some() || same("port"))
}

pub(super) fn usual() -> io::Result<Option<String>> {
    Err(io::ErrorKind::Unsupported.into())
}

/// Each person has one: it is a setting of theirs.
pub(super) fn make_usual(_: &str) -> io::Result<()> {
    Err(io::ErrorKind::Unsupported.into())
}
