//! Settings of a running Windows, each by the interface that Windows has for it.

#[path = "windows/computer_name.rs"]
mod computer_name;
#[path = "windows/power.rs"]
mod power;
#[path = "windows/time_zone.rs"]
mod time_zone;
#[path = "windows/variable.rs"]
mod variable;

use crate::control::session::broadcast;
use crate::library::is_wine;
use std::io;

fn wrong(detail: String) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidInput, detail)
}

/// Wine ends a program at some calls that it does not have.
fn refuse_wine() -> io::Result<()> {
    if is_wine() {
        let why = "this is not a Windows but Wine, which cannot set it";
        return Err(io::Error::new(io::ErrorKind::Unsupported, why));
    }
    Ok(())
}

pub(super) fn read(what: &str) -> io::Result<Option<String>> {
    match what.split_once('/') {
        None if what == "time-zone" => time_zone::read(),
        None if what == "computer-name" => computer_name::read(),
        Some(("variable", name)) => variable::read(name),
        Some(("power", what)) => power::read(what),
        _ => Err(wrong(format!("`{what}` is no setting of this system"))),
    }
}

pub(super) fn set(what: &str, value: &str) -> io::Result<()> {
    match what.split_once('/') {
        None if what == "time-zone" => time_zone::set(value),
        None if what == "computer-name" => computer_name::set(value),
        Some(("variable", name)) => variable::set(name, value),
        Some(("power", what)) => power::set(what, value),
        _ => Err(wrong(format!("`{what}` is no setting of this system"))),
    }
}

/// All others always have a value.
pub(super) fn remove(what: &str) -> io::Result<()> {
    match what.split_once('/') {
        Some(("variable", name)) => variable::remove(name),
        _ => Err(io::ErrorKind::Unsupported.into()),
    }
}

pub(super) fn tell(whats: &[&str]) {
    if whats.iter().any(|what| what.starts_with("variable/")) {
        broadcast("Environment");
    }
    if whats.contains(&"time-zone") {
        broadcast("intl");
    }
}
