//! Wi-Fi networks on a Linux with NetworkManager: each gets a key file of its own, made of what the old
//! machine's file says. Nothing else of that file comes: a connection may name programs, people and cards.

use crate::changes::{Changes, Edit};
use crate::ground::Ground;
use crate::receipt::{Finding, ItemReceipt, Reason, Verdict};
use crate::trunk_file;
use crate::values::same_on;
use porter_formats::wifi::{Network, Password, Security};
use porter_machine::Setting;
use porter_machine::account::id_from_name;
use porter_machine::layout::Family;
use porter_machine::wifi::{KEY_FILES, PASSWORD, SECURITY, shown_ssid};
use porter_names::RelativePath;
use porter_trunk::{ContentHash, TrunkItem};

/// The item that holds the files of a machine's networks.
const FILES: &str = "machine/network/wifi";
const PREFIX: &str = "machine/setting/wifi/";
/// No file of a network is longer.
const LONGEST_IN_BYTES: u64 = 1 << 20;

/// Decides about all networks.
pub(super) fn land(items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
    let machine = ground.machine;
    let may_write = machine.here.is_none_or(|here| here.as_administrator);
    if machine.layout.family != Family::Linux || !may_write {
        return;
    }
    let Ok(folder) = RelativePath::from_bytes(KEY_FILES.as_bytes()) else { return };
    let is_missing =
        |item: &&&TrunkItem| item.id.starts_with(PREFIX) && same_on(item, machine, ground.accounts).is_none();
    let missing: Vec<&TrunkItem> = items.iter().filter(is_missing).copied().collect();
    if missing.is_empty() || machine.volume.list(&folder).is_err() {
        return;
    }
    let captured = networks_of(ground);
    for item in missing {
        let Some(name) = item.facts.get("name") else { continue };
        let known = captured.iter().find(|network| shown_ssid(&network.ssid).trim() == *name);
        let Some(network) = known.cloned().or_else(|| without_file(item, name)) else { continue };
        let file = network.to_key_file(&number_of(&ground.label().trunk_id.to_string(), &network));
        let Some((at, file)) = free_name(&folder, name, ground, changes).zip(file) else { continue };
        changes.write(Edit { is_private: true, ..Edit::new(&item.id, at, file.into_bytes()) });
    }
}

/// Says of a network that came without its password that somebody has to type it.
pub(super) fn tell_of_password(item: &TrunkItem, now: Option<&Setting>, row: &mut ItemReceipt) {
    let needs_one = [Security::Personal, Security::Personal3].map(Security::name);
    let fact = |name: &str| now?.facts.get(name).map(String::as_str);
    let asks = fact(SECURITY).is_some_and(|of| needs_one.contains(&of)) && fact(PASSWORD).is_none();
    if item.id.starts_with(PREFIX) && asks {
        row.find(Finding {
            path: RelativePath::root(),
            verdict: Verdict::Landed,
            reason: Reason::WifiWithoutPassword,
            needs_attention: false,
            expected_at: None,
        });
    }
}

/// The networks in the trunk's files, in one pass. One that cannot be understood is told by its name alone.
fn networks_of(ground: &Ground<'_>) -> Vec<Network> {
    let Ok(entries) = ground.trunk.entries() else { return Vec::new() };
    let of_files = entries.flatten().filter(|entry| entry.item == FILES);
    let files = of_files.filter_map(|entry| trunk_file::read(ground.trunk, &entry, LONGEST_IN_BYTES));
    let is_windows = ground.label().machine.system.family == Family::Windows.name();
    files
        .filter_map(|file| match is_windows {
            true => Network::from_profile(&file).ok(),
            false => Network::from_key_file(&file).ok().flatten(),
        })
        .collect()
}

/// The network of a trunk that has none of its files: somebody left them out.
fn without_file(item: &TrunkItem, name: &str) -> Option<Network> {
    Some(Network {
        ssid: name.as_bytes().to_vec(),
        security: Security::from_name(item.facts.get(SECURITY)?)?,
        is_hidden: item.facts.contains_key("hidden"),
        // Nothing tells that it was joined without being asked for.
        is_automatic: false,
        password: Password::NotThere,
    })
}

/// A number for the connection (RFC 9562, version 8), the same in each run.
fn number_of(trunk_id: &str, network: &Network) -> String {
    let hash = ContentHash::of(&[trunk_id.as_bytes(), b"/", &network.ssid].concat()).to_string();
    let digits = |from: usize, to: usize| hash.get(from..to).unwrap_or_default();
    format!("{}-{}-8{}-8{}-{}", digits(0, 8), digits(8, 12), digits(12, 15), digits(15, 18), digits(18, 30))
}

fn free_name(
    folder: &RelativePath,
    name: &str,
    ground: &Ground<'_>,
    changes: &Changes,
) -> Option<RelativePath> {
    let id = id_from_name(name.as_bytes());
    let paths = (1..100).map(|number| match number {
        1 => format!("{id}.nmconnection"),
        _ => format!("{id}-{number}.nmconnection"),
    });
    let mut paths = paths.filter_map(|name| folder.join(name.as_bytes()).ok());
    paths.find(|at| changes.file(at).is_none() && ground.machine.volume.metadata(at).is_err())
}
