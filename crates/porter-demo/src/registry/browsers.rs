//! Browsers' entries in the demo's registries.

use super::settings::OwnSettings;
use crate::writing;
use porter_hive::{KeyTree, ValueKind};

pub(super) fn write(settings: &OwnSettings, root: &mut KeyTree) {
    if let Some(page) = settings.start_page {
        let explorer = root.key("Software\\Microsoft\\Internet Explorer");
        explorer.key("Main").set_text("Start Page", page).set_text("Window_Placement", "restored");
        explorer
            .key("TypedURLs")
            .set_text("url1", "http://tides.example/today")
            .set_text("url2", "http://saltmarsh-kiteworks.example/orders");
        let internet = root.key("Software\\Microsoft\\Windows\\CurrentVersion\\Internet Settings");
        internet.set_number("ProxyEnable", 1).set_text("ProxyServer", "tidehouse:3128");
        internet.key("ZoneMap\\Domains\\harbour-bank.example\\www").set_number("https", 2);
    }
    if settings.chrome_profiles.is_empty() {
        return;
    }
    let chrome = root.key("Software\\Google\\Chrome");
    chrome.key("BLBeacon").set_text("version", "109.0.5414.120").set_number("failed_count", 0);
    chrome
        .key("NativeMessagingHosts\\com.windrose.tides")
        .set_text("", "C:\\Users\\odile\\AppData\\Local\\Windrose\\tides.json");
    for folder in settings.chrome_profiles {
        let macs = chrome.key(&format!("PreferenceMACs\\{folder}"));
        macs.set_text("homepage", &mac(&format!("{folder} homepage")));
        macs.key("extensions.settings").set_text("tidesandwindsfromlastweekonlythe", &mac(folder));
    }
    let firefox = root.key("Software\\Mozilla\\Firefox");
    firefox.key("Launcher").set(
        "C:\\Program Files\\Mozilla Firefox\\firefox.exe|Launcher",
        ValueKind::LongNumber,
        7_u64.to_le_bytes(),
    );
    root.key("Software\\Mozilla\\NativeMessagingHosts\\com.windrose.tides")
        .set_expand_text("", "%LOCALAPPDATA%\\Windrose\\tides-firefox.json");
}

/// As long as a real one.
fn mac(of: &str) -> String {
    writing::noise(of, 32).iter().map(|byte| format!("{byte:02X}")).collect()
}
