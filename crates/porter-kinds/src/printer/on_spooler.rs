//! A printer in the print system of a running Windows.

use crate::changes::Changes;
use crate::ground::Ground;
use crate::printer_driver;
use porter_formats::print_defaults::PrintDefaults;
use porter_machine::control::printing::{self, PORT_MADE};
use porter_machine::cups::queue::Queue;
use porter_machine::layout::Family;
use porter_machine::tcp_port::TcpPort;
use porter_names::Facts;
use porter_trunk::TrunkItem;

/// True if printers can be set on the machine.
pub(super) fn runs(ground: &Ground<'_>) -> bool {
    let machine = ground.machine;
    machine.may_be_set() && machine.layout.family == Family::Windows
}

/// The facts of the queue as it is to be. None for one that cannot be made here yet: its driver is not
/// installed and does not come, or it is on a cable that has to be plugged in first.
pub(super) fn coming(item: &TrunkItem, ground: &Ground<'_>, changes: &Changes) -> Option<Facts> {
    let driver = item.facts.get("driver")?;
    let is_it = |known: &String| known.eq_ignore_ascii_case(driver);
    if !printer_driver::comes(changes, driver) && !printing::drivers().iter().any(is_it) {
        return None;
    }
    facts_of(item, ground, &printing::ports())
}

fn facts_of(item: &TrunkItem, ground: &Ground<'_>, ports: &[String]) -> Option<Facts> {
    if item.account.is_some() || item.facts.contains_key("members") {
        return None;
    }
    let is_of_cups = Family::from_name(&ground.label().machine.system.family)?.has_cups();
    let keep = [
        "name",
        "address",
        "protocol",
        "port-number",
        "queue",
        "driver",
        "location",
        "description",
        "shared-as",
    ];
    let mut facts: Facts =
        keep.iter().filter_map(|name| Some(((*name).to_owned(), item.facts.get(*name)?.clone()))).collect();
    facts.extend(defaults_of(item, ground));
    if is_of_cups && Queue::from_facts(&item.facts)?.is_shared {
        facts.insert("shared-as".to_owned(), item.facts.get("name")?.clone());
    }
    let has = |port: &str| ports.iter().any(|known| known.eq_ignore_ascii_case(port));
    match TcpPort::of(&item.facts) {
        Some(tcp) => {
            if !has(&tcp.name) {
                facts.insert(PORT_MADE.to_owned(), "yes".to_owned());
            }
            facts.insert("port".to_owned(), tcp.name);
        }
        None => {
            let port = item.facts.get("port").filter(|port| is_parallel_or_serial(port) && has(port))?;
            facts.insert("port".to_owned(), port.clone());
        }
    }
    Some(facts)
}

/// The defaults of a printer, as a Windows tells of them.
pub(super) fn defaults_of(item: &TrunkItem, ground: &Ground<'_>) -> Facts {
    let is_of_cups = Family::from_name(&ground.label().machine.system.family).is_some_and(Family::has_cups);
    let defaults = match Queue::from_facts(&item.facts) {
        Some(queue) if is_of_cups => PrintDefaults::from_options(&queue.options),
        _ => PrintDefaults::from_facts(|name| item.facts.get(name).map(String::as_str)),
    };
    defaults.facts().into_iter().map(|(name, value)| (name.to_owned(), value)).collect()
}

/// `LPT1:` or `COM3:`. A port that is a file is none: it would be written with each job.
fn is_parallel_or_serial(port: &str) -> bool {
    let port = port.to_ascii_uppercase();
    let number = port.strip_prefix("LPT").or_else(|| port.strip_prefix("COM"));
    number.and_then(|rest| rest.strip_suffix(':')).is_some_and(|number| {
        !number.is_empty() && number.len() <= 3 && number.chars().all(|digit| digit.is_ascii_digit())
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_is_no_port_that_a_trunk_may_name() {
        for port in ["LPT1:", "lpt12:", "COM3:"] {
            assert!(is_parallel_or_serial(port), "{port}");
        }
        for port in ["LPT1", "LPT:", "LPT1:C:", "C:\\x.prn", "FILE:", "USB001", "LPT1234:"] {
            assert!(!is_parallel_or_serial(port), "{port}");
        }
    }
}
