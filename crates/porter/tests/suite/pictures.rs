//! The picture of a person's account, from a Windows to the desktop of a Linux.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use porter_hive::Hive;

fn sid_of_odile(bench: &Workbench) -> String {
    let software = std::fs::read(bench.path("LOFT-PC/Windows/System32/config/SOFTWARE")).unwrap();
    let hive = Hive::from_bytes(software).unwrap();
    let people = hive.key("Microsoft\\Windows NT\\CurrentVersion\\ProfileList").unwrap();
    let is_hers = |key: &porter_hive::Key<'_>| {
        key.value("ProfileImagePath")
            .and_then(|path| path.text())
            .is_some_and(|path| path.ends_with("\\odile"))
    };
    people.subkeys().filter_map(Result::ok).find(is_hers).unwrap().name().to_string()
}

#[test]
fn the_picture_of_an_account_comes_from_a_windows_to_the_sign_in_of_a_linux() {
    let bench = Workbench::with_demo_machines();
    let pictures = "LOFT-PC/Users/Public/AccountPictures";
    let sid = sid_of_odile(&bench);
    bench.write(&format!("{pictures}/{sid}/x-Image32.jpg"), b"\xff\xd8\xff small".as_slice());
    bench.write(
        &format!("{pictures}/{sid}/x-Image1080.jpg"),
        b"\xff\xd8\xff a kite over the harbour".as_slice(),
    );
    bench.write(&format!("{pictures}/{sid}/desktop.ini"), "[.ShellClassInfo]\r\n".repeat(9));
    bench.porter(&["capture", "LOFT-PC", "pictured", "--quiet"]);
    bench.write("LINUX/etc/os-release", "PRETTY_NAME=\"Kite Linux 3\"\n");
    bench.write("LINUX/etc/passwd", "odile:x:1000:1000::/home/odile:/bin/sh\n");
    for folder in ["users", "icons"] {
        std::fs::create_dir_all(bench.path(&format!("LINUX/var/lib/AccountsService/{folder}"))).unwrap();
    }
    std::fs::create_dir_all(bench.path("LINUX/home/odile")).unwrap();
    let only = ["--only", "odile/setting/picture"];
    bench.porter(&[&["restore", "pictured", "LINUX", "--yes", "--quiet"], &only[..]].concat()).with_status(0);
    let icon = "LINUX/var/lib/AccountsService/icons/odile";
    assert_eq!(std::fs::read(bench.path(icon)).unwrap(), b"\xff\xd8\xff a kite over the harbour");
    let check = [&["check", "pictured", "LINUX", "--json", "-"], &only[..]].concat();
    let receipt = bench.porter(&check).with_status(0).json();
    let items = receipt["items"].as_array().unwrap();
    let picture = items.iter().find(|item| item["id"] == "odile/setting/picture").unwrap();
    assert_eq!(picture["verdict"], "landed");
    bench.porter(&["undo", "LINUX", "--yes", "--quiet"]).with_status(0);
    assert!(!bench.path(icon).exists());
}
