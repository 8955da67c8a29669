//! The sheet for the job: what a survey found, as a page to print, tick off and put with the PC.

use super::html::{self, text};
use super::kinds::words_of;
use super::numbers::{count, counted, date, date_and_time, size};
use super::survey::{named, system};
use super::words;
use porter_core::survey::{ItemSurvey, Survey};
use porter_kinds::caution::Caution;
use porter_machine::Machine;
use porter_trunk::{Tally, TrunkProgram};
use std::fmt::Write;
use time::OffsetDateTime;

/// The whole page.
pub(crate) fn html(machine: &Machine, survey: &Survey, now_utc: OffsetDateTime) -> String {
    let mut page = html::begin(&format!("Survey of {}", machine.name));
    head(&mut page, machine, survey, now_utc);
    cautions(&mut page, survey);
    people(&mut page, machine, survey);
    settings(&mut page, survey);
    programs(&mut page, machine);
    not_covered(&mut page, survey);
    html::end(page, &format!("Surveyed {}", date_and_time(now_utc)))
}

fn head(page: &mut String, machine: &Machine, survey: &Survey, now_utc: OffsetDateTime) {
    let _ = write!(
        page,
        "<header>\n<p class=\"maker\">Loyal Porter</p>\n<h1>Survey of {}</h1>\n<dl>\n",
        text(&machine.name)
    );
    let mut fact = |name: &str, value: &str| {
        let _ = writeln!(page, "<div><dt>{}</dt><dd>{}</dd></div>", text(name), text(value));
    };
    fact("System", &system(&machine.system));
    fact("Processor", machine.system.processor.as_deref().unwrap_or("not told"));
    fact("Surveyed", &date_and_time(now_utc));
    fact("Job", "");
    let _ = write!(page, "</dl>\n</header>\n");
    let (mut chosen, mut left) = (Tally::default(), Tally::default());
    for row in survey.items.iter().filter(|row| row.chosen) {
        chosen += row.to_capture;
        left += row.to_leave;
    }
    let _ = write!(
        page,
        "<section class=\"verdict\">\n<p>{}{} in {} to capture, of {}.</p>\nNot needed: {} in {}, caches and the like.\n</section>\n",
        if survey.is_incomplete() { "At least " } else { "" },
        size(chosen.size_in_bytes),
        counted(chosen.files, "file"),
        counted(survey.accounts.len() as u64, "person").replace("persons", "people"),
        size(left.size_in_bytes),
        counted(left.files, "file")
    );
}

/// Each caution once, with all that it is about and what to do.
fn cautions(page: &mut String, survey: &Survey) {
    let told = super::survey::told(survey);
    if told.is_empty() {
        return;
    }
    let _ = write!(
        page,
        "<section>\n<h2>Beware of</h2>\n<table class=\"findings\">\n<thead><tr><th scope=\"col\">Mark</th>\
         <th scope=\"col\">What</th><th scope=\"col\">What to do</th></tr></thead>\n<tbody>\n"
    );
    for super::survey::Told { words, places, .. } in told {
        let place = super::survey::whereabouts(&places);
        let _ = writeln!(
            page,
            "<tr><td>{}</td><td><bdi>{}{}</bdi></td><td>{}</td></tr>",
            text(words.mark),
            text(&words.what),
            text(&place),
            text(words.advice)
        );
    }
    let _ = write!(page, "</tbody>\n</table>\n</section>\n");
}

fn people(page: &mut String, machine: &Machine, survey: &Survey) {
    let _ = write!(page, "<section>\n<h2>Everything, by person</h2>\n");
    for (row, account) in survey.accounts.iter().zip(&machine.accounts) {
        let not_read = row.cautions.iter().any(|caution| matches!(caution, Caution::NotRead { .. }));
        let used = match row.last_used_utc {
            _ if not_read => "NOT READ".to_owned(),
            Some(at) => format!("last used {}", date(at)),
            None => "last use unknown".to_owned(),
        };
        let rights = if account.is_administrator == Some(true) { ", administrator" } else { "" };
        let caption = format!("{}, {used}{rights}{}", named(account), marks(&row.cautions));
        let own = survey.items.iter().filter(|item| item.item.owner.as_deref() == Some(&row.id));
        items(page, &caption, own);
    }
    items(page, "For everybody", survey.items.iter().filter(|item| item.item.owner.is_none()));
    let _ = writeln!(page, "</section>");
}

fn items<'s>(page: &mut String, caption: &str, rows: impl Iterator<Item = &'s ItemSurvey>) {
    let rows: Vec<_> = rows.filter(|row| !row.item.is_setting()).collect();
    if rows.is_empty() {
        return;
    }
    let _ = write!(
        page,
        "<table class=\"items sheet\">\n<caption>{}</caption>\n<thead><tr><th scope=\"col\">Item</th><th scope=\"col\">Newest</th>\
         <th scope=\"col\">Files</th><th scope=\"col\">Size</th></tr></thead>\n<tbody>\n",
        text(caption)
    );
    for row in rows {
        // Unticked: a sheet is worked off with a pen.
        let tick = if row.chosen { "&#9744;" } else { "&ndash;" };
        let _ = writeln!(
            page,
            "<tr><td>{tick} <bdi>{}</bdi>{}{}</td><td>{}</td><td>{}</td><td>{}</td></tr>",
            text(&row.item.title),
            text(&marks(&row.cautions)),
            lines_below(row),
            row.newest_utc.map(date).unwrap_or_default(),
            count(row.to_capture.files),
            size(row.to_capture.size_in_bytes)
        );
    }
    let _ = write!(page, "</tbody>\n</table>\n");
}

/// Advice about an item, and what its kind tells of it.
fn lines_below(row: &ItemSurvey) -> String {
    let told = words_of(&row.item.kind).map(|words| words.on_sheet(row)).unwrap_or_default();
    let about = super::survey::about(row).map(str::to_owned);
    about.into_iter().chain(told).map(|line| format!("<br><small>{}</small>", text(&line))).collect()
}

fn marks(cautions: &[Caution]) -> String {
    let marks = words::marks(cautions);
    if marks.is_empty() { marks } else { format!(" (!\u{a0}{marks})") }
}

fn settings(page: &mut String, survey: &Survey) {
    let rows: Vec<_> = survey.items.iter().filter(|row| row.item.is_setting()).collect();
    if rows.is_empty() {
        return;
    }
    let _ = write!(
        page,
        "<section>\n<h2>Settings and printers</h2>\n<table class=\"findings\">\n<thead><tr><th scope=\"col\">Whose</th>\
         <th scope=\"col\">What</th><th scope=\"col\">As it is</th></tr></thead>\n<tbody>\n"
    );
    for row in rows {
        let _ = writeln!(
            page,
            "<tr><td>{}</td><td><bdi>{}</bdi></td><td><bdi>{}</bdi></td></tr>",
            text(row.item.owner.as_deref().unwrap_or("everybody")),
            text(&row.item.title),
            text(&super::kinds::setting::values(&row.item.facts))
        );
    }
    let _ = write!(page, "</tbody>\n</table>\n</section>\n");
}

fn programs(page: &mut String, machine: &Machine) {
    if machine.programs.is_empty() {
        return;
    }
    let _ = write!(page, "<section>\n<h2>Programs to install again</h2>\n");
    html::programs(page, machine.programs.iter().map(TrunkProgram::from));
    let _ = writeln!(page, "</section>");
}

fn not_covered(page: &mut String, survey: &Survey) {
    if survey.not_covered.is_empty() {
        return;
    }
    let _ = write!(page, "<section>\n<h2>Not a person's, and not carried</h2>\n<ul>\n");
    for (path, why) in &survey.not_covered {
        let _ = writeln!(page, "<li><bdi>{}</bdi>: {}</li>", text(&path.to_string()), text(why));
    }
    let _ = writeln!(page, "</ul>\n</section>");
}
