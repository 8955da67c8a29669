//! The words about mail: how many letters there are.

use crate::views::kind::KindWords;
use crate::views::numbers::count;
use porter_core::survey::ItemSurvey;

/// See the module.
pub(super) struct Mail;

impl KindWords for Mail {
    fn kind(&self) -> &'static str {
        "mail"
    }

    fn heading(&self) -> &'static str {
        "Mail"
    }

    fn told(&self, row: &ItemSurvey) -> Vec<String> {
        let numbers = row.item.counts.iter().filter(|(_, number)| *number > 0);
        let words: Vec<String> = numbers.map(|(name, number)| format!("{} {name}", count(*number))).collect();
        if words.is_empty() { Vec::new() } else { vec![words.join(", ")] }
    }
}
