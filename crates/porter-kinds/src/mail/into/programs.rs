//! The programs, beside those of Mozilla's, that mail can be brought to.

use super::folder_names::Naming;
use super::staging::StagedForm;
use crate::mail::letters_out::LetterForm;
use porter_formats::mail::mbox_writer::Marks;

/// A program.
#[derive(Debug)]
pub(crate) struct Program {
    /// Its name where one is asked for.
    pub(crate) name: &'static str,
    /// As it calls itself.
    pub(super) title: &'static str,
    /// The form in which it takes letters.
    pub(super) form: StagedForm,
    pub(super) way: Way,
    /// The carry rules of its own mail, which comes whole.
    pub(super) own_rules: &'static [&'static str],
}

/// How something comes into a program.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Way {
    /// Files of its own, which it finds: Evolution on a Linux.
    OfItsOwn,
    /// Files in a folder of the person's documents, which the person has it import.
    Waiting,
}

/// See the module.
pub(super) static PROGRAMS: [Program; 4] = [
    Program {
        name: "evolution",
        title: "Evolution",
        form: StagedForm::Mailboxes(Naming::Program, Marks::Evolution),
        way: Way::OfItsOwn,
        own_rules: &["mail/evolution"],
    },
    Program {
        name: "apple-mail",
        title: "Apple Mail",
        form: StagedForm::Mailboxes(Naming::Person, Marks::Mozilla),
        way: Way::Waiting,
        own_rules: &["mail/apple-mail"],
    },
    Program {
        name: "windows-mail",
        title: "Windows Mail",
        form: StagedForm::Files(LetterForm::Letters),
        way: Way::Waiting,
        own_rules: &["mail/windows-mail", "mail/windows-live-mail"],
    },
    Program {
        name: "outlook",
        title: "Outlook",
        form: StagedForm::Files(LetterForm::Msg),
        way: Way::Waiting,
        own_rules: &["mail/outlook-data", "mail/outlook-lists"],
    },
];

/// The one of that name.
pub(crate) fn called(name: &str) -> Option<&'static Program> {
    PROGRAMS.iter().find(|program| program.name == name)
}

/// The one that is called so on a receipt.
pub(super) fn titled(title: &str) -> Option<&'static Program> {
    PROGRAMS.iter().find(|program| program.title == title)
}
