//! The print system of a running Windows, by its own interface: a function for each of its calls.
#![allow(unsafe_code, reason = "calls of the system's interface")]

use crate::library::{lazily, wide};
use crate::tcp_port::TcpPort;
use porter_formats::print_defaults::PrintDefaults;
use std::io;
use std::os::windows::ffi::OsStrExt;
use std::path::Path;
use std::ptr::{null, null_mut};
use windows_sys::Win32::Graphics::Gdi::DEVMODEW;
use windows_sys::Win32::Graphics::Printing::{
    DOC_INFO_1W, PORT_INFO_1W, PRINTER_ACCESS_USE, PRINTER_ALL_ACCESS, PRINTER_ATTRIBUTE_SHARED,
    PRINTER_DEFAULTSW, PRINTER_HANDLE, PRINTER_INFO_2W, PRINTER_INFO_8W, SERVER_ACCESS_ADMINISTER,
};

lazily!("winspool.drv" {
    fn AddPrinterW(server: *const u16, level: u32, printer: *const u8) -> PRINTER_HANDLE;
    fn ClosePrinter(printer: PRINTER_HANDLE) -> i32;
    fn DeletePrinter(printer: PRINTER_HANDLE) -> i32;
    fn DeletePrinterDriverExW(
        server: *const u16,
        environment: *const u16,
        driver: *const u16,
        flags: u32,
        version: u32,
    ) -> i32;
    fn DeletePrinterDriverPackageW(server: *const u16, inf: *const u16, environment: *const u16) -> i32;
    fn DocumentPropertiesW(
        window: *mut std::ffi::c_void,
        printer: PRINTER_HANDLE,
        name: *const u16,
        answer: *mut DEVMODEW,
        wanted: *const DEVMODEW,
        mode: u32,
    ) -> i32;
    fn EndDocPrinter(printer: PRINTER_HANDLE) -> i32;
    fn EnumPortsW(
        server: *const u16,
        level: u32,
        ports: *mut u8,
        length: u32,
        needed: *mut u32,
        count: *mut u32,
    ) -> i32;
    fn EnumPrinterDriversW(
        server: *const u16,
        environment: *const u16,
        level: u32,
        drivers: *mut u8,
        length: u32,
        needed: *mut u32,
        count: *mut u32,
    ) -> i32;
    fn InstallPrinterDriverFromPackageW(
        server: *const u16,
        inf: *const u16,
        driver: *const u16,
        environment: *const u16,
        flags: u32,
    ) -> i32;
    fn OpenPrinterW(
        name: *const u16,
        printer: *mut PRINTER_HANDLE,
        wanted: *const PRINTER_DEFAULTSW,
    ) -> i32;
    fn SetPrinterW(printer: PRINTER_HANDLE, level: u32, becomes: *const u8, command: u32) -> i32;
    fn StartDocPrinterW(printer: PRINTER_HANDLE, level: u32, document: *const DOC_INFO_1W) -> u32;
    fn UploadPrinterDriverPackageW(
        server: *const u16,
        inf: *const u16,
        environment: *const u16,
        flags: u32,
        window: *mut std::ffi::c_void,
        inf_in_store: *mut u16,
        length: *mut u32,
    ) -> i32;
    fn WritePrinter(
        printer: PRINTER_HANDLE,
        bytes: *const std::ffi::c_void,
        length: u32,
        written: *mut u32,
    ) -> i32;
    fn XcvDataW(
        monitor: PRINTER_HANDLE,
        what: *const u16,
        data: *const u8,
        data_length: u32,
        answer: *mut u8,
        answer_length: u32,
        needed: *mut u32,
        status: *mut u32,
    ) -> i32;
});

/// A printer to be added.
pub struct NewPrinter<'a> {
    /// Its name.
    pub name: &'a str,
    /// The name of its port.
    pub port: &'a str,
    /// The name of its driver.
    pub driver: &'a str,
    /// Where it stands.
    pub location: &'a str,
    /// In a person's words.
    pub comment: &'a str,
    /// Its name for other machines, if they may use it.
    pub shared_as: Option<&'a str>,
}

/// `DRIVER_INFO_1W` and `PORT_INFO_1W` are one pointer to a name each.
const NAMES_ALONE: u32 = 1;

/// The drivers that are installed.
pub fn drivers() -> io::Result<Vec<String>> {
    // SAFETY: as `names` promises.
    names(|bytes, length, needed, count| unsafe {
        EnumPrinterDriversW(null(), null(), NAMES_ALONE, bytes, length, needed, count).unwrap_or(0)
    })
}

/// The ports there are.
pub fn ports() -> io::Result<Vec<String>> {
    // SAFETY: as `names` promises.
    names(|bytes, length, needed, count| unsafe {
        EnumPortsW(null(), NAMES_ALONE, bytes, length, needed, count).unwrap_or(0)
    })
}

/// Asks for the length of a list, and then for the list: names of level 1. The buffer that is handed over
/// is as long as is said, and aligned for pointers.
fn names(list: impl Fn(*mut u8, u32, &mut u32, &mut u32) -> i32) -> io::Result<Vec<String>> {
    let (mut needed, mut count) = (0, 0);
    list(null_mut(), 0, &mut needed, &mut count);
    let mut buffer = vec![0_u64; (needed as usize).div_ceil(size_of::<u64>()) + 1];
    let length = (buffer.len() * size_of::<u64>()) as u32;
    if list(buffer.as_mut_ptr().cast(), length, &mut needed, &mut count) == 0 {
        return Err(io::Error::last_os_error());
    }
    // SAFETY: the call says how many structures it has written to the buffer, and where their texts are.
    let rows = unsafe { std::slice::from_raw_parts(buffer.as_ptr().cast::<PORT_INFO_1W>(), count as usize) };
    Ok(rows.iter().map(|row| unsafe { text_at(row.pName) }).collect())
}

/// # Safety
///
/// `text` is null, or ends with a NUL.
unsafe fn text_at(text: *const u16) -> String {
    if text.is_null() {
        return String::new();
    }
    // SAFETY: no unit behind the NUL is looked at.
    unsafe {
        let length = (0..).take_while(|at| *text.add(*at) != 0).count();
        String::from_utf16_lossy(std::slice::from_raw_parts(text, length))
    }
}

/// Makes a port of a printer on the network.
pub fn add_tcp_port(port: &TcpPort) -> io::Result<()> {
    let wrong = || io::Error::new(io::ErrorKind::InvalidInput, "a name of the port is too long");
    let data = port.to_bytes().ok_or_else(wrong)?;
    tell_ports(",XcvMonitor Standard TCP/IP Port", "AddPort", &data)
}

/// Deletes such a port.
pub fn delete_tcp_port(name: &str) -> io::Result<()> {
    /// Length of `DELETE_PORT_DATA_1`: a name of 64 units, 98 bytes, and from 228 on the version, 1.
    const LENGTH: usize = 236;
    let mut data = [0; LENGTH];
    for (at, unit) in name.encode_utf16().take(63).enumerate() {
        data[2 * at..2 * at + 2].copy_from_slice(&unit.to_le_bytes());
    }
    data[228] = 1;
    tell_ports(",XcvMonitor Standard TCP/IP Port", "DeletePort", &data)
}

fn tell_ports(monitor: &str, what: &str, data: &[u8]) -> io::Result<()> {
    let handle = Handle::open(monitor, SERVER_ACCESS_ADMINISTER)?;
    let what = wide(what);
    let (mut needed, mut status) = (0, 0);
    // SAFETY: the texts and the data are as long as is said; nothing is written back but two numbers.
    let called = unsafe {
        XcvDataW(
            handle.0,
            what.as_ptr(),
            data.as_ptr(),
            data.len() as u32,
            null_mut(),
            0,
            &mut needed,
            &mut status,
        )
        .unwrap_or(0)
    };
    // The call's own success says nothing of the port.
    match (called, status) {
        (0, _) => Err(io::Error::last_os_error()),
        (_, 0) => Ok(()),
        (_, status) => Err(io::Error::from_raw_os_error(status.cast_signed())),
    }
}

/// Adds a printer. Its driver and its port are there.
pub fn add_printer(printer: &NewPrinter<'_>) -> io::Result<()> {
    let texts = [
        printer.name,
        printer.port,
        printer.driver,
        printer.comment,
        printer.location,
        "winprint",
        "RAW",
        printer.shared_as.unwrap_or_default(),
    ];
    let mut texts = texts.map(wide);
    let [name, port, driver, comment, location, processor, datatype, share] = &mut texts;
    let info = PRINTER_INFO_2W {
        pPrinterName: name.as_mut_ptr(),
        pPortName: port.as_mut_ptr(),
        pDriverName: driver.as_mut_ptr(),
        pComment: comment.as_mut_ptr(),
        pLocation: location.as_mut_ptr(),
        pPrintProcessor: processor.as_mut_ptr(),
        pDatatype: datatype.as_mut_ptr(),
        pShareName: share.as_mut_ptr(),
        Attributes: if printer.shared_as.is_some() { PRINTER_ATTRIBUTE_SHARED } else { 0 },
        ..PRINTER_INFO_2W::default()
    };
    // SAFETY: the structure is of level 2, and its texts end with a NUL and live until the call is over. The
    // handle is closed once.
    unsafe {
        match AddPrinterW(null(), 2, (&raw const info).cast()).filter(|handle| !handle.Value.is_null()) {
            Some(handle) => ClosePrinter(handle),
            None => return Err(io::Error::last_os_error()),
        };
    }
    Ok(())
}

/// Tells a printer what to do with a page of itself. Its driver decides what it takes of that.
pub fn set_defaults(name: &str, defaults: &PrintDefaults) -> io::Result<()> {
    // Modes of the call, and the level of `SetPrinter` for everybody's defaults (`wingdi.h`, `winspool.h`).
    const GIVE: u32 = 2;
    const TAKE: u32 = 8;
    const FOR_EVERYBODY: u32 = 8;
    let handle = Handle::open(name, PRINTER_ALL_ACCESS)?;
    let name = wide(name);
    let call = |answer: *mut DEVMODEW, wanted: *const DEVMODEW, mode: u32| {
        // SAFETY: the name ends with a NUL; both structures are as long as the driver has said, or null.
        match unsafe { DocumentPropertiesW(null_mut(), handle.0, name.as_ptr(), answer, wanted, mode) } {
            Some(said) if said >= 0 => Ok(said.unsigned_abs() as usize),
            _ => Err(io::Error::last_os_error()),
        }
    };
    // Aligned as the structure is, and never shorter than what all drivers have in common.
    let length_in_bytes = call(null_mut(), null(), 0)?.max(size_of::<DEVMODEW>());
    let mut mode = vec![0_u32; length_in_bytes.div_ceil(size_of::<u32>())];
    call(mode.as_mut_ptr().cast(), null(), GIVE)?;
    let mut bytes: Vec<u8> = mode.iter().flat_map(|part| part.to_le_bytes()).collect();
    if !defaults.enter(&mut bytes) {
        return Err(io::Error::new(io::ErrorKind::InvalidData, "its driver has no such defaults"));
    }
    for (part, four) in mode.iter_mut().zip(bytes.as_chunks::<4>().0) {
        *part = u32::from_le_bytes(*four);
    }
    let mut taken = mode.clone();
    call(taken.as_mut_ptr().cast(), mode.as_ptr().cast(), TAKE | GIVE)?;
    let info = PRINTER_INFO_8W { pDevMode: taken.as_mut_ptr().cast() };
    // SAFETY: the structure is of that level, and lives until the call is over.
    match unsafe { SetPrinterW(handle.0, FOR_EVERYBODY, (&raw const info).cast(), 0) } {
        Some(done) if done != 0 => Ok(()),
        _ => Err(io::Error::last_os_error()),
    }
}

/// Prints bytes of a type that the print system knows: `RAW`, `TEXT`.
pub fn print(name: &str, title: &str, datatype: &str, bytes: &[u8]) -> io::Result<()> {
    let handle = Handle::open(name, PRINTER_ACCESS_USE)?;
    let (mut title, mut datatype) = (wide(title), wide(datatype));
    let document = DOC_INFO_1W {
        pDocName: title.as_mut_ptr(),
        pOutputFile: null_mut(),
        pDatatype: datatype.as_mut_ptr(),
    };
    let mut written = 0;
    // SAFETY: the texts end with a NUL, the bytes are as long as is said, and all live until the end.
    unsafe {
        if StartDocPrinterW(handle.0, 1, &document).unwrap_or(0) == 0 {
            return Err(io::Error::last_os_error());
        }
        let done =
            WritePrinter(handle.0, bytes.as_ptr().cast(), bytes.len() as u32, &mut written).unwrap_or(0);
        let cause = io::Error::last_os_error();
        EndDocPrinter(handle.0);
        match done {
            0 => Err(cause),
            _ if written as usize == bytes.len() => Ok(()),
            _ => Err(io::ErrorKind::WriteZero.into()),
        }
    }
}

/// Deletes a printer.
pub fn delete_printer(name: &str) -> io::Result<()> {
    let handle = Handle::open(name, PRINTER_ALL_ACCESS)?;
    // SAFETY: the handle is open, with the right to do it.
    if unsafe { DeletePrinter(handle.0) }.unwrap_or(0) == 0 {
        Err(io::Error::last_os_error())
    } else {
        Ok(())
    }
}

/// Takes a package of a driver into the store, and returns the path of its setup information there. The
/// system proves its signature, and asks nobody.
pub fn take_in_package(inf: &Path, environment: &str) -> io::Result<String> {
    // A flag of the call (`winspool.h`), and room for a path.
    const SILENTLY: u32 = 1;
    const LONGEST: u32 = 1024;
    let mut inf: Vec<u16> = inf.as_os_str().encode_wide().collect();
    inf.push(0);
    let environment = wide(environment);
    let mut in_store = vec![0_u16; LONGEST as usize];
    let mut length = LONGEST;
    // SAFETY: the texts end with a NUL, and the answer is as long as is said.
    let answer = unsafe {
        UploadPrinterDriverPackageW(
            null(),
            inf.as_ptr(),
            environment.as_ptr(),
            SILENTLY,
            null_mut(),
            in_store.as_mut_ptr(),
            &mut length,
        )
    };
    answered(answer)?;
    let end = in_store.iter().position(|unit| *unit == 0).unwrap_or(in_store.len());
    match String::from_utf16_lossy(&in_store[..end]) {
        path if path.is_empty() => {
            Err(io::Error::other("the print system does not say where its package is"))
        }
        path => Ok(path),
    }
}

/// Installs a driver from the store.
pub fn install_driver(inf_in_store: &str, driver: &str, environment: &str) -> io::Result<()> {
    let [inf, driver, environment] = [inf_in_store, driver, environment].map(wide);
    // SAFETY: the texts end with a NUL.
    answered(unsafe {
        InstallPrinterDriverFromPackageW(null(), inf.as_ptr(), driver.as_ptr(), environment.as_ptr(), 0)
    })
}

/// Deletes a driver that no printer uses, with those of its files that no other driver uses.
pub fn delete_driver(driver: &str, environment: &str) -> io::Result<()> {
    const UNUSED_FILES_TOO: u32 = 1;
    let [driver, environment] = [driver, environment].map(wide);
    // SAFETY: the texts end with a NUL.
    let deleted =
        unsafe { DeletePrinterDriverExW(null(), environment.as_ptr(), driver.as_ptr(), UNUSED_FILES_TOO, 0) };
    if deleted.unwrap_or(0) == 0 { Err(io::Error::last_os_error()) } else { Ok(()) }
}

/// Deletes a package from the store that no driver comes from.
pub fn delete_package(inf_in_store: &str, environment: &str) -> io::Result<()> {
    let [inf, environment] = [inf_in_store, environment].map(wide);
    // SAFETY: the texts end with a NUL.
    answered(unsafe { DeletePrinterDriverPackageW(null(), inf.as_ptr(), environment.as_ptr()) })
}

/// The answer of a call of the newer kind; none of a system that does not have it.
fn answered(answer: Option<i32>) -> io::Result<()> {
    // Answers of installation (`setupapi.h`, `winerror.h`) that the system has no words for.
    const UNTRUSTED: [u32; 5] = [0xe000_0241, 0xe000_0242, 0xe000_0243, 0x800b_0109, 0x800b_0100];
    const WITHOUT_CATALOGUE: [u32; 2] = [0xe000_022f, 0xe000_024b];
    let other = |what: &str, answer: u32| Err(io::Error::other(format!("{what} ({answer:#x})")));
    match answer.map(i32::cast_unsigned) {
        None => Err(io::ErrorKind::Unsupported.into()),
        Some(0) => Ok(()),
        Some(answer) if UNTRUSTED.contains(&answer) => {
            other("Windows does not trust the signature of its package", answer)
        }
        Some(answer) if WITHOUT_CATALOGUE.contains(&answer) => {
            other("its package has files that are not signed", answer)
        }
        // An older number in the newer form.
        Some(answer) if answer >> 16 == 0x8007 => {
            Err(io::Error::from_raw_os_error((answer & 0xffff).cast_signed()))
        }
        Some(answer) if answer.cast_signed() > 0 => Ok(()),
        Some(answer) => Err(io::Error::from_raw_os_error(answer.cast_signed())),
    }
}

struct Handle(PRINTER_HANDLE);

impl Handle {
    fn open(name: &str, access: u32) -> io::Result<Self> {
        let name = wide(name);
        let wanted = PRINTER_DEFAULTSW { DesiredAccess: access, ..PRINTER_DEFAULTSW::default() };
        let mut handle = PRINTER_HANDLE::default();
        // SAFETY: the name ends with a NUL.
        let opened = unsafe { OpenPrinterW(name.as_ptr(), &mut handle, &wanted) }.unwrap_or(0);
        if opened == 0 { Err(io::Error::last_os_error()) } else { Ok(Self(handle)) }
    }
}

impl Drop for Handle {
    fn drop(&mut self) {
        // SAFETY: it is closed once.
        unsafe { ClosePrinter(self.0) };
    }
}
