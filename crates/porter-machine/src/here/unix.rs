//! A running Linux: its files show nearly everything.

use super::{HereError, Opened};
use crate::cups::{self, server::Server};
use crate::linux;
use crate::setting::SettingKind;
use porter_source::HostFolder;
use std::path::Path;

pub(super) fn open() -> Result<Opened, HereError> {
    let root = Path::new("/");
    let volume =
        HostFolder::open(root).map_err(|cause| HereError::Unreadable { path: root.to_path_buf(), cause })?;
    let mut facts = linux::facts_of(&volume);
    // The print system knows better than its files, which it writes with a delay.
    if let Some(queues) = Server::here().and_then(|server| server.queues().ok()) {
        facts.settings.retain(|known| known.kind != SettingKind::Printer && known.id != "default-printer");
        facts.settings.extend(cups::settings_of(&queues));
    }
    let running = rustix::system::uname();
    let name = running.nodename().to_string_lossy().into_owned();
    facts.name = Some(name.clone());
    let model = std::fs::read_to_string("/proc/cpuinfo").ok().and_then(|text| model_in(&text));
    let kind = running.machine().to_string_lossy().into_owned();
    facts.processor = Some(model.map_or(kind.clone(), |model| format!("{kind}, {model}")));
    Ok(Opened { volume, name, facts })
}

pub(super) fn is_administrator() -> bool {
    rustix::process::geteuid().is_root()
}

/// The name of the first processor in `/proc/cpuinfo`.
fn model_in(text: &str) -> Option<String> {
    let line = text.lines().find(|line| line.starts_with("model name"))?;
    Some(line.split_once(':')?.1.trim().to_owned()).filter(|model| !model.is_empty())
}
