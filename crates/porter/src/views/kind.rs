//! The words about the items of a kind.

use super::task::Task;
use porter_core::restore::Plan;
use porter_core::survey::ItemSurvey;
use porter_kinds::receipt::{ItemReceipt, Receipt};
use serde_json::Value;

/// See the module. The defaults are those of items that consist of files alone.
pub(crate) trait KindWords: Sync {
    /// The kind, as items name it.
    fn kind(&self) -> &'static str;

    /// Many of them, as people call them.
    fn heading(&self) -> &'static str;

    /// The contents of an item and its peculiarities: lines below its row in a survey.
    fn told(&self, _row: &ItemSurvey) -> Vec<String> {
        Vec::new()
    }

    /// The same on the sheet for the job, which has room for all that is to be typed.
    fn on_sheet(&self, row: &ItemSurvey) -> Vec<String> {
        self.told(row)
    }

    /// The tasks that an item leaves after a check.
    fn tasks(&self, _item: &ItemReceipt, _receipt: &Receipt) -> Vec<Task> {
        Vec::new()
    }

    /// True if what to do about an item that stays in the trunk is said by tasks of this kind, or of
    /// settings.
    fn tells_what_is_kept(&self, _item: &ItemReceipt) -> bool {
        false
    }

    /// A field of a receipt's JSON.
    fn in_receipt(&self, _receipt: &Receipt) -> Option<(&'static str, Value)> {
        None
    }

    /// A field of a plan's JSON.
    fn in_plan(&self, _plan: &Plan) -> Option<(&'static str, Value)> {
        None
    }
}
