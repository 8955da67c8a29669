//! Print queues, and which of them is the usual one, of a print system that runs.

#[cfg(unix)]
#[path = "printing/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "printing/windows.rs"]
mod system;

use super::{Control, fact};
use porter_names::Facts;
use std::io;

/// A print queue, or a class of them. Its facts are those of a printer (`docs/settings.md`), with `make`,
/// which is `raw`, `driverless` or `described`, and `ppd`, the description: a letter for each of its bytes.
pub struct PrintQueues;

/// The usual printer: `name`.
pub struct UsualPrinter;

/// The fact that says which driver.
pub const MAKE: &str = "make";
/// The fact that holds a description.
pub const PPD: &str = "ppd";

/// The fact of a port that was made for its printer, on Windows.
pub const PORT_MADE: &str = "port-made";

/// The drivers that are installed, by name, where the print system has such names.
pub fn drivers() -> Vec<String> {
    system::drivers()
}

/// The ports there are, by name, where the print system has such names.
pub fn ports() -> Vec<String> {
    system::ports()
}

/// Prints a text on a queue. The print system takes it; whether a page comes out is for somebody to see.
pub fn print_text(queue: &str, title: &str, text: &str) -> io::Result<()> {
    system::print_text(queue, title, text)
}

/// The bytes of a description as letters, one for each.
pub fn letters_of(file: &[u8]) -> String {
    file.iter().map(|byte| char::from(*byte)).collect()
}

impl Control for PrintQueues {
    fn name(&self) -> &'static str {
        "print-queue"
    }

    fn read(&self, _: &str, like: &Facts) -> io::Result<Option<Facts>> {
        system::read_queue(fact(like, "name")?)
    }

    fn set(&self, _: &str, becomes: &Facts) -> io::Result<()> {
        system::set_queue(becomes)
    }

    fn remove(&self, _: &str, made: &Facts) -> io::Result<()> {
        system::remove_queue(made)
    }

    fn shown(&self, _: &str, facts: &Facts) -> String {
        format!("printer {}", facts.get("name").map_or("", String::as_str))
    }

    fn is_same(&self, one: &Facts, other: &Facts) -> bool {
        system::is_same_queue(one, other)
    }
}

impl Control for UsualPrinter {
    fn name(&self) -> &'static str {
        "usual-printer"
    }

    fn read(&self, _: &str, _: &Facts) -> io::Result<Option<Facts>> {
        Ok(system::usual()?.map(|name| Facts::from([("name".to_owned(), name)])))
    }

    fn set(&self, _: &str, becomes: &Facts) -> io::Result<()> {
        system::make_usual(fact(becomes, "name")?)
    }

    /// Where none was usual before, it is none again once its queue is removed.
    fn remove(&self, _: &str, _: &Facts) -> io::Result<()> {
        Ok(())
    }

    fn shown(&self, _: &str, facts: &Facts) -> String {
        format!("usual printer {}", facts.get("name").map_or("", String::as_str))
    }
}
