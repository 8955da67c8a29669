//! The words of each kind of item: no other view names a kind.

mod account;
mod browser;
mod font;
mod mail;
pub(crate) mod setting;
mod task;

use super::kind::KindWords;

/// A kind whose items consist of files alone: its name, and its plural.
struct Plain(&'static str, &'static str);

impl KindWords for Plain {
    fn kind(&self) -> &'static str {
        self.0
    }

    fn heading(&self) -> &'static str {
        self.1
    }
}

/// The words of every kind that comes with porter.
pub(crate) static KINDS: &[&dyn KindWords] = &[
    &account::Accounts,
    &Plain("folder", "Folders"),
    &browser::Browsers,
    &mail::Mail,
    &Plain("contacts", "Contacts"),
    &Plain("calendar", "Calendar"),
    &Plain("notes", "Notes"),
    &Plain("office", "Office"),
    &Plain("keys", "Keys"),
    &font::Fonts,
    &setting::KeptInFiles {
        kind: "network",
        heading: "Network",
        told: &["machine/network/wifi", "machine/network/hosts"],
    },
    &setting::KeptInFiles { kind: "sign-in", heading: "Sign-in", told: &["machine/sign-in/accounts"] },
    &task::ScheduledTasks,
    &setting::KeptInFiles { kind: "print", heading: "Print", told: &["machine/print/cups"] },
    &setting::Settings { kind: "setting", heading: "Settings" },
    &setting::Settings { kind: "printer", heading: "Printers" },
    &setting::PrinterDrivers,
];

/// The words of a kind. One that only a technician's own rule knows has none.
pub(crate) fn words_of(kind: &str) -> Option<&'static dyn KindWords> {
    KINDS.iter().copied().find(|words| words.kind() == kind)
}

#[cfg(test)]
mod tests {
    use super::*;
    use porter_kinds::Kinds;
    use porter_kinds::catalogue::{Catalogue, built_in_rules};
    use porter_machine::layout::Family;

    #[test]
    fn each_kind_has_its_words() {
        let kinds = Kinds::from(Catalogue::built_in(Family::Windows).unwrap());
        let names = kinds.all().filter_map(|kind| kind.name().split('/').next()).map(str::to_owned);
        let of_rules = built_in_rules().unwrap().into_iter().map(|(rule, _)| rule.kind().to_owned());
        for kind in names.chain(of_rules) {
            assert!(words_of(&kind).is_some(), "{kind} has no words");
        }
    }
}
