//! Scheduled tasks: those that came are switched off, and somebody looks at each.

use crate::views::kind::KindWords;
use crate::views::task::Task;
use porter_kinds::receipt::{ItemReceipt, Reason, Receipt};
use porter_names::screen::on_screen;

pub(super) struct ScheduledTasks;

/// The tasks that are on the new machine, and whether each is switched on.
fn there(item: &ItemReceipt) -> impl Iterator<Item = (&str, bool)> {
    item.findings.iter().filter_map(|finding| match &finding.reason {
        Reason::TaskThere { name, is_enabled } => Some((name.as_str(), *is_enabled)),
        _ => None,
    })
}

impl KindWords for ScheduledTasks {
    fn kind(&self) -> &'static str {
        "task"
    }

    fn heading(&self) -> &'static str {
        "Scheduled tasks"
    }

    fn tells_what_is_kept(&self, item: &ItemReceipt) -> bool {
        there(item).count() as u64 == item.files.kept_in_trunk
    }

    fn tasks(&self, item: &ItemReceipt, _: &Receipt) -> Vec<Task> {
        let switched_off: Vec<String> = there(item)
            .filter(|(_, is_enabled)| !is_enabled)
            .map(|(name, _)| on_screen(name.as_bytes()))
            .collect();
        let how = format!(
            "{} came switched off: look at what each does, in the Task Scheduler, and switch on what is wanted",
            switched_off.join(", ")
        );
        (!switched_off.is_empty()).then(|| Task { how, ..Task::about(item) }).into_iter().collect()
    }
}
