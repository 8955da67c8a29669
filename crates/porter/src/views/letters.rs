//! The letters that were taken out, folder by folder.

use super::mailboxes::thing_of;
use super::numbers::{count, counted};
use crate::failure::Outcome;
use crate::paths;
use crate::screen::{CARE, say, styled};
use porter_kinds::mail::letters_out::{FolderTaken, LettersTaken};
use porter_names::screen::on_screen;
use std::path::Path;

/// Shows them. Something to look after if a letter is damaged, or a file could not be read.
pub(crate) fn show(taken: &LettersTaken, to: &Path) -> Outcome {
    let sum = |of: fn(&FolderTaken) -> u64| taken.folders.iter().map(of).sum::<u64>();
    let (found, written) = (sum(|row| row.found), sum(|row| row.written));
    let left_out = sum(|row| row.left_out);
    let (damaged, incomplete) = (sum(|row| row.damaged), sum(|row| row.incomplete));
    for row in taken.folders.iter().filter(|row| row.left_out < row.found) {
        let path = on_screen(row.path.join(" / ").as_bytes());
        let mut words = vec![format!("{} of {}", count(row.written), counted(row.found, "letter"))];
        words.extend((row.incomplete > 0).then(|| format!("{} without all parts", count(row.incomplete))));
        words.extend((row.left_out > 0).then(|| format!("{} not asked for", count(row.left_out))));
        words.extend((row.damaged > 0).then(|| format!("{} damaged", count(row.damaged))));
        say(format_args!("  {path}: {}", words.join(", ")));
    }
    for (path, kind, number) in &taken.others {
        let path = on_screen(path.join(" / ").as_bytes());
        let things = counted(*number, thing_of(*kind));
        say(format_args!("  {path}: {things} (--as contacts, calendar, tasks or notes)"));
    }
    for flaw in &taken.flaws {
        say(styled(CARE, format_args!("! {}", on_screen(flaw.as_bytes()))));
    }
    let whole = counted(found, "letter");
    let by_choice =
        if left_out > 0 { format!("; {} were not asked for", count(left_out)) } else { String::new() };
    say(format_args!("Taken: {} of {whole} into {}{by_choice}", count(written), paths::shown(to)));
    Outcome::attention_if(damaged + incomplete > 0 || !taken.flaws.is_empty())
}
