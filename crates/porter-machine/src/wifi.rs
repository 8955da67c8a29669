//! The Wi-Fi networks that a machine knows. Passwords are no facts: they stay in the files that have them.
//!
//! Windows keeps a file of XML for each (the WLAN profile schema), Linux a key file
//! (`nm-settings-keyfile(5)`), macOS one property list of all.

use super::account::id_from_name;
use super::layout::Family;
use super::looker::Looker;
use super::setting::Setting;
use super::small_file;
use porter_formats::wifi::{Network, Password};
use porter_names::RelativePath;
use porter_source::{EntryKind, Volume};

/// The folder of NetworkManager's key files.
pub const KEY_FILES: &str = "etc/NetworkManager/system-connections";
/// A fact of a network.
pub const NAME: &str = "name";
/// A fact of a network: a [`Security`](porter_formats::wifi::Security).
pub const SECURITY: &str = "security";
/// A fact of a network that does not say its name.
pub const HIDDEN: &str = "hidden";
/// Where its password is, if the system has it.
pub const PASSWORD: &str = "password";
const KEPT: &str = "kept";
const BOUND: &str = "bound-to-its-system";

/// The networks, each a setting of its own. A file that cannot be understood gives a name alone.
pub(super) fn networks(volume: &dyn Volume, looker: &mut Looker<'_>, family: Family) -> Vec<Setting> {
    let of_name = |name: String| setting(&name, None);
    let mut settings: Vec<Setting> = match family {
        Family::Windows => {
            let cards =
                files_in(looker, "ProgramData/Microsoft/Wlansvc/Profiles/Interfaces", EntryKind::Folder);
            let files =
                cards.iter().flat_map(|card| listed(looker, card, EntryKind::File)).collect::<Vec<_>>();
            let network = |file: Vec<u8>| match Network::from_profile(&file) {
                Ok(network) => of_network(&network),
                Err(_) => of_name(name_in_xml(&file)?),
            };
            files.iter().filter_map(|file| network(small_file::read(volume, file)?)).collect()
        }
        Family::Drive => Vec::new(),
        Family::Linux => {
            let files = files_in(looker, KEY_FILES, EntryKind::File);
            let network = |file: Vec<u8>| match Network::from_key_file(&file) {
                Ok(network) => of_network(&network?),
                Err(_) => of_name(name_in_key_file(&file)?),
            };
            files.iter().filter_map(|file| network(small_file::read(volume, file)?)).collect()
        }
        Family::MacOs => {
            let file =
                looker.find(&RelativePath::root(), "Library/Preferences/com.apple.wifi.known-networks.plist");
            let names = small_file::read(volume, &file.path).map(|file| names_in_plist(&file));
            names.unwrap_or_default().into_iter().filter_map(of_name).collect()
        }
    };
    settings.sort_by(|a, b| a.id.cmp(&b.id));
    // One that several cards know is one network.
    settings.dedup_by(|later, first| later.id == first.id && later.facts.get(NAME) == first.facts.get(NAME));
    settings
}

fn setting(name: &str, network: Option<&Network>) -> Option<Setting> {
    let id = format!("wifi/{}", id_from_name(name.as_bytes()));
    let password = network.and_then(|network| match network.password {
        Password::Is(_) => Some(KEPT),
        Password::BoundToItsSystem => Some(BOUND),
        Password::NotThere => None,
    });
    let facts = [
        (NAME, Some(name.to_owned())),
        (SECURITY, network.map(|network| network.security.name().to_owned())),
        (HIDDEN, network.filter(|network| network.is_hidden).map(|_| "yes".to_owned())),
        (PASSWORD, password.map(str::to_owned)),
    ];
    Setting::new(&id, &format!("Wi-Fi network {name}"), &facts)
}

fn of_network(network: &Network) -> Option<Setting> {
    setting(&shown_ssid(&network.ssid), Some(network))
}

/// The name of a network as a fact: bytes that are no text are shown.
pub fn shown_ssid(ssid: &[u8]) -> String {
    porter_names::screen::on_screen(ssid)
}

fn files_in(looker: &mut Looker<'_>, folder: &str, kind: EntryKind) -> Vec<RelativePath> {
    let folder = looker.find(&RelativePath::root(), folder).path;
    listed(looker, &folder, kind)
}

fn listed(looker: &mut Looker<'_>, folder: &RelativePath, kind: EntryKind) -> Vec<RelativePath> {
    let rows = looker.list(folder).iter().filter(|row| row.metadata.kind == kind);
    rows.filter_map(|row| folder.join(&row.name).ok()).collect()
}

/// `<SSID>…<name>Loft</name>`.
fn name_in_xml(file: &[u8]) -> Option<String> {
    let text = String::from_utf8_lossy(file);
    let inside = text.split_once("<SSID>")?.1.split_once("</SSID>")?.0;
    let name = inside.split_once("<name>")?.1.split_once("</name>")?.0;
    let name = name.replace("&lt;", "<").replace("&gt;", ">").replace("&quot;", "\"").replace("&apos;", "'");
    Some(name.replace("&amp;", "&"))
}

/// `ssid=Loft` below `[wifi]`; very old ones write the bytes as numbers.
fn name_in_key_file(file: &[u8]) -> Option<String> {
    let text = String::from_utf8_lossy(file);
    let value = text.lines().find_map(|line| line.trim().strip_prefix("ssid="))?;
    let bytes: Option<Vec<u8>> =
        value.trim_end_matches(';').split(';').map(|number| number.parse().ok()).collect();
    match bytes {
        Some(bytes) if value.ends_with(';') => Some(String::from_utf8_lossy(&bytes).into_owned()),
        _ => Some(value.to_owned()),
    }
}

/// Each key is `wifi.network.ssid.` and the name.
fn names_in_plist(file: &[u8]) -> Vec<String> {
    let networks = porter_formats::property_list::from_bytes(file).ok();
    let keys = networks.as_ref().and_then(plist::Value::as_dictionary).map(|networks| networks.keys());
    let names = keys.into_iter().flatten().filter_map(|key| key.strip_prefix("wifi.network.ssid."));
    names.map(str::to_owned).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_read_in_each_systems_own_file() {
        let xml = b"<WLANProfile><name>profile</name><SSIDConfig><SSID><hex>4C</hex><name>Loft &amp; Sail</name></SSID>";
        assert_eq!(name_in_xml(xml).as_deref(), Some("Loft & Sail"));
        assert_eq!(name_in_key_file(b"[wifi]\nssid=Loft\n[wifi-security]\npsk=x\n").as_deref(), Some("Loft"));
        assert_eq!(name_in_key_file(b"[wifi]\nssid=76;111;102;116;\n").as_deref(), Some("Loft"));
        let plist = b"<?xml version=\"1.0\"?><plist version=\"1.0\"><dict><key>wifi.network.ssid.Loft</key><dict/></dict></plist>";
        assert_eq!(names_in_plist(plist), ["Loft"]);
        assert!(names_in_plist(b"bplist00broken").is_empty());
    }
}
