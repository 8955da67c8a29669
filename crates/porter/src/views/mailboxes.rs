//! The letters in a trunk, to be read at the bench.

use super::numbers::{counted, rfc3339, size};
use super::rows::{self, shortened};
use crate::failure::Outcome;
use crate::screen::{BOLD, CARE, FAINT, say, say_json, styled};
use porter_formats::mail::head::summary;
use porter_formats::mail::letter_flags::LetterFlags;
use porter_formats::mail::parts::readable;
use porter_kinds::mail::letters_listed::{FolderKind, FolderListed, LetterListed, Listed};
use porter_kinds::mail::mailboxes::MailFolder;
use porter_names::screen::on_screen;
use serde_json::{Value, json};
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
    outcome(listed)
}

fn outcome(listed: &Listed) -> Outcome {
    Outcome::attention_if(!listed.flaws.is_empty())
}

/// `porter-letters/1`, with one field more.
fn as_json(listed: &Listed, name: &str, value: Value) -> Outcome {
    let mut json = json!({"format": "porter-letters/1", "not_read": listed.flaws});
    json[name] = value;
    say_json(&json);
    outcome(listed)
}

fn flags_json(flags: LetterFlags) -> Value {
    let LetterFlags { is_read, is_answered, is_starred, is_forwarded } = flags;
    json!({"read": is_read, "answered": is_answered, "starred": is_starred, "forwarded": is_forwarded})
}

/// The word for one thing of a folder.
pub(crate) fn thing_of(kind: FolderKind) -> &'static str {
    match kind {
        FolderKind::Letters => "letter",
        FolderKind::Contacts => "contact",
        FolderKind::Events => "event",
        FolderKind::Tasks => "task",
        FolderKind::Notes => "note",
        FolderKind::Journal => "work note",
        FolderKind::Other => "other thing",
    }
}

/// The name of who wrote a letter, or else the address.
fn who(from: &str) -> String {
    let name = from.split('<').next().unwrap_or_default().trim().trim_matches('"');
    shown(if name.is_empty() { from } else { name })
}

/// All folders, with how much is in each.
pub(crate) fn show_folders(listed: &Listed, json: bool) -> Outcome {
    if json {
        let row = |row: &FolderListed| json!({"folder": row.folder.path, "number": row.number, "kind": thing_of(row.kind)});
        return as_json(listed, "folders", listed.folders.iter().map(row).collect());
    }
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
pub(crate) fn show_letters(folder: &MailFolder, listed: &Listed, json: bool) -> Outcome {
    if json {
        let row = |LetterListed { summary, size_in_bytes }: &LetterListed| match summary {
            Some(summary) => json!({
                "bytes": size_in_bytes, "from": summary.from, "subject": summary.subject,
                "at_utc": summary.at_utc.map(rfc3339), "flags": flags_json(summary.flags),
            }),
            None => json!({"damaged": true}),
        };
        return as_json(listed, "letters", listed.letters.iter().map(row).collect());
    }
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
pub(crate) fn show_letter(letter: &[u8], listed: &Listed, json: bool) -> Outcome {
    let head = &letter[..porter_formats::mail::head::end_of(letter)];
    let of_head = summary(head);
    let rows = porter_formats::mail::head::lines(head);
    let line = |name: &str| {
        let row = rows.iter().find(|(own, _)| own.eq_ignore_ascii_case(name.as_bytes()));
        row.map(|(_, value)| porter_formats::mail::head::decoded(value)).unwrap_or_default()
    };
    let day = of_head.at_utc.map(|at: OffsetDateTime| super::numbers::date_and_time(at));
    let body = readable(letter);
    if json {
        let file = |(name, length): &(String, u64)| json!({"name": name, "bytes": length});
        let value = json!({
            "from": of_head.from, "to": line("to"), "copy": line("cc"), "at_utc": of_head.at_utc.map(rfc3339),
            "subject": of_head.subject, "text": body.text, "files": body.files.iter().map(file).collect::<Vec<_>>(),
        });
        return as_json(listed, "letter", value);
    }
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
