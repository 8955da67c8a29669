//! One thing that is left to do before a machine is handed over.

use porter_kinds::receipt::ItemReceipt;
use porter_names::screen::on_screen;

/// See the module.
#[derive(Default)]
pub(crate) struct Task {
    /// The person of the old machine whose it is; none if it is everybody's.
    pub(crate) whose: Option<String>,
    /// The topic that it is shown under, before what has none.
    pub(crate) topic: Option<&'static str>,
    /// The thing that it is about.
    pub(crate) what: String,
    /// The work, in words.
    pub(crate) how: String,
    /// The commands to type, line by line.
    pub(crate) commands: Vec<String>,
    /// The old and the present value, for a setting.
    pub(crate) was_and_now: Option<(String, String)>,
}

impl Task {
    /// Something about an item, which does not say yet what to do.
    pub(crate) fn about(item: &ItemReceipt) -> Self {
        Self { whose: item.account.clone(), what: on_screen(item.title.as_bytes()), ..Self::default() }
    }
}
