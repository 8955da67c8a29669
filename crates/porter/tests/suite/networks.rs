//! Wi-Fi networks and names of hosts: added to what the new machine has, proved, taken back.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::Value;

const KEY_FILES: &str = "etc/NetworkManager/system-connections";

fn linux(bench: &Workbench, root: &str, hosts: &str) {
    bench.write(&format!("{root}/etc/os-release"), "NAME=Kite\n");
    bench.write(&format!("{root}/etc/passwd"), "odile:x:1000:1000::/home/odile:/bin/sh\n");
    bench.write(&format!("{root}/home/odile/.profile"), "");
    bench.write(&format!("{root}/etc/hosts"), hosts);
    bench.write(&format!("{root}/{KEY_FILES}/harbour"), "[wifi]\nssid=Harbour\n");
}

fn verdict<'r>(receipt: &'r Value, id: &str) -> (&'r str, String) {
    let item = receipt["items"].as_array().unwrap().iter().find(|item| item["id"] == id).unwrap();
    (item["verdict"].as_str().unwrap(), item["reasons"].to_string())
}

#[test]
fn networks_and_names_are_added_and_nothing_else_of_their_files_comes() {
    let bench = Workbench::new();
    linux(&bench, "OLD", "10.0.0.7 tide\n127.0.0.1 localhost\n192.0.2.9 scales\n8.8.8.8 bank.example\n");
    let old = "[connection]\nid=x\nuuid=1\ntype=wifi\ninterface-name=wlp2s0\npermissions=user:odile:;\n[wifi]\nmac-address=00:11:22:33:44:55\n\
               ssid=Sail & Loft\nhidden=true\n[wifi-security]\nkey-mgmt=wpa-psk\npsk=forty kites\n[proxy]\nmethod=1\n";
    bench.write(&format!("OLD/{KEY_FILES}/Loft.nmconnection"), old);
    let server = "[wifi]\nssid=Office\n[wifi-security]\nkey-mgmt=wpa-eap\n[802-1x]\nidentity=odile\n";
    bench.write(&format!("OLD/{KEY_FILES}/Office.nmconnection"), server);
    linux(&bench, "NEW", "127.0.1.1\tnew\n10.9.9.9 Scales");
    let before = bench.snapshot("NEW/etc");
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);

    // A name that the new machine gives to another address stays as it is.
    assert_eq!(bench.read("NEW/etc/hosts"), "127.0.1.1\tnew\n10.9.9.9 Scales\n10.0.0.7\ttide\n");
    let network = bench.read(&format!("NEW/{KEY_FILES}/sail-loft.nmconnection"));
    assert!(network.contains("ssid=Sail & Loft\nhidden=true\n") && network.contains("psk=forty kites\n"));
    for other in ["wlp2s0", "user:odile", "00:11", "proxy"] {
        assert!(!network.contains(other), "{network}");
    }
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let file = bench.path(&format!("NEW/{KEY_FILES}/sail-loft.nmconnection"));
        assert_eq!(std::fs::metadata(file).unwrap().permissions().mode() & 0o777, 0o600);
    }
    let receipt = bench.porter(&["check", "trunk", "NEW", "--json", "-", "--quiet"]).json();
    assert_eq!(verdict(&receipt, "machine/setting/wifi/sail-loft"), ("landed", "[]".to_owned()));
    assert_eq!(verdict(&receipt, "machine/setting/wifi/harbour").0, "landed");
    // A network that asks a server, and a name that means another machine there, are for a person.
    for by_hand in ["machine/setting/wifi/office", "machine/setting/hosts"] {
        assert_eq!(verdict(&receipt, by_hand).0, "kept_in_trunk", "{by_hand}");
    }
    assert!(!receipt.to_string().contains("forty kites"), "a receipt tells no password");

    bench.porter(&["undo", "NEW", "--yes", "--quiet"]).with_status(0);
    assert_eq!(bench.snapshot("NEW/etc"), before);
}

#[test]
fn a_network_of_windows_comes_without_its_password_and_that_is_said() {
    let bench = Workbench::with_trunk();
    linux(&bench, "NEW", "");
    let only = ["--only", "machine/setting/wifi/*", "--account", "odile=odile"];
    bench.porter(&[&["restore", "trunk", "NEW", "--yes", "--quiet"], &only[..]].concat()).with_status(0);
    let network = bench.read(&format!("NEW/{KEY_FILES}/saltmarsh-loft.nmconnection"));
    assert!(network.contains("ssid=Saltmarsh Loft\n") && !network.contains("\npsk="), "{network}");
    let receipt = bench.porter(&[&["check", "trunk", "NEW", "--json", "-"], &only[..2]].concat()).json();
    let (landed, reasons) = verdict(&receipt, "machine/setting/wifi/saltmarsh-loft");
    assert!(landed == "landed" && reasons.contains("wifi-without-password"), "{reasons}");
    let said = bench.porter(&[&["check", "trunk", "NEW"], &only[..2]].concat());
    assert!(said.out.contains("choose the network and type its password"), "{said:?}");
}
