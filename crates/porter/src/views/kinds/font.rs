//! Fonts: those that a Windows does not list yet are installed by a person.

use crate::views::kind::KindWords;
use crate::views::task::Task;
use crate::views::words;
use porter_kinds::receipt::{ItemReceipt, Reason, Receipt};

pub(super) struct Fonts;

impl KindWords for Fonts {
    fn kind(&self) -> &'static str {
        "font"
    }

    fn heading(&self) -> &'static str {
        "Fonts"
    }

    fn tasks(&self, item: &ItemReceipt, _: &Receipt) -> Vec<Task> {
        let not_listed =
            item.findings.iter().filter(|finding| matches!(finding.reason, Reason::FontsNotListed { .. }));
        not_listed.map(|finding| Task { how: words::reason(&finding.reason), ..Task::about(item) }).collect()
    }
}
