//! Accounts, and what else of a machine is values: found, compared with a Linux' own, and what is left to do.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
use serde_json::Value;
use std::fs;

/// The item of that id in a survey or a receipt.
fn item<'d>(document: &'d Value, id: &str) -> &'d Value {
    let mut items = document["items"].as_array().unwrap().iter();
    items.find(|item| item["id"] == id).unwrap_or(&Value::Null)
}

/// A new Linux, with an account for Odile that is not quite hers.
fn add_linux(bench: &Workbench) {
    for (file, content) in [
        ("NEW/etc/os-release", "PRETTY_NAME=\"Kite Linux 3\"\n"),
        ("NEW/etc/passwd", "root:x:0:0::/root:/bin/sh\nodile:x:1000:1000::/home/odile:/bin/sh\n"),
        ("NEW/etc/group", "sudo:x:27:\n"),
        ("NEW/home/odile/.config/gtk-3.0/bookmarks", "file:///home/odile/Plans\n"),
        ("NEW/var/lib/x", ""),
    ] {
        let path = bench.path(file);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, content).unwrap();
    }
}

#[test]
fn a_survey_tells_who_has_which_account_and_who_vouches_for_it() {
    let bench = Workbench::with_demo_machines();
    let survey = bench.porter(&["survey", "LOFT-PC", "--json"]).json();
    let facts = |id: &str| item(&survey, id)["facts"].clone();
    assert_eq!(facts("machine/account/odile")["full-name"], "Odile Marchetti");
    assert_eq!(facts("machine/account/odile")["rights"], "administrator");
    assert_eq!(facts("machine/account/tamsin")["rights"], "standard");
    assert_eq!(facts("machine/account/bram")["comment"], "left in 2025");
    assert_eq!(facts("machine/account/bram")["signs-in-with"], "this-machine");
    assert_eq!(facts("machine/setting/power")["plan"], "high-performance");
    assert_eq!(facts("machine/setting/power")["screen-off-plugged-in"], "0");
    let share = facts("machine/setting/share/plans");
    assert_eq!(share["folder"], "C:\\Kite Plans");
    let rights = ["full", "change", "read"].map(|right| share[right].as_str().unwrap());
    assert_eq!(rights, ["administrators", "person odile", "everyone"]);
    let source = facts("odile/setting/odbc/order-book");
    assert_eq!((&source["driver"], &source["Server"]), (&"Harbour SQL".into(), &"harbour".into()));
    assert!(!survey.to_string().contains("kite and string"), "a password stays where it is");

    let survey = bench.porter(&["survey", "TIDEWATER", "--json"]).json();
    let tamsin = item(&survey, "machine/account/tamsin-okafor");
    assert_eq!(tamsin["facts"]["address"], "tamsin@saltmarsh-kiteworks.example");
    assert!(tamsin["cautions"].to_string().contains("account-of-microsoft"), "{tamsin}");
}

#[test]
fn an_account_of_a_linux_is_compared_and_what_it_lacks_comes_as_commands() {
    let bench = Workbench::with_trunk();
    add_linux(&bench);
    let only =
        ["--only", "odile/setting/*", "--only", "machine/account/odile", "--only", "machine/setting/*"];
    let said = bench.porter(
        &[&["restore", "trunk", "NEW", "--yes", "--quiet", "--script", "to-do.sh"], &only[..]].concat(),
    );
    let script = bench.read("to-do.sh");
    for line in [
        "sudo usermod --comment 'Odile Marchetti' -- 'odile'",
        "sudo usermod --append --groups sudo -- 'odile'",
        "sudo localectl set-x11-keymap 'gb,fr'",
        "gsettings set org.gnome.desktop.peripherals.mouse left-handed true",
        "sudo timedatectl set-timezone 'Europe/London'",
    ] {
        assert!(script.contains(line), "{line} is not in {script}\n{said:?}");
    }
    // Her drive is a folder of its server there.
    let bookmarks = bench.read("NEW/home/odile/.config/gtk-3.0/bookmarks");
    assert_eq!(bookmarks, "file:///home/odile/Plans\nsmb://TIDEHOUSE/kites K:\n");
    let receipt = bench.porter(&[&["check", "trunk", "NEW", "--json", "-"], &only[..]].concat()).json();
    assert_eq!(item(&receipt, "odile/setting/drive/k")["verdict"], "landed");
    let account = item(&receipt, "machine/account/odile");
    assert_eq!(account["verdict"], "kept_in_trunk", "{account}");
    let by_hand = receipt["by_hand"].as_array().unwrap();
    let row = by_hand.iter().find(|row| row["item"] == "machine/account/odile").unwrap();
    assert_eq!((&row["was"], &row["now"]), (&"administrator, Odile Marchetti".into(), &"standard".into()));

    // Somebody follows these commands, and another check sees it.
    fs::write(bench.path("NEW/etc/group"), "sudo:x:27:odile\n").unwrap();
    let passwd = bench.read("NEW/etc/passwd").replace("1000:1000::", "1000:1000:Odile Marchetti,,,:");
    fs::write(bench.path("NEW/etc/passwd"), passwd).unwrap();
    let receipt = bench.porter(&[&["check", "trunk", "NEW", "--json", "-"], &only[..]].concat()).json();
    assert_eq!(item(&receipt, "machine/account/odile")["verdict"], "landed");
    bench.porter(&["undo", "NEW", "--yes", "--quiet"]).with_status(0);
    let bookmarks = bench.read("NEW/home/odile/.config/gtk-3.0/bookmarks");
    assert_eq!(bookmarks, "file:///home/odile/Plans\n");
}

#[test]
fn a_persons_usual_printer_is_that_on_a_linux_that_has_it() {
    let bench = Workbench::with_trunk();
    add_linux(&bench);
    let only = ["--only", "odile/setting/default-printer"];
    let restore = [&["restore", "trunk", "NEW", "--yes", "--quiet"], &only[..]].concat();
    let choices = "NEW/home/odile/.cups/lpoptions";
    // A queue has to be there to be the usual one.
    bench.porter(&restore);
    assert!(!bench.path(choices).exists());
    for (file, content) in [
        (
            "NEW/etc/cups/printers.conf",
            "<Printer Front_desk>\nDeviceURI socket://192.0.2.20:9100\n</Printer>\n",
        ),
        (choices, "Default plans media=a4\nDest Front_desk sides=one-sided\n"),
    ] {
        fs::create_dir_all(bench.path(file).parent().unwrap()).unwrap();
        fs::write(bench.path(file), content).unwrap();
    }
    bench.porter(&restore);
    assert_eq!(bench.read(choices), "Dest plans media=a4\nDefault Front_desk sides=one-sided\n");
    let receipt = bench.porter(&[&["check", "trunk", "NEW", "--json", "-"], &only[..]].concat()).json();
    assert_eq!(item(&receipt, "odile/setting/default-printer")["verdict"], "landed");
    // It is right already: nothing is written again.
    let said = bench.porter(&[&restore[..], &["--json"]].concat()).json();
    assert_eq!(said["written"]["files"], 0, "{said}");
    bench.porter(&["undo", "NEW", "--yes", "--quiet"]);
    bench.porter(&["undo", "NEW", "--yes", "--quiet"]);
    assert_eq!(bench.read(choices), "Default plans media=a4\nDest Front_desk sides=one-sided\n");
}

#[test]
fn what_would_run_by_itself_is_carried_and_not_installed() {
    let bench = Workbench::with_trunk();
    let only = ["--only", "machine/*", "--only", "odile/setting/*"];
    bench.porter(&[&["restore", "trunk", "TIDEWATER", "--yes", "--quiet"], &only[..]].concat());
    let store = bench.path("TIDEWATER/Windows/System32");
    assert!(!store.join("DriverStore").exists() && !store.join("Tasks").exists());
    let receipt = bench.porter(&[&["check", "trunk", "TIDEWATER", "--json", "-"], &only[..]].concat()).json();
    for id in
        ["machine/printer-driver/ropewalk-laser-200", "machine/task/scheduled", "odile/setting/autostart"]
    {
        assert_eq!(item(&receipt, id)["verdict"], "kept_in_trunk", "{id}");
    }
    assert_eq!(item(&receipt, "machine/task/scheduled")["files"]["kept_in_trunk"], 1, "Windows' own stay");
    let by_hand = receipt["by_hand"].as_array().unwrap();
    let desk = by_hand.iter().find(|row| row["item"] == "machine/printer/front-desk").unwrap();
    let how = desk["how"].as_str().unwrap();
    assert!(how.contains("porter take TRUNK machine/printer-driver/ropewalk-laser-200"), "{how}");
    bench.porter(&["take", "trunk", "machine/printer-driver/ropewalk-laser-200", "out"]).with_status(0);
    let taken = bench.snapshot("out").into_keys().filter(|path| path.ends_with("sail200.cat")).count();
    assert_eq!(taken, 1);
}

#[test]
fn a_driver_waits_in_the_documents_of_a_windows_that_does_not_run_and_is_never_in_its_store() {
    let bench = Workbench::with_trunk();
    let only = ["--only", "machine/printer-driver/*"];
    let restore = [&["restore", "trunk", "TIDEWATER", "--yes"], &only[..]].concat();
    let said = bench.porter(&[&restore[..], &["--install-drivers"]].concat()).with_status(3).out;
    assert!(said.contains("drivers are installed on a running Windows, as administrator"), "{said}");
    let said = bench.porter(&[&restore[..], &["--install-drivers", "--json"]].concat()).json();
    assert_eq!(said["notes"][0]["item"], "machine/printer-driver/ropewalk-laser-200", "{said}");

    bench.porter(&[&restore[..], &["--land-held", "machine/printer-driver"]].concat()).with_status(0);
    let of_drivers = || {
        let paths = bench.snapshot("TIDEWATER").into_keys().map(|path| path.display().to_string());
        paths.filter(|path| path.contains("sail200")).collect::<Vec<_>>()
    };
    let drivers = of_drivers();
    let folder = "Users/Public/Documents/Printer drivers from LOFT-PC/sail200.inf_amd64_";
    assert!(drivers.len() >= 3 && drivers.iter().all(|path| path.contains(folder)), "{drivers:?}");
    let receipt = bench.porter(&[&["check", "trunk", "TIDEWATER", "--json", "-"], &only[..]].concat()).json();
    let driver = item(&receipt, "machine/printer-driver/ropewalk-laser-200");
    assert_eq!((&driver["verdict"], &driver["files"]["landed"]), (&"landed".into(), &3.into()), "{driver}");
    for _ in 0..3 {
        bench.porter(&["undo", "TIDEWATER", "--yes", "--quiet"]);
    }
    assert_eq!(of_drivers(), [""; 0], "an undo takes them away");
}

#[test]
fn fonts_that_somebody_installed_come_and_those_of_windows_stay() {
    let bench = Workbench::with_trunk();
    let only = ["--only", "machine/font/*"];
    bench
        .porter(&[&["restore", "trunk", "TIDEWATER", "--yes", "--quiet"], &only[..]].concat())
        .with_status(0);
    let fonts = bench.path("TIDEWATER/Windows/Fonts");
    assert!(fonts.join("Halyard Hand.ttf").is_file() && !fonts.join("segoeui.ttf").exists());
    let receipt = bench.porter(&[&["check", "trunk", "TIDEWATER", "--json", "-"], &only[..]].concat()).json();
    let font = item(&receipt, "machine/font/everybody");
    assert_eq!(font["verdict"], "landed", "{font}");
    assert_eq!(font["reasons"][0]["details"]["fonts"][0], "Halyard Hand.ttf", "it is not listed: {font}");
    // A Linux finds it in its own folder, and lists it itself.
    add_linux(&bench);
    bench.porter(&[&["restore", "trunk", "NEW", "--yes", "--quiet"], &only[..]].concat()).with_status(0);
    assert!(bench.path("NEW/usr/local/share/fonts/Halyard Hand.ttf").is_file());
    let receipt = bench.porter(&[&["check", "trunk", "NEW", "--json", "-"], &only[..]].concat()).json();
    let font = item(&receipt, "machine/font/everybody");
    assert_eq!(font["verdict"], "landed", "{font}");
    assert!(!font["reasons"].to_string().contains("fonts-not-listed"), "{font}");
}

#[test]
fn settings_that_were_to_stay_are_not_left_to_be_done() {
    let bench = Workbench::with_trunk();
    let only = ["--only", "odile/setting/*"];
    let keep = ["restore", "trunk", "TIDEWATER", "--yes", "--quiet", "--settings", "keep"];
    bench.porter(&[&keep[..], &only].concat()).with_status(0);
    let receipt = bench.porter(&[&["check", "trunk", "TIDEWATER", "--json", "-"], &only[..]].concat()).json();
    assert_eq!(item(&receipt, "odile/setting/mouse")["verdict"], "kept_existing");
    assert_eq!(receipt["by_hand"].as_array().unwrap().len(), 0, "{}", receipt["by_hand"]);
    // Another restore without that wish sets them.
    bench.porter(&[&["restore", "trunk", "TIDEWATER", "--yes", "--quiet"], &only[..]].concat());
    let receipt = bench.porter(&[&["check", "trunk", "TIDEWATER", "--json", "-"], &only[..]].concat()).json();
    assert_eq!(item(&receipt, "odile/setting/mouse")["verdict"], "landed");
}

#[test]
fn a_persons_language_and_picture_come_to_another_linux_whatever_they_are_called_there() {
    const SERVICE: &str = "var/lib/AccountsService";
    let bench = Workbench::new();
    for (root, name, language) in [("OLD", "odile", "de_AT.UTF-8"), ("NEW", "marchetti", "en_US.UTF-8")] {
        bench.write(&format!("{root}/etc/os-release"), "NAME=Kite\n");
        bench.write(&format!("{root}/etc/passwd"), format!("{name}:x:1000:1000::/home/{name}:/bin/sh\n"));
        bench.write(&format!("{root}/home/{name}/.profile"), "");
        let file = format!("[User]\nLanguage={language}\nXSession=kite\n\n[InputSource0]\nxkb=gb\n");
        bench.write(&format!("{root}/{SERVICE}/users/{name}"), file);
        bench.write(&format!("{root}/{SERVICE}/icons/README"), "");
    }
    bench.write(&format!("OLD/{SERVICE}/icons/odile"), "the picture of a kite");
    let locales = "NEW/usr/lib/locale/locale-archive";
    bench.write(locales, "en_US.utf8\0");
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    let account = ["--account", "odile=marchetti"];
    let restore = [&["restore", "trunk", "NEW", "--yes", "--quiet"], &account[..]].concat();
    let check = |id: &str| {
        let check = [&["check", "trunk", "NEW", "--json", "-", "--quiet"], &account[..]].concat();
        item(&bench.porter(&check).json(), id)["verdict"].as_str().unwrap().to_owned()
    };
    let before = bench.snapshot("NEW/var/lib/AccountsService");
    bench.porter(&restore).with_status(0);
    // A language that was never generated there would be worse than the one there is.
    let file = || bench.read(&format!("NEW/{SERVICE}/users/marchetti"));
    assert!(file().contains("Language=en_US.UTF-8\nXSession=kite\n"), "{}", file());
    assert!(file().contains("Icon=/var/lib/AccountsService/icons/marchetti\n"), "{}", file());
    assert_eq!(bench.read(&format!("NEW/{SERVICE}/icons/marchetti")), "the picture of a kite");
    assert_eq!(check("odile/setting/locale"), "kept_in_trunk");
    assert_eq!(check("odile/setting/picture"), "landed");

    bench.write(locales, "de_AT.utf8\0en_US.utf8\0");
    bench.porter(&restore).with_status(0);
    assert!(file().contains("Language=de_AT.UTF-8\n") && file().contains("xkb=gb\n"), "{}", file());
    assert_eq!(check("odile/setting/locale"), "landed");
    bench.porter(&["undo", "NEW", "--yes", "--quiet"]).with_status(0);
    bench.porter(&["undo", "NEW", "--yes", "--quiet"]).with_status(0);
    assert_eq!(bench.snapshot("NEW/var/lib/AccountsService"), before);
}
