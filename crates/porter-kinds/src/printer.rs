//! Printers: found as the system tells of them, set in a print system that runs, proved by asking it again.

mod on_cups;
mod on_spooler;

use crate::catalogue::Catalogue;
use crate::changes::{Changes, SetControl};
use crate::ground::Ground;
use crate::item::Item;
use crate::kind::Kind;
use crate::receipt::{ItemReceipt, Reason};
use crate::setting::on_windows;
use crate::values::{items_of, same_on, set_by_hand, tell_of_landed};
use porter_machine::cups::queue::{Queue, queue_name};
use porter_machine::layout::Family;
use porter_machine::tcp_port::TcpPort;
use porter_machine::{Machine, Setting, SettingKind};
use porter_names::Facts;
use porter_trunk::TrunkItem;

/// See the module.
pub struct Printers;

impl Kind for Printers {
    fn name(&self) -> &'static str {
        SettingKind::Printer.name()
    }

    fn find(&self, machine: &Machine, _: &Catalogue) -> Vec<Item> {
        items_of(machine, SettingKind::Printer)
    }

    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        // Those of servers are in the registries of the people who have them.
        items.iter().for_each(|item| on_windows::land(item, ground, changes));
        let on_windows = on_spooler::runs(ground);
        if !on_cups::runs(ground) && !on_windows {
            return;
        }
        // Classes come after the queues that they consist of.
        let (classes, queues): (Vec<&TrunkItem>, Vec<&TrunkItem>) =
            items.iter().partition(|item| item.facts.contains_key("members"));
        for item in queues.into_iter().chain(classes) {
            let now = same_on(item, ground.machine, ground.accounts);
            // A queue of that name that is another is the new machine's own, and stays.
            if now.is_some() {
                continue;
            }
            let becomes = if on_windows {
                on_spooler::coming(item, ground, changes)
            } else {
                on_cups::Coming::of(item, ground).map(|coming| coming.facts(ground))
            };
            if let Some(becomes) = becomes {
                let if_not_set = |detail| Reason::PrinterNotSet { detail };
                changes.set(SetControl::new(&item.id, on_cups::QUEUES, becomes, if_not_set));
            }
        }
    }

    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        if !item.parts.is_empty() || item.facts.is_empty() {
            return;
        }
        let now = same_on(item, ground.machine, ground.accounts);
        if !now.is_some_and(|now| is_met(item, now, ground)) {
            return set_by_hand(row, now.map(|now| now.facts.clone()).unwrap_or_default());
        }
        if ground.machine.layout.family == Family::Windows {
            let mut then = on_spooler::defaults_of(item, ground);
            then.retain(|name, then| now.is_some_and(|now| now.facts.get(name) != Some(then)));
            if !then.is_empty() {
                tell_of_landed(row, Reason::PrinterDefaultsStay { then });
            }
        }
        let has_driver = |facts: &Facts| facts.contains_key("driver");
        if has_driver(&item.facts) && now.is_some_and(|now| !has_driver(&now.facts)) {
            let driver = item.facts.get("driver").cloned().unwrap_or_default();
            tell_of_landed(row, Reason::PrinterWithoutDriver { driver });
        }
    }
}

/// True if the new machine prints in the same way to the same printer. From one print system to another one
/// whatever its driver.
fn is_met(item: &TrunkItem, now: &Setting, ground: &Ground<'_>) -> bool {
    if ground.machine.layout.family.has_cups()
        && let (Some(coming), Some(now)) = (on_cups::Coming::of(item, ground), Queue::from_facts(&now.facts))
    {
        return coming.queue.is_same(&now);
    }
    let place = |facts: &Facts| TcpPort::of(facts).map(|port| (port.host.to_lowercase(), port.number));
    if let (Some(then), Some(now_at)) = (place(&item.facts), place(&now.facts)) {
        let name = |facts: &Facts| facts.get("name").map(|name| name.to_lowercase());
        return then == now_at && name(&item.facts) == name(&now.facts);
    }
    ["name", "address", "server-printer"].iter().all(|name| match item.facts.get(*name) {
        Some(then) => now.facts.get(*name).is_some_and(|now| now.eq_ignore_ascii_case(then)),
        None => true,
    })
}

/// True for a printer that a person may have as the usual one: it is there, or it comes.
pub(crate) fn may_be_usual(item: &TrunkItem, ground: &Ground<'_>, changes: &Changes) -> bool {
    let Some(name) = item.facts.get("name") else { return false };
    let has_cups = ground.machine.layout.family.has_cups();
    let is_it = |facts: &Facts| {
        let names = ["name", "server-printer"].iter().filter_map(|fact| facts.get(*fact));
        // CUPS has fewer letters for names.
        let comparable = |name: &str| if has_cups { queue_name(name) } else { name.to_owned() };
        names.into_iter().any(|known| comparable(known).eq_ignore_ascii_case(&comparable(name)))
    };
    let of_person = ground.account_of(item).map(|account| account.settings.as_slice()).unwrap_or_default();
    let mut there = ground.machine.settings.iter().chain(of_person);
    let is_queue = |known: &Setting| known.kind == SettingKind::Printer && is_it(&known.facts);
    let mut of_servers = ground.trunk.items().iter().filter(|known| known.account == item.account);
    there.any(is_queue)
        || of_servers.any(|known| changes.enters(&known.id) && is_it(&known.facts))
        || changes
            .controls()
            .iter()
            .any(|set| set.control.name() == on_cups::QUEUES.name() && is_it(&set.becomes))
}

/// Makes a printer the usual one, after all queues are there.
pub(crate) fn land_usual(item: &TrunkItem, ground: &Ground<'_>, changes: &mut Changes) {
    let Some(name) = item.facts.get("name").filter(|_| on_cups::runs(ground) && item.account.is_none())
    else {
        return;
    };
    if same_on(item, ground.machine, ground.accounts).is_some() {
        return;
    }
    let becomes = Facts::from([("name".to_owned(), queue_name(name))]);
    // Without a queue of that name, it stays for the person to choose.
    let is_coming = |change: &SetControl| {
        change.control.name() == on_cups::QUEUES.name() && change.becomes.get("name") == becomes.get("name")
    };
    let is_there =
        ground.machine.settings.iter().any(|known| {
            known.kind == SettingKind::Printer && known.facts.get("name") == becomes.get("name")
        });
    if is_there || changes.controls().iter().any(is_coming) {
        let if_not_set = |detail| Reason::PrinterNotSet { detail };
        changes.set(SetControl::new(&item.id, on_cups::USUAL, becomes, if_not_set));
    }
}
