//! One thing that is left to do before a machine is handed over.

use porter_kinds::receipt::ItemReceipt;
use porter_names::screen::on_screen;

/// See the module.
#[derive(Default)]
pub(crate) struct Task {
    /// The person of the old machine whose it is; none if it is everybody's.
    pub(crate) whose: Option<String>,
    /// What it is about.
    pub(crate) what: String,
    /// What to do.
    pub(crate) how: String,
    /// What to type, line by line.
    pub(crate) commands: Vec<String>,
    /// What it was, and what it is now, for a setting.
    pub(crate) was_and_now: Option<(String, String)>,
}

impl Task {
    /// Something about an item, which does not say yet what to do.
    pub(crate) fn about(item: &ItemReceipt) -> Self {
        Self { whose: item.account.clone(), what: on_screen(item.title.as_bytes()), ..Self::default() }
    }
}
