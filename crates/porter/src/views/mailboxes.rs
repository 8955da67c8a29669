//! The letters in a trunk, to be read at the bench.

use super::numbers::{counted, size};
use super::rows::{self, shortened};
use crate::failure::Outcome;
use crate::screen::{BOLD, CARE, FAINT, say, styled};
use porter_formats::mail::head::summary;
use porter_formats::mail::parts::readable;
use porter_kinds::mail::letters_listed::{FolderKind, LetterListed, Listed};
use porter_kinds::mail::mailboxes::MailFolder;
use porter_names::screen::on_screen;
use time::OffsetDateTime;
use unicode_width::UnicodeWidthStr;

fn shown(text: &str) -> String {
    on_screen(text.as_bytes())
}

/// The names down to a folder, as they are typed.
pub(crate) fn path_of(folder: &MailFolder) -> String {
    folder.path.join("/")
}

fn show_flaws(listed: &Listed) -> Outcome {
    for flaw in &listed.flaws {
        say(styled(CARE, format_args!("! {}", shown(flaw))));
    }
    Outcome::attention_if(!listed.flaws.is_empty())
}

/// The word for one thing of a folder.
pub(crate) fn thing_of(kind: FolderKind) -> &'static str {
    match kind {
        FolderKind::Letters => "letter",
        FolderKind::Contacts => "contact",
        FolderKind::Events => "event",
        FolderKind::Tasks => "task",
        FolderKind::Notes => "note",
        FolderKind::Other => "other thing",
    }
}

/// The name of who wrote a letter, or else the address.
fn who(from: &str) -> String {
    let name = from.split('<').next().unwrap_or_default().trim().trim_matches('"');
    shown(if name.is_empty() { from } else { name })
}

/// All folders, with how much is in each.
pub(crate) fn show_folders(listed: &Listed) -> Outcome {
    let name = |folder: &MailFolder| shown(&path_of(folder));
    let longest = listed.folders.iter().map(|row| name(&row.folder).width()).max().unwrap_or(0);
    for row in &listed.folders {
        let name = name(&row.folder);
        let room = " ".repeat(longest - name.width());
        say(format_args!("  {name}{room}  {}", counted(row.number, thing_of(row.kind))));
    }
    show_flaws(listed)
}

/// The letters of a folder: number, day, length, who wrote it, what about.
pub(crate) fn show_letters(folder: &MailFolder, listed: &Listed) -> Outcome {
    say(styled(BOLD, shown(&path_of(folder))));
    let digits = listed.letters.len().to_string().len();
    let width = rows::width();
    for (number, LetterListed { summary, size_in_bytes }) in (1..).zip(&listed.letters) {
        let Some(summary) = summary else {
            say(styled(CARE, format_args!("  {number:>digits$}  damaged")));
            continue;
        };
        let day = summary.at_utc.map_or_else(|| " ".repeat(10), |at| at.date().to_string());
        let mark = if summary.flags.is_read { ' ' } else { '*' };
        let size = size(*size_in_bytes);
        let from = shortened(&who(&summary.from), 28);
        let room = " ".repeat(28_usize.saturating_sub(from.width()));
        let begin = format!("  {number:>digits$} {mark} {day}  {size:>9}  {from}{room}  ");
        let subject = shortened(&shown(&summary.subject), width.saturating_sub(begin.width()).max(20));
        say(format_args!("{begin}{subject}"));
    }
    if listed.letters.iter().any(|row| row.summary.as_ref().is_some_and(|summary| !summary.flags.is_read)) {
        say(styled(FAINT, "  * nobody has read it"));
    }
    show_flaws(listed)
}

/// One letter as a person reads it.
pub(crate) fn show_letter(letter: &[u8], listed: &Listed) -> Outcome {
    let head = &letter[..porter_formats::mail::head::end_of(letter)];
    let of_head = summary(head);
    let rows = porter_formats::mail::head::lines(head);
    let line = |name: &str| {
        let row = rows.iter().find(|(own, _)| own.eq_ignore_ascii_case(name.as_bytes()));
        row.map(|(_, value)| porter_formats::mail::head::decoded(value)).unwrap_or_default()
    };
    let day = of_head.at_utc.map(|at: OffsetDateTime| super::numbers::date_and_time(at));
    let facts = [
        ("From", of_head.from.clone()),
        ("To", line("to")),
        ("Copy", line("cc")),
        ("Date", day.unwrap_or_else(|| line("date"))),
        ("Subject", of_head.subject),
    ];
    for (name, value) in facts.iter().filter(|(_, value)| !value.is_empty()) {
        say(format_args!("{} {}", styled(FAINT, format_args!("{name:<8}")), shown(value)));
    }
    let body = readable(letter);
    for (name, length) in &body.files {
        say(format_args!(
            "{} {} ({})",
            styled(FAINT, format_args!("{:<8}", "File")),
            shown(name),
            size(*length)
        ));
    }
    say("");
    for line in body.text.lines() {
        say(shown(line));
    }
    show_flaws(listed)
}
