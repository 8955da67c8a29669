//! A printer in a CUPS that runs: its queue by meaning, wherever it comes from, and its driver.

use crate::ground::Ground;
use crate::trunk_file;
use porter_formats::ppd;
use porter_formats::print_defaults::PrintDefaults;
use porter_machine::Machine;
use porter_machine::control::Control;
use porter_machine::control::printing::{MAKE, PPD, PrintQueues, UsualPrinter, letters_of};
use porter_machine::cups::queue::{Queue, queue_name};
use porter_machine::layout::Family;
use porter_names::{Facts, RelativePath};
use porter_trunk::{Entry, TrunkItem};

/// The controls that set printers.
pub(super) const QUEUES: &dyn Control = &PrintQueues;
pub(super) const USUAL: &dyn Control = &UsualPrinter;

/// The item that holds the files of a print system.
const FILES: &str = "machine/print/cups";
/// No description is longer.
const LONGEST_PPD_IN_BYTES: u64 = 4 << 20;
/// Addresses that a queue may have. A file or a program of the system is none.
const SCHEMES: [&str; 12] =
    ["ipp", "ipps", "http", "https", "socket", "lpd", "smb", "dnssd", "usb", "hp", "parallel", "bluetooth"];

/// True if printers can be set on the machine: it runs, its system is one with CUPS, and we may change it.
pub(super) fn runs(ground: &Ground<'_>) -> bool {
    let machine = ground.machine;
    machine.may_be_set()
        && machine.layout.family.has_cups()
        && machine.controls.iter().any(|control| control.name() == QUEUES.name())
}

/// A queue as it is to be.
pub(super) struct Coming {
    pub(super) queue: Queue,
    make: Make,
}

/// Which driver it gets.
enum Make {
    Raw,
    Driverless,
    /// The one that is described in the trunk under this name.
    Described(String),
}

impl Coming {
    /// None for a printer that no queue can be made for: it has no address, or one that has no meaning here.
    pub(super) fn of(item: &TrunkItem, ground: &Ground<'_>) -> Option<Self> {
        if item.account.is_some() {
            return None;
        }
        let is_of_cups = Family::from_name(&ground.label().machine.system.family)?.has_cups();
        let then = Queue::from_facts(&item.facts)?;
        let name = queue_name(&then.name);
        let members: Vec<String> = then.members.iter().map(|member| queue_name(member)).collect();
        let address = if is_of_cups { then.address.clone() } else { address_of(&item.facts) };
        let scheme = address.as_deref().and_then(|address| Some(address.split_once(':')?.0.to_owned()));
        let is_class = !members.is_empty();
        if !is_class && !scheme.as_deref().is_some_and(|scheme| can_reach(ground.machine, scheme)) {
            return None;
        }
        let speaks_ipp = matches!(scheme.as_deref(), Some("ipp" | "ipps"));
        let make = if is_class || (is_of_cups && then.is_raw()) {
            Make::Raw
        } else if then.is_driverless() || (!is_of_cups && speaks_ipp) {
            Make::Driverless
        } else if !is_of_cups {
            Make::Raw
        } else {
            Make::Described(then.name.clone())
        };
        let shown_name = (name != then.name).then(|| then.name.clone());
        let queue = Queue {
            name,
            address: address.filter(|_| !is_class),
            members,
            description: then.description.clone().or(shown_name),
            // Windows has another name for sharing.
            is_shared: then.is_shared || item.facts.contains_key("shared-as"),
            options: if is_of_cups {
                then.options.clone()
            } else {
                let fact = |name: &str| item.facts.get(name).map(String::as_str);
                PrintDefaults::from_facts(fact).to_options()
            },
            ..then
        };
        Some(Self { queue, make })
    }

    /// The facts of the control. A driver that the trunk lacks, or that needs programs which are not here, is
    /// made of what the printer says of itself, if it speaks IPP; else there is none.
    pub(super) fn facts(self, ground: &Ground<'_>) -> Facts {
        let mut facts = self.queue.facts();
        let make = match self.make {
            Make::Raw => "raw",
            Make::Driverless => "driverless",
            Make::Described(name) => match description(&name, ground) {
                Some(file) => {
                    facts.insert(PPD.to_owned(), letters_of(&file));
                    "described"
                }
                None if self.queue.address.as_deref().is_some_and(|address| address.starts_with("ipp")) => {
                    "driverless"
                }
                None => "raw",
            },
        };
        facts.insert(MAKE.to_owned(), make.to_owned());
        facts
    }
}

/// The address of a Windows' printer, as CUPS writes it.
fn address_of(facts: &Facts) -> Option<String> {
    let text = |name: &str| facts.get(name).map(String::as_str);
    if let Some(path) = text("server-printer") {
        let path = path.trim_start_matches('\\').replace('\\', "/");
        return Some(format!("smb://{}", path.replace(' ', "%20")));
    }
    let host = text("address")?;
    if host.contains("://") {
        // Windows prints by IPP to a web address.
        return Some(host.replacen("http://", "ipp://", 1).replacen("https://", "ipps://", 1));
    }
    let is_host = host.chars().all(|c| c.is_ascii_alphanumeric() || "-._:[]".contains(c));
    let host =
        if host.contains(':') && !host.starts_with('[') { format!("[{host}]") } else { host.to_owned() };
    let port = text("port-number").filter(|port| port.chars().all(|c| c.is_ascii_digit()));
    is_host.then(|| match text("protocol") {
        Some("lpr") => format!("lpd://{host}/{}", text("queue").unwrap_or("print")),
        _ => format!("socket://{host}:{}", port.unwrap_or("9100")),
    })
}

/// True if the print system has a program for such addresses.
fn can_reach(machine: &Machine, scheme: &str) -> bool {
    const FOLDERS: [&str; 2] = ["usr/lib/cups/backend", "usr/libexec/cups/backend"];
    if !SCHEMES.contains(&scheme) {
        return false;
    }
    let is_there = |path: &str| has(machine, path);
    let folders: Vec<&&str> = FOLDERS.iter().filter(|folder| is_there(folder)).collect();
    folders.is_empty() || folders.iter().any(|folder| is_there(&format!("{folder}/{scheme}")))
}

fn has(machine: &Machine, path: &str) -> bool {
    RelativePath::from_bytes(path.as_bytes()).is_ok_and(|path| machine.volume.metadata(&path).is_ok())
}

/// The description of a queue, from the trunk. None for one that needs what is not on this machine, or that
/// would have it run commands of its own.
fn description(queue: &str, ground: &Ground<'_>) -> Option<Vec<u8>> {
    let name = format!("/ppd/{queue}.ppd");
    let is_it = |entry: &Entry| entry.item == FILES && entry.address.path.to_string().ends_with(&name);
    let entry = ground.trunk.entries().ok()?.flatten().find(is_it)?;
    let file = trunk_file::read(ground.trunk, &entry, LONGEST_PPD_IN_BYTES)?;
    (ppd::is_one(&file) && may_be_used(&file, ground.machine)).then_some(file)
}

fn may_be_used(file: &[u8], machine: &Machine) -> bool {
    const FOLDERS: [&str; 2] = ["usr/lib/cups/filter", "usr/libexec/cups/filter"];
    let runs_commands = String::from_utf8_lossy(file).contains("FoomaticRIPCommandLine");
    let is_there = |filter: &String| {
        !filter.contains('/') && FOLDERS.iter().any(|folder| has(machine, &format!("{folder}/{filter}")))
    };
    !runs_commands && ppd::filters(file).iter().all(is_there)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_of_windows_are_written_as_cups_writes_them() {
        let address = |rows: &[(&str, &str)]| {
            address_of(&rows.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect())
        };
        for (rows, expected) in [
            (&[("address", "192.0.2.20")][..], Some("socket://192.0.2.20:9100")),
            (
                &[("address", "desk.example"), ("port-number", "9101"), ("protocol", "raw")],
                Some("socket://desk.example:9101"),
            ),
            (
                &[("address", "192.0.2.20"), ("protocol", "lpr"), ("queue", "plans")],
                Some("lpd://192.0.2.20/plans"),
            ),
            (&[("address", "http://192.0.2.20:631/ipp/print")], Some("ipp://192.0.2.20:631/ipp/print")),
            (&[("address", "fe80::1")], Some("socket://[fe80::1]:9100")),
            (&[("server-printer", "\\\\TIDE\\Plans A1")], Some("smb://TIDE/Plans%20A1")),
            (&[("address", "a b; rm")], None),
            (&[("port", "USB001")], None),
        ] {
            assert_eq!(address(rows).as_deref(), expected, "{rows:?}");
        }
    }
}
