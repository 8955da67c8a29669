//! Windows makes and deletes tasks by its own program, `schtasks`, and keeps the definition of each in a file
//! of its name.

use super::Scheduler;
use crate::library;
use std::io::{self, Read, Write};
use std::path::PathBuf;
use std::process::{Command, Stdio};

/// A definition is not longer.
const LONGEST_IN_BYTES: u64 = 1 << 20;

pub(super) struct Here;

/// Something in the system's own folder.
fn of_system(name: &str) -> io::Result<PathBuf> {
    Ok(library::system_folder().ok_or(io::ErrorKind::NotFound)?.join(name))
}

/// Runs the program of the system's own folder, and takes its words if it fails.
fn schtasks(arguments: &[&std::ffi::OsStr]) -> io::Result<()> {
    let done = Command::new(of_system("schtasks.exe")?).args(arguments).stdin(Stdio::null()).output()?;
    if done.status.success() {
        return Ok(());
    }
    let said = [done.stderr, done.stdout].concat();
    let said = String::from_utf8_lossy(&said);
    let said = said.lines().map(str::trim).find(|line| !line.is_empty());
    Err(io::Error::other(said.unwrap_or("schtasks did not do it").to_owned()))
}

impl Scheduler for Here {
    fn definition(&self, name: &str) -> io::Result<Option<Vec<u8>>> {
        let file = of_system("Tasks")?.join(name);
        let mut definition = Vec::new();
        match std::fs::File::open(file) {
            Ok(file) => file.take(LONGEST_IN_BYTES).read_to_end(&mut definition)?,
            Err(cause) if cause.kind() == io::ErrorKind::NotFound => return Ok(None),
            Err(cause) => return Err(cause),
        };
        Ok(Some(definition))
    }

    fn make(&self, name: &str, definition: &str) -> io::Result<()> {
        let path = std::env::temp_dir().join(format!("porter-task-{}.xml", std::process::id()));
        let units = "\u{feff}".encode_utf16().chain(definition.encode_utf16());
        let bytes: Vec<u8> = units.flat_map(u16::to_le_bytes).collect();
        let _ = std::fs::remove_file(&path);
        std::fs::File::create_new(&path)?.write_all(&bytes)?;
        let task = format!("\\{name}");
        let made =
            schtasks(&["/Create".as_ref(), "/TN".as_ref(), task.as_ref(), "/XML".as_ref(), path.as_ref()]);
        let _ = std::fs::remove_file(&path);
        made
    }

    fn delete(&self, name: &str) -> io::Result<()> {
        let task = format!("\\{name}");
        schtasks(&["/Delete".as_ref(), "/TN".as_ref(), task.as_ref(), "/F".as_ref()])
    }
}
