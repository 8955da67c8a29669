//! Views of a survey.

use super::kinds::words_of;
use super::numbers::{count, counted, date, padded, rfc3339, size};
use super::rows::{Rows, width, without_owner};
use super::words::{self, CautionWords};
use crate::paths;
use crate::screen::{BOLD, CARE, FAINT, say, styled};
use crate::target_speed::time_for;
use anstream::adapter::strip_str;
use porter_core::capture::Shape;
use porter_core::packing::list::to_toml;
use porter_core::survey::{AccountSurvey, ItemSurvey, Survey};
use porter_kinds::caution::Caution;
use porter_kinds::choice::Unchosen;
use porter_machine::{Account, Machine};
use porter_names::screen::on_screen;
use porter_trunk::{SystemLabel, Tally};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use unicode_width::UnicodeWidthStr;

/// A system in a few words.
pub(crate) fn system(system: &SystemLabel) -> String {
    let product = on_screen(system.product.as_bytes());
    match &system.version {
        Some(version) => format!("{product} (version {})", on_screen(version.as_bytes())),
        None => product,
    }
}

/// Free space and limits of the drive for the trunk.
pub(crate) struct Room {
    pub(crate) free_in_bytes: u64,
    /// None if it holds any file.
    pub(crate) largest_file_in_bytes: Option<u64>,
    /// How fast it takes what is written, if that could be tried.
    pub(crate) bytes_per_second: Option<u64>,
}

/// For the terminal.
pub(crate) fn show(machine: &Machine, survey: &Survey, room: Option<&Room>, next: &str) {
    let root = match machine.here {
        Some(_) => "the running machine".to_owned(),
        None => {
            let tree = machine.volume.host_tree();
            tree.map(|tree| paths::shown(tree.root())).unwrap_or_default()
        }
    };
    say(format_args!(
        "{}  {}  {}",
        styled(BOLD, &machine.name),
        system(&machine.system),
        styled(FAINT, root)
    ));
    let shown = survey.items.iter().filter(|row| !row.item.is_setting() && is_news(row));
    let longest =
        shown.map(|row| without_owner(&row.item.id, row.item.owner.as_deref()).width()).max().unwrap_or(0);
    let rows = Rows::new(longest, 2, true);
    for (row, account) in survey.accounts.iter().zip(&machine.accounts) {
        say("");
        say(format_args!("{}  {}", styled(BOLD, named(account)), of_person(row)));
        let own = survey.items.iter().filter(|item| item.item.owner.as_deref() == Some(&row.id));
        show_items(own, rows);
    }
    say("");
    say(styled(BOLD, "For everybody"));
    show_items(survey.items.iter().filter(|item| item.item.owner.is_none()), rows);
    show_cautions(survey);
    say("");
    show_summary(machine, survey, room, next);
}

/// After somebody has ticked: the file that it went into, and what to type next.
pub(crate) fn show_choice(
    machine: &Machine,
    survey: &Survey,
    room: Option<&Room>,
    list: &std::path::Path,
    next: &str,
) {
    show_summary(machine, survey, room, next);
    say(format_args!("{}  {}", styled(BOLD, padded("Written", HEADING)), paths::shown(list)));
}

/// `last used 2026-10-30  1,545 files, 98.8 MB`.
fn of_person(row: &AccountSurvey) -> String {
    let not_read = row.cautions.iter().find_map(|caution| match caution {
        Caution::NotRead { detail } => Some(on_screen(detail.as_bytes())),
        _ => None,
    });
    if let Some(detail) = not_read {
        return styled(CARE, format_args!("NOT READ: {detail}"));
    }
    let last_used =
        row.last_used_utc.map_or("last use unknown".to_owned(), |at| format!("last used {}", date(at)));
    format!(
        "{last_used}  {}, {}{}",
        counted(row.to_capture.files, "file"),
        size(row.to_capture.size_in_bytes),
        marks(&row.cautions)
    )
}

/// The ten-second summary: whose things and how much, the gravest caution, the command to type next.
fn show_summary(machine: &Machine, survey: &Survey, room: Option<&Room>, next: &str) {
    let (mut chosen, mut left) = (Tally::default(), Tally::default());
    for row in survey.items.iter().filter(|row| row.chosen) {
        chosen += row.to_capture;
        left += row.to_leave;
    }
    let at_least = if survey.is_incomplete() { "at least " } else { "" };
    say_wrapped("People", &people(survey));
    say_wrapped(
        "To capture",
        &format!(
            "{at_least}{} in {}{}",
            size(chosen.size_in_bytes),
            counted(chosen.files, "file"),
            match left.size_in_bytes {
                0 => String::new(),
                left => format!("; {} of caches and the like are not needed", size(left)),
            }
        ),
    );
    if let Some(room) = room {
        show_room(survey, chosen, room);
    }
    if !machine.programs.is_empty() {
        let number = count(machine.programs.len() as u64);
        say_wrapped("Programs", &format!("{number} to install again; `--programs FILE.csv` writes the list"));
    }
    let grave: Vec<String> = told(survey)
        .into_iter()
        .filter(|told| told.gravity <= GRAVE)
        .map(|told| format!("{}{}", told.words.mark, whereabouts(&told.places)))
        .collect();
    if let Some((first, more)) = grave.split_first() {
        let more =
            if more.is_empty() { String::new() } else { format!(", and {} more: see above", more.len()) };
        say(format_args!(
            "{}  {}",
            styled(BOLD, padded("Beware", HEADING)),
            styled(CARE, format_args!("! {first}{more}"))
        ));
    }
    // In one piece, to be copied.
    say(format_args!("{}  {next}", styled(BOLD, padded("Next", HEADING))));
}

/// Cautions of up to this gravity stand in the summary.
const GRAVE: u8 = 2;

/// `odile 98.8 MB, tamsin 26.2 MB, everybody 15.0 MB`.
fn people(survey: &Survey) -> String {
    const MOST: usize = 6;
    let is_read = |row: &AccountSurvey| !row.cautions.iter().any(|c| matches!(c, Caution::NotRead { .. }));
    let mut rows: Vec<(&str, Option<u64>)> = survey
        .accounts
        .iter()
        .map(|row| (row.id.as_str(), is_read(row).then_some(row.to_capture.size_in_bytes)))
        .collect();
    // Rows of unknown size come first.
    rows.sort_by_key(|(_, size_in_bytes)| std::cmp::Reverse(size_in_bytes.unwrap_or(u64::MAX)));
    let words = |(name, size_in_bytes): &(&str, Option<u64>)| {
        let amount = size_in_bytes.map_or("NOT READ".to_owned(), size);
        format!("{} {amount}", on_screen(name.as_bytes()))
    };
    let mut told: Vec<String> = rows.iter().take(MOST).map(words).collect();
    if rows.len() > MOST {
        told.push(format!("{} more people", rows.len() - MOST));
    }
    let shared = survey.items.iter().filter(|row| row.chosen && row.item.owner.is_none());
    let shared: u64 = shared.map(|row| row.to_capture.size_in_bytes).sum();
    told.push(format!("everybody {}", size(shared)));
    told.join(", ")
}

/// `odile (Odile Marchetti)`.
pub(crate) fn named(account: &Account) -> String {
    let name = account.shown_name();
    match &account.full_name {
        Some(full) if *full != name => format!("{name} ({})", on_screen(full.as_bytes())),
        _ => name,
    }
}

/// A heading and text beside it, in lines of at most 100 columns.
fn say_wrapped(heading: &str, text: &str) {
    let most = width().min(WIDEST).saturating_sub(HEADING + 2);
    let mut line = String::new();
    let mut heading = styled(BOLD, padded(heading, HEADING));
    for word in text.split_whitespace() {
        if !line.is_empty() && line.chars().count() + word.chars().count() >= most {
            say(format_args!("{heading}  {line}"));
            heading = padded("", HEADING);
            line.clear();
        }
        if !line.is_empty() {
            line.push(' ');
        }
        line.push_str(word);
    }
    say(format_args!("{heading}  {line}"));
}

/// Longer lines are hard to read.
const WIDEST: usize = 100;
/// The longest heading of the last lines.
const HEADING: usize = 10;

/// Whether what is chosen fits.
fn show_room(survey: &Survey, chosen: Tally, room: &Room) {
    let needed = needed_in_bytes(chosen);
    let fits = needed <= room.free_in_bytes;
    let words = format!("up to {} are needed, {} are free", size(needed), size(room.free_in_bytes));
    if let Some(speed) = room.bytes_per_second {
        let time = time_for(needed, speed);
        say_wrapped("Time", &format!("{time} at the {}/s that this drive takes", size(speed)));
    }
    let words = if fits {
        format!("it fits: {words}")
    } else {
        styled(CARE, format_args!("! it does not fit: {words}"))
    };
    say(format_args!("{}  {words}", styled(BOLD, padded("Room", HEADING))));
    let too_large: u64 =
        survey.items.iter().filter(|row| row.chosen).map(|row| row.too_large_for_fat32).sum();
    if room.largest_file_in_bytes.is_some() && too_large > 0 {
        let words =
            format!("! {} of 4 GiB or more would be left: this drive is FAT32", counted(too_large, "file"));
        say(format_args!("{}  {}", padded("", HEADING), styled(CARE, words)));
    }
}

/// The most that a trunk can take for this many bytes.
pub(crate) fn needed_in_bytes(tally: Tally) -> u64 {
    Shape::Packs { already_in_bytes: 0, spare_in_percent: 0.0 }.needed_in_bytes(tally)
}

/// Settings and printers in one line: nobody reads their values here.
fn show_settings<'s>(items: impl Iterator<Item = &'s ItemSurvey>) {
    let titles: Vec<String> =
        items.filter(|row| row.item.is_setting()).map(|row| on_screen(row.item.title.as_bytes())).collect();
    if !titles.is_empty() {
        say(format_args!("  {}  {}", styled(FAINT, "settings"), titles.join(", ")));
    }
}

fn show_items<'s>(items: impl Iterator<Item = &'s ItemSurvey> + Clone, rows: Rows) {
    let of_files = items.clone().filter(|row| !row.item.is_setting());
    show_files(of_files, rows);
    show_settings(items);
}

/// Folders in which there is nothing are carried, and no news.
fn is_news(row: &ItemSurvey) -> bool {
    row.to_capture.files + row.to_capture.links > 0 || !row.cautions.is_empty()
}

fn show_files<'s>(items: impl Iterator<Item = &'s ItemSurvey>, rows: Rows) {
    for row in items.filter(|row| is_news(row)) {
        let name = without_owner(&row.item.id, row.item.owner.as_deref());
        let line = format!(
            "  {}",
            rows.row(name, row.to_capture.files, row.to_capture.size_in_bytes, row.newest_utc)
        );
        let marks = marks(&row.cautions);
        let (line, below) = match line.width() + strip_str(&marks).to_string().width() > width() {
            true => (line, format!("    {}", marks.trim_start())),
            false => (format!("{line}{marks}"), String::new()),
        };
        let about = words_of(&row.item.kind).map(|words| words.told(row)).unwrap_or_default();
        say(if row.chosen { line } else { styled(FAINT, format_args!("{line}  (not chosen)")) });
        if below.trim_start() != "" {
            say(below);
        }
        for line in about {
            say(styled(FAINT, format_args!("      {line}")));
        }
    }
}

/// `  ! links, cloud only`.
fn marks(cautions: &[Caution]) -> String {
    let marks = words::marks(cautions);
    if marks.is_empty() { marks } else { format!("  {}", styled(CARE, format_args!("! {marks}"))) }
}

/// A caution, shown once for all accounts and items that it is true of.
pub(crate) struct Told<'s> {
    pub(crate) words: CautionWords,
    pub(crate) gravity: u8,
    /// Their ids; empty for the machine itself.
    pub(crate) places: Vec<&'s str>,
}

/// Each caution with what to do, the gravest first.
pub(crate) fn told(survey: &Survey) -> Vec<Told<'_>> {
    let mut told: Vec<Told<'_>> = Vec::new();
    for (at, caution) in survey.all_cautions() {
        let words = words::caution(caution);
        let place = Some(at).filter(|at| !at.is_empty());
        match told.iter_mut().find(|told| told.words.mark == words.mark && told.words.what == words.what) {
            Some(known) => known.places.extend(place),
            None => {
                told.push(Told { words, gravity: caution.gravity(), places: place.into_iter().collect() });
            }
        }
    }
    told
}

/// All that a caution is about.
pub(crate) fn whereabouts(places: &[&str]) -> String {
    if places.is_empty() { String::new() } else { format!(" ({})", places.join(", ")) }
}

fn show_cautions(survey: &Survey) {
    let told = told(survey);
    if told.is_empty() {
        return;
    }
    say("");
    say(styled(BOLD, "Cautions"));
    for Told { words, places, .. } in told {
        let place = whereabouts(&places);
        say(format_args!(
            "  {}  {}{place}",
            styled(CARE, padded(&format!("! {}", words.mark), 16)),
            words.what
        ));
        say(format_args!("  {}  {}", padded("", 16), styled(FAINT, words.advice)));
    }
}

/// The carry rule's remark about an item, for the technician.
pub(crate) fn about(row: &ItemSurvey) -> Option<&str> {
    row.item.rule.as_ref()?.about.as_deref()
}

/// The packing list, with what a person wants to know of each item as comments.
pub(crate) fn packing_list(machine: &Machine, survey: &Survey, unchosen: &Unchosen) -> String {
    let heading = format!(
        "Packing list of {}, {}.\n\
         `carry = false` leaves an item out, and so does taking it off the list.\n\
         porter capture MACHINE TRUNK --list THIS-FILE",
        on_screen(machine.name.as_bytes()),
        system(&machine.system)
    );
    to_toml(machine, survey, unchosen, &heading, &|row| {
        let newest = row.newest_utc.map(|at| format!(", newest {}", date(at))).unwrap_or_default();
        let marks = words::marks(&row.cautions);
        let marks = if marks.is_empty() { marks } else { format!("  ! {marks}") };
        let about = about(row).map(|about| format!("  ({about})")).unwrap_or_default();
        if row.item.is_setting() {
            return format!("{}: {}", row.item.title, super::kinds::setting::values(&row.item.facts));
        }
        format!(
            "{}: {}, {}{newest}{marks}{about}",
            row.item.title,
            counted(row.to_capture.files, "file"),
            size(row.to_capture.size_in_bytes)
        )
    })
}

/// The programs as a table (RFC 4180), for a list to tick off.
pub(crate) fn programs_csv(machine: &Machine) -> Result<Vec<u8>, csv::Error> {
    let mut table = csv::Writer::from_writer(Vec::new());
    for program in &machine.programs {
        let mut program = program.clone();
        program.name = no_formula(program.name);
        program.version = program.version.map(no_formula);
        program.publisher = program.publisher.map(no_formula);
        table.serialize(program)?;
    }
    table.into_inner().map_err(|failed| failed.into_error().into())
}

/// A text from the old machine that spreadsheets take for text: what begins like a formula they would run.
fn no_formula(text: String) -> String {
    if text.starts_with(['=', '+', '-', '@', '\t', '\r']) { format!("'{text}") } else { text }
}

/// `porter-survey/1`.
pub(crate) fn json(machine: &Machine, survey: &Survey) -> Value {
    let accounts = survey.accounts.iter().zip(&machine.accounts).map(|(row, account)| {
        json!({
            "id": account.id,
            "name": account.shown_name(),
            "full_name": account.full_name,
            "identifier": account.identifier,
            "administrator": account.is_administrator,
            "disabled": account.is_disabled,
            "home": account.home.to_string(),
            "last_used_utc": row.last_used_utc.map(rfc3339),
            "files": row.to_capture.files,
            "size_in_bytes": row.to_capture.size_in_bytes,
            "cautions": cautions_json(&row.cautions),
        })
    });
    let items = survey.items.iter().map(|row| {
        json!({
            "id": row.item.id,
            "kind": row.item.kind,
            "account": row.item.owner,
            "title": row.item.title,
            "chosen": row.chosen,
            "files": row.to_capture.files,
            "size_in_bytes": row.to_capture.size_in_bytes,
            "facts": row.item.facts,
            "counts": row.item.counts.iter().cloned().collect::<BTreeMap<String, u64>>(),
            "rule": row.item.rule.as_ref().map(|rule| rule.id.as_str()),
            "left_files": row.to_leave.files,
            "left_size_in_bytes": row.to_leave.size_in_bytes,
            "newest_utc": row.newest_utc.map(rfc3339),
            "cautions": cautions_json(&row.cautions),
        })
    });
    let not_covered =
        survey.not_covered.iter().map(|(path, why)| json!({"path": path.to_string(), "why": why}));
    json!({
        "format": "porter-survey/1",
        "machine": {
            "name": machine.name,
            "system": machine.system,
            "here": machine.here.is_some(),
            "administrator": machine.here.map(|here| here.as_administrator),
        },
        "accounts": accounts.collect::<Vec<_>>(),
        "items": items.collect::<Vec<_>>(),
        "cautions": cautions_json(&survey.cautions),
        "programs": machine.programs,
        "without_folder": machine.without_folder,
        "not_covered": not_covered.collect::<Vec<_>>(),
        "not_yet_covered": words::NOT_YET_COVERED,
        "incomplete": survey.is_incomplete(),
    })
}

fn cautions_json(cautions: &[Caution]) -> Vec<Value> {
    let row = |caution: &Caution| {
        let words = words::caution(caution);
        let mut row = json!(caution);
        row["what"] = words.what.into();
        row["do"] = words.advice.into();
        row
    };
    cautions.iter().map(row).collect()
}
