//! Views of the commands about carry rules.

use super::numbers::{counted, padded, size};
use crate::paths;
use crate::rules_folder::OwnRule;
use crate::screen::{BOLD, CARE, FAINT, GOOD, say, styled};
use porter_core::survey::Survey;
use porter_kinds::catalogue::CarryRule;
use porter_kinds::item::Item;
use porter_kinds::part::What;
use porter_kinds::ruled::{find_by_rule, shown_find};
use porter_machine::layout::Family;
use porter_machine::{Account, Machine};
use porter_names::screen::on_screen;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};

/// A rule in the list.
pub(crate) struct Row<'r> {
    pub(crate) rule: &'r CarryRule,
    /// None for a built-in one.
    pub(crate) file: Option<&'r PathBuf>,
    /// A technician's rule with the same id stands in its place.
    pub(crate) replaced: bool,
}

fn systems(rule: &CarryRule) -> Vec<&'static str> {
    Family::ALL
        .into_iter()
        .filter(|family| rule.finds_on(*family).next().is_some())
        .map(Family::name)
        .collect()
}

/// All rules, one line each.
pub(crate) fn list(rows: &[Row<'_>], folder: Option<&Path>) {
    let width = rows.iter().map(|row| row.rule.id.len()).max().unwrap_or(0);
    for row in rows {
        let from = match (row.file, row.replaced) {
            (Some(file), _) => format!("  {}", styled(BOLD, format_args!("from {}", paths::shown(file)))),
            (None, true) => format!("  {}", styled(CARE, "replaced by your own")),
            (None, false) => String::new(),
        };
        say(format_args!(
            "{}  {}  {}{from}",
            padded(&row.rule.id, width),
            styled(FAINT, padded(&systems(row.rule).join(" "), 19)),
            on_screen(row.rule.title.as_bytes())
        ));
    }
    say("");
    say(format_args!("{}; `porter rules show ID` prints one.", counted(rows.len() as u64, "rule")));
    if let Some(folder) = folder {
        say(format_args!("Your own are taken from {} and from --rules FILE.", paths::shown(folder)));
    }
}

/// `porter-rules/1`.
pub(crate) fn list_json(rows: &[Row<'_>]) -> Value {
    let row = |row: &Row<'_>| {
        json!({
            "id": row.rule.id,
            "kind": row.rule.kind(),
            "title": row.rule.title,
            "systems": systems(row.rule),
            "file": row.file.map(|file| paths::shown(file)),
            "replaced": row.replaced,
            "must_be_closed": row.rule.must_be_closed,
            "restored_by_hand": row.rule.restore_by_hand,
        })
    };
    json!({"format": "porter-rules/1", "rules": rows.iter().map(row).collect::<Vec<_>>()})
}

/// One rule, as it is written.
pub(crate) fn show(own: &OwnRule) {
    let from = if own.file.as_os_str().is_empty() { "built in".to_owned() } else { paths::shown(&own.file) };
    say(styled(FAINT, format_args!("# {from}")));
    own.text.lines().for_each(say);
    if let Some(profiles) = &own.rule.profiles {
        say("");
        // As remarks: what is printed can be saved and changed as a rule of one's own.
        say(styled(FAINT, "# Comes with its engine:"));
        let lines = profiles.engine.text().lines().skip_while(|line| line.starts_with('#'));
        lines.for_each(|line| say(styled(FAINT, format_args!("# {line}"))));
    }
}

/// Where a rule looked for somebody, and what it found there.
pub(crate) struct Looked {
    /// None for the machine.
    account: Option<String>,
    place: String,
    found: Vec<String>,
}

/// Every place where the rule looks on a machine.
pub(crate) fn looked_for(machine: &Machine, rule: &CarryRule) -> Vec<Looked> {
    let mut rows = Vec::new();
    let owners: Vec<Option<&Account>> =
        if rule.is_personal() { machine.accounts.iter().map(Some).collect() } else { vec![None] };
    for owner in owners {
        let found = find_by_rule(machine, owner, rule);
        for find in rule.finds_on(machine.layout.family) {
            let of_this =
                found.iter().filter(|found| found.part.place == find.place && found.part.name == find.part);
            let paths = of_this.map(|found| match &found.part.what {
                What::At(path) => format!("{path}{}", if found.is_folder { "/" } else { "" }),
                What::Whole | What::LooseFiles => "all of it".to_owned(),
            });
            rows.push(Looked {
                account: owner.map(|account| account.id.clone()),
                place: shown_find(find),
                found: paths.collect(),
            });
        }
    }
    rows
}

/// The items that a rule finds on a machine.
pub(crate) fn tried(machine: &Machine, id: &str, about: Option<&str>, looked: &[Looked], survey: &Survey) {
    say(format_args!("{} on {}, {}", styled(BOLD, id), machine.name, machine.layout.family.name()));
    if let Some(about) = about {
        say(styled(FAINT, on_screen(about.as_bytes())));
    }
    if looked.is_empty() {
        say(styled(CARE, "  It looks nowhere on such a system: no [[find]] is for it."));
        return;
    }
    let mut account = None;
    for row in looked {
        if account != Some(&row.account) {
            account = Some(&row.account);
            say("");
            say(styled(BOLD, row.account.as_deref().unwrap_or("For everybody")));
        }
        match row.found.as_slice() {
            [] => say(format_args!("  {}  {}", styled(FAINT, padded("not there", 9)), row.place)),
            found => say(format_args!(
                "  {}  {}: {}",
                styled(GOOD, padded("found", 9)),
                row.place,
                found.join(", ")
            )),
        }
    }
    say("");
    let items: Vec<_> = survey.items.iter().filter(|row| is_of(&row.item, id)).collect();
    for row in &items {
        say(format_args!(
            "{}  {} in {} carried, {} in {} left",
            styled(BOLD, &row.item.id),
            size(row.to_capture.size_in_bytes),
            counted(row.to_capture.files, "file"),
            size(row.to_leave.size_in_bytes),
            counted(row.to_leave.files, "file")
        ));
        let values: u64 = row.item.registry.iter().map(|key| key.values.len() as u64).sum();
        if values > 0 {
            say(format_args!("  {} in the person's registry", counted(values, "value")));
        }
    }
    say(match items.len() {
        0 => styled(CARE, "It finds nothing that would be carried."),
        number => format!("{} would be carried.", counted(number as u64, "item")),
    });
}

/// True for an item that a rule found, of any owner; also for each profile of a program.
fn is_of(item: &Item, rule_id: &str) -> bool {
    item.rule.as_ref().is_some_and(|rule| rule.id == rule_id)
}

/// `porter-rule-tried/1`.
pub(crate) fn tried_json(machine: &Machine, id: &str, looked: &[Looked], survey: &Survey) -> Value {
    let row = |row: &Looked| json!({"account": row.account, "place": row.place, "found": row.found});
    let items = survey.items.iter().filter(|row| is_of(&row.item, id)).map(|row| {
        json!({
            "id": row.item.id,
            "files": row.to_capture.files,
            "size_in_bytes": row.to_capture.size_in_bytes,
            "left_files": row.to_leave.files,
            "left_size_in_bytes": row.to_leave.size_in_bytes,
        })
    });
    json!({
        "format": "porter-rule-tried/1",
        "rule": id,
        "machine": machine.name,
        "looked": looked.iter().map(row).collect::<Vec<_>>(),
        "items": items.collect::<Vec<_>>(),
    })
}
