//! The running machine.

#[cfg(unix)]
#[path = "here/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "here/windows.rs"]
mod system;

#[cfg(windows)]
pub(crate) use system::{flags_of_local, told_of_local};

use super::facts::SystemFacts;
use super::running::running_programs;
use super::{Machine, NotRecognised, recognise_with};
use porter_source::HostFolder;
use std::io;
use std::path::PathBuf;
use std::sync::Arc;

/// Facts that are known because the machine is the running one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Here {
    /// False if the person who runs us may not read and change everything.
    pub as_administrator: bool,
}

/// Why the running machine cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum HereError {
    /// Its drive cannot be opened.
    #[error("`{}` cannot be opened: {cause}", path.display())]
    Unreadable {
        /// The folder of the drive.
        path: PathBuf,
        /// The system's answer.
        cause: io::Error,
    },
    /// It is a system that we do not know.
    #[error(transparent)]
    NotRecognised(#[from] NotRecognised),
}

/// Opens the running machine: its own drive, and the drives and shares where its people keep their folders.
pub fn here() -> Result<Machine, HereError> {
    let opened = system::open()?;
    let mut machine = recognise_with(Arc::new(opened.volume), opened.name, Some(opened.facts))?;
    machine.running = Some(running_programs());
    machine.controls = super::controls::BUILT_IN;
    machine.here = Some(Here { as_administrator: system::is_administrator() });
    Ok(machine)
}

/// The system's own part.
struct Opened {
    volume: HostFolder,
    name: String,
    facts: SystemFacts,
}
