//! A setting of the whole running system.

#[cfg(unix)]
#[path = "system_setting/unix.rs"]
mod system;
#[cfg(windows)]
#[path = "system_setting/windows.rs"]
mod system;

use super::{Control, fact};
use porter_names::Facts;
use std::io;

/// See the module. Its facts are `what` and `value`. On Linux `what` is `time-zone`, `locale`, `keyboard` or
/// `computer-name`; on Windows `time-zone`, `computer-name`, `variable/NAME`, `power/plan`, or
/// `power/PLAN/VALUE`.
pub struct SystemSettings;

/// The facts of one.
pub fn facts(what: &str, value: &str) -> Facts {
    [("what", what), ("value", value)].map(|(name, text)| (name.to_owned(), text.to_owned())).into()
}

impl Control for SystemSettings {
    fn name(&self) -> &'static str {
        "system-setting"
    }

    fn read(&self, _: &str, like: &Facts) -> io::Result<Option<Facts>> {
        let what = fact(like, "what")?;
        Ok(system::read(what)?.map(|value| facts(what, &value)))
    }

    fn set(&self, _: &str, becomes: &Facts) -> io::Result<()> {
        system::set(fact(becomes, "what")?, fact(becomes, "value")?)
    }

    fn remove(&self, _: &str, made: &Facts) -> io::Result<()> {
        system::remove(fact(made, "what")?)
    }

    fn tell(&self, _: &str, done: &[&Facts]) {
        let whats = done.iter().filter_map(|facts| facts.get("what").map(String::as_str));
        system::tell(&whats.collect::<Vec<_>>());
    }

    fn shown(&self, _: &str, facts: &Facts) -> String {
        let text = |name: &str| facts.get(name).map_or("", String::as_str);
        format!("{} {}", text("what"), text("value"))
    }
}
