//! Views of mending a trunk. They go to standard error: the receipt is the result.

use super::numbers::{counted, size};
use crate::screen::{BAD, CARE, GOOD, styled, tell};
use porter_names::screen::on_screen;
use porter_trunk::packed_form::{Rebuilt, Resealed};
use porter_trunk::spare::Mended;

/// Lists longer than this are folded.
const LONGEST_LIST: usize = 20;

/// The files that the recovery data repaired.
pub(crate) fn tell_mended(done: &[Mended]) {
    if done.is_empty() {
        tell(styled(
            CARE,
            "! The trunk has no recovery data: nothing of it can be mended. It is made with `capture --recovery 5%`.",
        ));
        return;
    }
    let name = |file: &str| on_screen(file.as_bytes());
    for mended in done {
        match mended {
            Mended::Whole { .. } => {}
            Mended::Repaired { file, repaired_in_bytes } => tell(format_args!(
                "{} {}: {} were rewritten from its recovery data.",
                styled(GOOD, "Mended"),
                name(file),
                size(*repaired_in_bytes)
            )),
            Mended::TooMuch { file, damaged_in_bytes } => tell(format_args!(
                "{} {}: {} are damaged, more than its recovery data can repair. Nothing of it was changed.",
                styled(BAD, "Not mended"),
                name(file),
                size(*damaged_in_bytes)
            )),
            Mended::SpareRenewed { file } => tell(format_args!(
                "{} the recovery data of {}, which was damaged; the file itself is whole.",
                styled(GOOD, "Renewed"),
                name(file)
            )),
            Mended::SpareTooLate { file } => tell(format_args!(
                "{} {}: its recovery data was made by a later porter.",
                styled(CARE, "Not looked at"),
                name(file)
            )),
            Mended::SpareLost { file } => tell(format_args!(
                "{} {}: its recovery data is too damaged to be of use.",
                styled(CARE, "Not looked at"),
                name(file)
            )),
        }
    }
    let whole = done.iter().filter(|mended| matches!(mended, Mended::Whole { .. })).count();
    tell(format_args!("{} of {} had no damage.", whole, counted(done.len() as u64, "file")));
}

/// A file that had no recovery data of use has it now, or not.
pub(crate) fn tell_spare_made(file: &str, made: std::io::Result<()>) {
    let file = on_screen(file.as_bytes());
    match made {
        Ok(()) => tell(format_args!(
            "{} recovery data for {file}, which had none of use; the file itself is whole.",
            styled(GOOD, "Made")
        )),
        Err(cause) => tell(format_args!(
            "{} {file} has no recovery data of use, and none could be written: {cause}.",
            styled(CARE, "!")
        )),
    }
}

/// The label was lost.
pub(crate) fn tell_relabelled() {
    tell(format_args!("{} the label was rebuilt from the rest of the trunk.", styled(GOOD, "Mended:")));
}

/// The state of the wrapped key after mending.
pub(crate) fn tell_resealed(done: Resealed) {
    match done {
        Resealed::Nothing => {}
        Resealed::Copied => tell("There was one copy of the wrapped key, and now there are two."),
        Resealed::Mended => tell(format_args!(
            "{} the wrapped key was rewritten from another copy of it.",
            styled(GOOD, "Mended:")
        )),
    }
}

/// The state of the list after mending.
pub(crate) fn tell_rebuilt(rebuilt: &Rebuilt) {
    match rebuilt {
        Rebuilt::NotNeeded => tell("The trunk's list is whole, and was not changed."),
        Rebuilt::Label => {
            tell_relabelled();
            tell("The trunk's list is whole, and was not changed.");
        }
        Rebuilt::FromSecondCopy => {
            tell(format_args!("{} the list was rewritten from its second copy.", styled(GOOD, "Mended:")));
        }
        Rebuilt::SecondCopy => {
            tell(format_args!(
                "{} the list is whole, and its second copy was rewritten.",
                styled(GOOD, "Mended:")
            ));
        }
        Rebuilt::FromPacks { entries, lost, packs, unheard_of } => {
            tell(format_args!(
                "{} the list was rebuilt from {}: {} were found.",
                styled(GOOD, "Mended:"),
                counted(*packs, "pack"),
                counted(*entries, "entry")
            ));
            tell("What no pack tells is missing from it: what was left behind on the old machine, and why.");
            if *unheard_of > 0 {
                tell(styled(
                    CARE,
                    format_args!(
                        "! {} were to be captured and are in none of these packs. Was the capture cut off, or is a part of the trunk not here (--with FOLDER)?",
                        counted(*unheard_of, "more entry")
                    ),
                ));
            }
            if !lost.is_empty() {
                tell(styled(
                    CARE,
                    format_args!(
                        "! {} lost, because packs are damaged or not here:",
                        counted(lost.len() as u64, "entry")
                    ),
                ));
                for address in lost.iter().take(LONGEST_LIST) {
                    let owner = address.owner.as_deref().unwrap_or("machine");
                    tell(format_args!(
                        "  {}/{}/{}",
                        on_screen(owner.as_bytes()),
                        on_screen(address.place.as_bytes()),
                        address.path
                    ));
                }
                if lost.len() > LONGEST_LIST {
                    tell(format_args!("  … and {} more", lost.len() - LONGEST_LIST));
                }
            }
        }
    }
}
