//! A queue in a Windows' print system, on a port that is a file: made, told of, printed on, deleted. Needs a
//! Windows.
#![allow(
    clippy::unwrap_used,
    unsafe_code,
    reason = "a test that cannot go on fails; calls of the system's interface"
)]

use porter_machine::control::Control;
use porter_machine::control::printer_driver::{self, PrinterDrivers};
use porter_machine::control::printing::{self, PrintQueues};
use porter_names::Facts;
use std::ptr::{null, null_mut};
use windows_sys::Win32::Foundation::HANDLE;
use windows_sys::Win32::Graphics::Printing::{
    APD_COPY_ALL_FILES, AddPrinterDriverExW, ClosePrinter, DRIVER_INFO_3W, DeletePrinterDriverExW,
    OpenPrinterW, PRINTER_DEFAULTSW, PRINTER_HANDLE, SERVER_ACCESS_ADMINISTER, XcvDataW,
};

const DRIVER: &str = "Ropewalk Laser 200";

fn wide(text: &str) -> Vec<u16> {
    text.encode_utf16().chain([0]).collect()
}

/// A driver of three files with nothing in them.
fn install_driver(folder: &std::path::Path) {
    let file = |name: &str| {
        let path = folder.join(name);
        std::fs::write(&path, b"MZ").unwrap();
        wide(&path.to_string_lossy())
    };
    let (mut driver, mut data, mut ui) = (file("ropewalk.dll"), file("ropewalk.ppd"), file("ropewalkui.dll"));
    let (mut name, mut system, mut raw) = (wide(DRIVER), wide("Windows x64"), wide("RAW"));
    let info = DRIVER_INFO_3W {
        cVersion: 3,
        pName: name.as_mut_ptr(),
        pEnvironment: system.as_mut_ptr(),
        pDriverPath: driver.as_mut_ptr(),
        pDataFile: data.as_mut_ptr(),
        pConfigFile: ui.as_mut_ptr(),
        pHelpFile: null_mut(),
        pDependentFiles: null_mut(),
        pMonitorName: null_mut(),
        pDefaultDataType: raw.as_mut_ptr(),
    };
    // SAFETY: the structure is of level 3, and its texts end with a NUL and live until the call is over.
    let added = unsafe { AddPrinterDriverExW(null(), 3, (&raw const info).cast(), APD_COPY_ALL_FILES) };
    assert!(added != 0, "{}", std::io::Error::last_os_error());
}

fn tell_local_ports(what: &str, port: &str) {
    let (monitor, what, port) = (wide(",XcvMonitor Local Port"), wide(what), wide(port));
    let wanted = PRINTER_DEFAULTSW { DesiredAccess: SERVER_ACCESS_ADMINISTER, ..Default::default() };
    let (mut handle, mut needed, mut status) = (PRINTER_HANDLE::default(), 0, 0);
    // SAFETY: the texts end with a NUL, and the port is as long as is said.
    unsafe {
        assert!(OpenPrinterW(monitor.as_ptr(), &mut handle, &wanted) != 0);
        let length = (port.len() * 2) as u32;
        let done = XcvDataW(
            handle.Value as HANDLE,
            what.as_ptr(),
            port.as_ptr().cast(),
            length,
            null_mut(),
            0,
            &mut needed,
            &mut status,
        );
        ClosePrinter(handle);
        assert!(done != 0 && status == 0, "{status}");
    }
}

/// Takes away what this run, or an earlier one that was broken off, has left.
fn forget(queue: &Facts) {
    let _ = PrintQueues.remove("", queue);
    // SAFETY: the texts end with a NUL.
    unsafe { DeletePrinterDriverExW(null(), wide("Windows x64").as_ptr(), wide(DRIVER).as_ptr(), 0, 0) };
}

#[test]
fn a_queue_is_made_told_of_printed_on_and_deleted() {
    let folder = tempfile::tempdir().unwrap();
    let port = folder.path().join("page.prn").to_string_lossy().into_owned();
    let facts = |rows: &[(&str, &str)]| -> Facts {
        rows.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
    };
    let queue = facts(&[
        ("name", "Front desk"),
        ("driver", DRIVER),
        ("port", &port),
        ("location", "Shop"),
        ("description", "Beside the till"),
    ]);
    forget(&queue);
    let refused = PrintQueues.set("", &queue).unwrap_err().to_string();
    assert!(refused.contains("is not installed"), "{refused}");
    let laser = facts(&[("driver", DRIVER), ("processor", "x64"), ("inf", "sail200.inf"), ("blake3", "0")]);
    assert_eq!(printer_driver::processor(), Some("x64"));
    assert_eq!(PrinterDrivers.read("", &laser).unwrap(), None);
    assert!(PrinterDrivers.set("", &laser).is_err(), "no such package");
    install_driver(folder.path());
    assert_eq!(PrinterDrivers.read("", &laser).unwrap(), Some(laser.clone()));
    assert_eq!(PrinterDrivers.set("", &laser).unwrap_err().kind(), std::io::ErrorKind::AlreadyExists);
    assert!(PrinterDrivers.remove("", &laser).is_err(), "it came from elsewhere");
    assert!(printing::drivers().iter().any(|known| known == DRIVER));
    let refused = PrintQueues.set("", &queue).unwrap_err().to_string();
    assert!(refused.contains("there is no port"), "{refused}");
    tell_local_ports("AddPort", &port);

    assert_eq!(PrintQueues.read("", &queue).unwrap(), None);
    PrintQueues.set("", &queue).unwrap();
    let now = PrintQueues.read("", &queue).unwrap().unwrap();
    assert!(PrintQueues.is_same(&now, &queue), "{now:?}");
    assert_eq!((&now["location"], &now["description"]), (&queue["location"], &queue["description"]));
    assert_eq!(PrintQueues.set("", &queue).unwrap_err().kind(), std::io::ErrorKind::AlreadyExists);
    printing::print_text("Front desk", "plan", "spar 12 mm").unwrap();
    assert_eq!(std::fs::read(&port).unwrap(), b"spar 12 mm");
    assert!(printing::print_text("Sail room", "plan", "x").is_err(), "no such printer");

    PrintQueues.remove("", &queue).unwrap();
    assert_eq!(PrintQueues.read("", &queue).unwrap(), None);
    tell_local_ports("DeletePort", &port);
    forget(&queue);

    // Wine has no ports on the network; a Windows makes one. Either says so.
    let network = facts(&[("name", "Plans"), ("driver", DRIVER), ("address", "192.0.2.31")]);
    assert!(PrintQueues.set("", &network).is_err(), "without its driver");
}
