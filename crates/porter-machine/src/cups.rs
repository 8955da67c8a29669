//! The print system CUPS, on Linux and macOS: its queues and classes, in its files where it does not run, and
//! by its own protocol where it does.

pub mod files;
pub mod queue;
pub mod requests;

#[cfg(unix)]
pub mod server;

use crate::setting::Setting;
use queue::Queue;

/// The printers of a machine, and which of them is the usual one.
pub fn settings_of(queues: &[Queue]) -> Vec<Setting> {
    let usual = queues.iter().find(|queue| queue.is_usual).map(|queue| queue.name.clone());
    let mut settings: Vec<Setting> = queues.iter().filter_map(Queue::setting).collect();
    settings.extend(Setting::new("default-printer", "The usual printer", &[("name", usual)]));
    settings
}
