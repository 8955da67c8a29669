//! Wi-Fi networks: each becomes one of the new system's own, made of what the old machine's file says.
//! Nothing else of that file comes: a connection may name programs, people and cards.
//!
//! A Linux with NetworkManager gets a key file for each, a Windows that runs gets a profile.

use crate::changes::{Changes, Edit, SetControl};
use crate::ground::Ground;
use crate::receipt::{ItemReceipt, Reason};
use crate::trunk_file;
use crate::values::{same_on, tell_of_landed};
use porter_formats::wifi::{Network, Password, Security};
use porter_machine::account::id_from_name;
use porter_machine::control::Control;
use porter_machine::control::wifi_network::{WifiNetworks, facts};
use porter_machine::layout::Family;
use porter_machine::wifi::{KEY_FILES, PASSWORD, SECURITY, shown_ssid};
use porter_machine::{Machine, Setting};
use porter_names::RelativePath;
use porter_trunk::{ContentHash, TrunkItem};

/// The item that holds the files of a machine's networks.
const FILES: &str = "machine/network/wifi";
const CONTROL: &dyn Control = &WifiNetworks;
const PREFIX: &str = "machine/setting/wifi/";
/// No file of a network is longer.
const LONGEST_IN_BYTES: u64 = 1 << 20;

/// Decides about all networks.
pub(super) fn land(items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
    let machine = ground.machine;
    let is_missing =
        |item: &&&TrunkItem| item.id.starts_with(PREFIX) && same_on(item, machine, ground.accounts).is_none();
    let missing: Vec<&TrunkItem> = items.iter().filter(is_missing).copied().collect();
    // A Windows that does not run has no service that could take one.
    let may = match (machine.layout.family, machine.here) {
        (Family::Linux, here) => here.is_none_or(|here| here.as_administrator) && has_key_files(machine),
        (Family::Windows, _) => machine.may_be_set(),
        _ => false,
    };
    if missing.is_empty() || !may {
        return;
    }
    let captured = networks_of(ground);
    for item in missing {
        let Some(name) = item.facts.get("name") else { continue };
        let known = captured.iter().find(|network| shown_ssid(&network.ssid).trim() == *name);
        let Some(network) = known.cloned().or_else(|| without_file(item, name)) else { continue };
        if machine.layout.family == Family::Linux {
            write_key_file(item, &network, name, ground, changes);
        } else if network.to_profile().is_some() {
            let if_not_set = |detail| Reason::SettingNotSet { detail };
            let secret = match &network.password {
                Password::Is(password) => Some(password.clone()),
                _ => None,
            };
            let set = SetControl::new(&item.id, CONTROL, facts(&network), if_not_set);
            changes.set(SetControl { secret, ..set });
        }
    }
}

/// True for a system with NetworkManager.
fn has_key_files(machine: &Machine) -> bool {
    RelativePath::from_bytes(KEY_FILES.as_bytes()).is_ok_and(|folder| machine.volume.list(&folder).is_ok())
}

fn write_key_file(
    item: &TrunkItem,
    network: &Network,
    name: &str,
    ground: &Ground<'_>,
    changes: &mut Changes,
) {
    let file = network.to_key_file(&number_of(&ground.label().trunk_id.to_string(), network));
    if let Some((at, file)) = free_name(name, ground, changes).zip(file) {
        changes.write(Edit { is_private: true, ..Edit::new(&item.id, at, file.into_bytes()) });
    }
}

/// Says of a network that came without its password that somebody has to type it.
pub(super) fn tell_of_password(item: &TrunkItem, now: Option<&Setting>, row: &mut ItemReceipt) {
    let fact = |name: &str| now?.facts.get(name).map(String::as_str);
    let asks = fact(SECURITY).and_then(Security::from_name).is_some_and(Security::has_password)
        && fact(PASSWORD).is_none();
    if item.id.starts_with(PREFIX) && asks {
        tell_of_landed(row, Reason::WifiWithoutPassword);
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

fn free_name(name: &str, ground: &Ground<'_>, changes: &Changes) -> Option<RelativePath> {
    let folder = RelativePath::from_bytes(KEY_FILES.as_bytes()).ok()?;
    let id = id_from_name(name.as_bytes());
    let paths = (1..100).map(|number| match number {
        1 => format!("{id}.nmconnection"),
        _ => format!("{id}-{number}.nmconnection"),
    });
    let mut paths = paths.filter_map(|name| folder.join(name.as_bytes()).ok());
    paths.find(|at| changes.file(at).is_none() && ground.machine.volume.metadata(at).is_err())
}
