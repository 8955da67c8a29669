//! Parts of a Windows that everybody has, set and taken away: a source of data, a font, a task. Needs a
//! Windows.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_machine::control::Control;
use porter_machine::control::data_source::DataSources;
use porter_machine::control::installed_font::{self, InstalledFonts};
use porter_machine::control::scheduled_task::ScheduledTasks;
use porter_names::Facts;
use winreg::RegKey;
use winreg::enums::HKEY_LOCAL_MACHINE;

const DRIVERS: &str = "SOFTWARE\\ODBC\\ODBCINST.INI";
const SOURCE: &str = "SOFTWARE\\ODBC\\ODBC.INI\\Order book";

fn facts(rows: &[(&str, &str)]) -> Facts {
    rows.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
}

#[test]
fn a_source_is_set_where_its_driver_is_and_taken_away_again() {
    let book =
        facts(&[("name", "Order book"), ("driver", "Harbour SQL"), ("bits", "64"), ("Server", "harbour")]);
    let machine = RegKey::predef(HKEY_LOCAL_MACHINE);
    let (drivers, _) = machine.create_subkey(format!("{DRIVERS}\\ODBC Drivers")).unwrap();
    let _ = drivers.delete_value("Harbour SQL");
    let _ = DataSources.remove("", &book);
    assert_eq!(DataSources.read("", &book).unwrap(), None);
    assert!(DataSources.set("", &book).unwrap_err().to_string().contains("driver is not installed"));
    drivers.set_value("Harbour SQL", &"Installed").unwrap();
    let (driver, _) = machine.create_subkey(format!("{DRIVERS}\\Harbour SQL")).unwrap();
    driver.set_value("Driver", &"C:\\harbour64.dll").unwrap();

    DataSources.set("", &book).unwrap();
    assert_eq!(DataSources.read("", &book).unwrap(), Some(book.clone()));
    let file: String = machine.open_subkey(SOURCE).unwrap().get_value("Driver").unwrap();
    assert_eq!(file, "C:\\harbour64.dll");
    assert_eq!(DataSources.set("", &book).unwrap_err().kind(), std::io::ErrorKind::AlreadyExists);
    for name in ["", "Order book\\..", "\\"] {
        let other = facts(&[("name", name), ("driver", "Harbour SQL"), ("bits", "64")]);
        assert!(DataSources.set("", &other).is_err() && DataSources.remove("", &other).is_err(), "{name}");
    }
    DataSources.remove("", &book).unwrap();
    assert_eq!(DataSources.read("", &book).unwrap(), None);
    assert!(machine.open_subkey(SOURCE).is_err());
    drivers.delete_value("Harbour SQL").unwrap();
}

#[test]
fn a_font_is_listed_once_its_file_is_there() {
    let font = installed_font::facts("Halyard Hand.ttf").unwrap();
    let file = std::path::Path::new("C:\\windows\\Fonts\\Halyard Hand.ttf");
    let _ = (InstalledFonts.remove("", &font), std::fs::remove_file(file));
    assert!(InstalledFonts.set("", &font).is_err(), "its file did not land");
    std::fs::create_dir_all(file.parent().unwrap()).unwrap();
    std::fs::write(file, b"no outlines").unwrap();
    assert_eq!(installed_font::is_listed("halyard hand.ttf"), Some(false));
    InstalledFonts.set("", &font).unwrap();
    assert_eq!(InstalledFonts.read("", &font).unwrap(), Some(font.clone()));
    InstalledFonts.tell("", &[&font]);
    InstalledFonts.remove("", &font).unwrap();
    assert_eq!(installed_font::is_listed("Halyard Hand.ttf"), Some(false));
    std::fs::remove_file(file).unwrap();
}

#[test]
fn a_system_that_registers_no_task_says_so() {
    let task = "<Task xmlns=\"http://schemas.microsoft.com/windows/2004/02/mit/task\"><Settings><Enabled>false</Enabled></Settings>\
                <Actions><Exec><Command>C:\\k.cmd</Command></Exec></Actions></Task>";
    let task = facts(&[("name", "From LOFT-PC\\Back up"), ("definition", task)]);
    assert_eq!(ScheduledTasks.read("", &task).unwrap(), None);
    // A Windows makes it, and Wine does not.
    match ScheduledTasks.set("", &task) {
        Ok(()) => ScheduledTasks.remove("", &task).unwrap(),
        Err(cause) => assert!(!cause.to_string().is_empty()),
    }
    assert_eq!(ScheduledTasks.read("", &task).unwrap(), None);
}
