//! The names of the Wi-Fi networks that a machine knows. Passwords are never read.
//!
//! Windows keeps a file of XML for each (the WLAN profile schema), Linux a key file
//! (`nm-settings-keyfile(5)`), macOS one property list of all.

use super::account::id_from_name;
use super::layout::Family;
use super::looker::Looker;
use super::setting::Setting;
use super::small_file;
use porter_names::RelativePath;
use porter_source::{EntryKind, Volume};

/// The networks, each a setting of its own.
pub(super) fn networks(volume: &dyn Volume, looker: &mut Looker<'_>, family: Family) -> Vec<Setting> {
    let names: Vec<String> = match family {
        Family::Windows => {
            let cards =
                files_in(looker, "ProgramData/Microsoft/Wlansvc/Profiles/Interfaces", EntryKind::Folder);
            let files =
                cards.iter().flat_map(|card| listed(looker, card, EntryKind::File)).collect::<Vec<_>>();
            files.iter().filter_map(|file| name_in_xml(&small_file::read(volume, file)?)).collect()
        }
        Family::Drive => Vec::new(),
        Family::Linux => {
            let files = files_in(looker, "etc/NetworkManager/system-connections", EntryKind::File);
            files.iter().filter_map(|file| name_in_key_file(&small_file::read(volume, file)?)).collect()
        }
        Family::MacOs => {
            let file =
                looker.find(&RelativePath::root(), "Library/Preferences/com.apple.wifi.known-networks.plist");
            small_file::read(volume, &file.path).map(|file| names_in_plist(&file)).unwrap_or_default()
        }
    };
    let setting = |name: &String| {
        let id = format!("wifi/{}", id_from_name(name.as_bytes()));
        Setting::new(&id, &format!("Wi-Fi network {name}"), &[("name", Some(name.clone()))])
    };
    let mut settings: Vec<Setting> = names.iter().filter_map(setting).collect();
    settings.sort_by(|a, b| a.id.cmp(&b.id));
    settings.dedup();
    settings
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
