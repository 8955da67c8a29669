//! Views of a look into a trunk.

use super::kinds::setting;
use super::numbers::{count, counted, date_and_time, padded, rfc3339, size};
use super::rows::{self, Rows, shortened, without_owner};
use super::survey::system;
use crate::screen::{BOLD, CARE, FAINT, say, styled};
use porter_names::RelativePath;
use porter_names::screen::on_screen;
use porter_trunk::outside::Outside;
use porter_trunk::{Content, Entry, Label, RegistryKey, TrunkItem};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use unicode_width::UnicodeWidthStr;

/// The outside, and the items.
pub(crate) fn show_trunk(label: &Label, items: &[TrunkItem]) {
    say(format_args!(
        "{}  captured from {}, {}",
        styled(BOLD, format_args!("Trunk {}", label.trunk_id.short())),
        label.machine.name,
        system(&label.machine.system)
    ));
    fact("job", label.words.job.as_deref());
    fact("owner", label.words.owner.as_deref());
    fact("return to", label.words.return_to.as_deref());
    fact("technician", label.words.technician.as_deref());
    fact("workshop", label.words.workshop.as_deref());
    fact("captured", Some(&date_and_time(label.started_utc)));
    fact("made by", Some(&label.made_by));
    say("");
    let name = |item: &TrunkItem| without_owner(&item.id, item.account.as_deref()).to_owned();
    let longest = items.iter().map(|item| name(item).width()).max().unwrap_or(0);
    let rows = Rows::new(longest, 2, false);
    let mut whose: Option<Option<&str>> = None;
    for item in items {
        let account = item.account.as_deref();
        if whose != Some(account) {
            say(styled(BOLD, account.map_or("For everybody".to_owned(), |name| on_screen(name.as_bytes()))));
            whose = Some(account);
        }
        let name = name(item);
        if item.chosen && !item.facts.is_empty() && item.parts.is_empty() {
            let name = rows.name(&name);
            let room = rows::width().saturating_sub(name.width() + 4).max(20);
            say(format_args!("  {name}  {}", shortened(&setting::values(&item.facts), room)));
            continue;
        }
        if !item.chosen {
            say(styled(FAINT, format_args!("  {}  not captured, on purpose", rows.name(&name))));
            continue;
        }
        let row = format!("  {}", rows.row(&name, item.captured.files, item.captured.size_in_bytes, None));
        let title = on_screen(item.title.as_bytes());
        // The id says much the same.
        let has_room = row.width() + 2 + title.width() <= rows::width();
        let title = if has_room { format!("  {}", styled(FAINT, title)) } else { String::new() };
        say(format_args!("{row}{title}"));
    }
}

/// A line of the label, if it has a value.
fn fact(name: &str, value: Option<&str>) {
    if let Some(value) = value {
        say(format_args!("  {} {}", padded(name, 11), porter_names::screen::on_screen(value.as_bytes())));
    }
}

/// All that can be seen of a sealed trunk from outside.
pub(crate) fn show_outside(outside: &Outside) {
    say(format_args!(
        "{}  {}",
        styled(BOLD, format_args!("Trunk {}", outside.trunk_id.short())),
        styled(CARE, "sealed: only its label can be read without the passphrase")
    ));
    let part = (outside.part > 1).then(|| outside.part.to_string());
    fact("part", part.as_deref());
    fact("job", outside.words.job.as_deref());
    fact("owner", outside.words.owner.as_deref());
    fact("return to", outside.words.return_to.as_deref());
    fact("reminder", outside.words.reminder.as_deref());
    fact("technician", outside.words.technician.as_deref());
    fact("workshop", outside.words.workshop.as_deref());
    fact("captured", Some(&date_and_time(outside.started_utc)));
    fact("made by", Some(&outside.made_by));
}

/// `porter-look/1`, of a sealed trunk.
pub(crate) fn outside_json(outside: &Outside) -> Value {
    json!({"format": "porter-look/1", "sealed": true, "outside": outside})
}

/// The values of a setting, one a line.
pub(crate) fn show_values(setting: &TrunkItem) {
    for (name, value) in &setting.facts {
        let text = |text: &str| porter_names::screen::on_screen(text.as_bytes());
        say(format_args!("  {}  {}", styled(FAINT, padded(&text(name), 20)), text(value)));
    }
}

/// One row of a folder in the trunk.
pub(crate) struct Row {
    pub(crate) path: RelativePath,
    pub(crate) is_folder: bool,
    pub(crate) files: u64,
    pub(crate) size_in_bytes: u64,
    pub(crate) link_target: Option<String>,
    pub(crate) modified_utc: Option<time::OffsetDateTime>,
    pub(crate) held: bool,
    /// So much of it could not be read.
    pub(crate) missing_in_bytes: u64,
    /// It could not be read again since then.
    pub(crate) kept_from_utc: Option<time::OffsetDateTime>,
}

/// Folds entries into the rows of the folder `at`; all below a folder are counted in its row.
pub(crate) fn rows_at(entries: impl Iterator<Item = Entry>, at: &RelativePath) -> Vec<Row> {
    let depth = at.steps().count();
    let mut rows: BTreeMap<RelativePath, Row> = BTreeMap::new();
    for entry in entries.map(Entry::to_land).filter(|entry| entry.address.path.is_within(at)) {
        let path = &entry.address.path;
        let steps: Vec<&[u8]> = path.steps().take(depth + 1).collect();
        let is_itself = steps.len() == path.steps().count();
        if path == at && entry.content == Content::Folder {
            continue;
        }
        let Ok(row_path) = RelativePath::from_bytes(&steps.join(&b'/')) else { continue };
        let row = rows.entry(row_path.clone()).or_insert(Row {
            path: row_path,
            is_folder: !is_itself,
            files: 0,
            size_in_bytes: 0,
            link_target: None,
            modified_utc: None,
            held: false,
            missing_in_bytes: 0,
            kept_from_utc: None,
        });
        match &entry.content {
            Content::File { size_in_bytes, .. } => {
                row.files += 1;
                row.size_in_bytes += size_in_bytes;
            }
            Content::Folder => row.is_folder = true,
            Content::Link { target } if is_itself => {
                row.link_target = Some(porter_names::screen::on_screen(target));
            }
            Content::Link { .. } => {}
        }
        if is_itself {
            row.modified_utc = entry.modified_utc;
            row.held = entry.held.is_some();
            row.missing_in_bytes = entry.missing_in_bytes();
            row.kept_from_utc = entry.kept_from_utc;
        }
    }
    rows.into_values().collect()
}

/// A folder in the tree, with all that is below it.
#[derive(Default)]
pub(crate) struct Branch {
    files: u64,
    size_in_bytes: u64,
    folders: BTreeMap<String, Branch>,
}

/// Folds entries into folders, this many levels below their items.
pub(crate) fn tree(entries: impl Iterator<Item = Entry>, levels: usize) -> Branch {
    let mut root = Branch::default();
    for entry in entries {
        let Content::File { size_in_bytes, .. } = entry.content else { continue };
        let path = &entry.address.path;
        let folders = path.steps().take(path.steps().count().saturating_sub(1).min(levels));
        let names = folders.map(porter_names::screen::on_screen);
        let mut branch = &mut root;
        branch.add(size_in_bytes);
        for name in std::iter::once(entry.item.clone()).chain(names) {
            branch = branch.folders.entry(name).or_default();
            branch.add(size_in_bytes);
        }
    }
    root
}

impl Branch {
    fn add(&mut self, size_in_bytes: u64) {
        self.files += 1;
        self.size_in_bytes += size_in_bytes;
    }
}

/// The tree, the largest first.
pub(crate) fn show_tree(root: &Branch) {
    fn show(branch: &Branch, depth: usize) {
        let mut folders: Vec<(&String, &Branch)> = branch.folders.iter().collect();
        folders.sort_by_key(|(_, below)| std::cmp::Reverse(below.size_in_bytes));
        for (name, below) in folders {
            let files = counted(below.files, "file");
            let line = format!("{}{name}", "  ".repeat(depth));
            say(format_args!("  {:>9}  {line}  {}", size(below.size_in_bytes), styled(FAINT, files)));
            show(below, depth + 1);
        }
    }
    show(root, 0);
    say(format_args!("  {:>9}  in {}", size(root.size_in_bytes), counted(root.files, "file")));
}

/// Entries wherever they are, with the words that `take` knows them by.
pub(crate) fn show_found(found: &[Entry]) {
    let mut size_in_bytes = 0;
    for entry in found {
        size_in_bytes += entry.size_in_bytes();
        let end = if entry.content == Content::Folder { "/" } else { "" };
        let path = format!("{}/{}{end}", entry.item, entry.address.path);
        let path = shortened(&path, rows::width().saturating_sub(13));
        say(format_args!("  {:>9}  {path}", size(entry.size_in_bytes())));
    }
    say(format_args!("  {:>9}  in {}", size(size_in_bytes), counted(found.len() as u64, "entry")));
}

/// `porter-look/1`, of entries that were searched for.
pub(crate) fn found_json(found: &[Entry]) -> Value {
    let rows = found.iter().map(|entry| {
        json!({
            "item": entry.item,
            "path": entry.address.path.to_string(),
            "bytes": entry.size_in_bytes(),
            "modified_utc": entry.modified_utc.map(rfc3339),
        })
    });
    json!({"format": "porter-look/1", "found": rows.collect::<Vec<_>>()})
}

/// The rows of a folder.
pub(crate) fn show_rows(rows: &[Row]) {
    for row in rows {
        let name = porter_names::screen::on_screen(row.path.name().unwrap_or_default());
        let date = row.modified_utc.map(date_and_time).unwrap_or_default();
        let remark = match (&row.link_target, row.is_folder, row.held) {
            (Some(target), ..) => format!("  -> {target}"),
            (_, true, _) => format!("/  {}", styled(FAINT, counted(row.files, "file"))),
            (_, _, true) => format!("  {}", styled(FAINT, "kept in the trunk")),
            _ => String::new(),
        };
        let missing = (row.missing_in_bytes > 0).then(|| {
            format!("  {}", styled(CARE, format_args!("{} could not be read", size(row.missing_in_bytes))))
        });
        let kept = row.kept_from_utc.map(|then| {
            format!("  {}", styled(CARE, format_args!("as captured {}, not read since", date_and_time(then))))
        });
        let remark = format!("{remark}{}{}", missing.unwrap_or_default(), kept.unwrap_or_default());
        say(format_args!("  {:>9}  {}  {name}{remark}", size(row.size_in_bytes), padded(&date, 20)));
    }
    let (mut files, mut bytes) = (0, 0);
    for row in rows {
        files += row.files;
        bytes += row.size_in_bytes;
    }
    say(format_args!("  {:>9}  in {}", size(bytes), counted(files, "file")));
}

/// An item's keys in its owner's registry, if it has any.
pub(crate) fn show_registry(item: &TrunkItem) {
    let (held, lands): (Vec<_>, Vec<_>) = item.registry.iter().partition(|key| key.held.is_some());
    let values = |keys: &[&RegistryKey]| keys.iter().map(|key| key.values.len() as u64).sum::<u64>();
    if item.registry.is_empty() {
        return;
    }
    let held = match values(&held) {
        0 => String::new(),
        number => format!(", and {} kept in the trunk", count(number)),
    };
    say(format_args!(
        "  in the person's registry: {}{held}; `--as registry` takes them out as a file",
        counted(values(&lands), "value")
    ));
}

/// `porter-look/1`.
pub(crate) fn json(label: &Label, items: &[TrunkItem], rows: Option<&[Row]>) -> Value {
    let mut document = json!({"format": "porter-look/1", "label": label, "items": items});
    if let Some(rows) = rows {
        let rows = rows.iter().map(|row| {
            json!({
                "path": row.path.to_string(),
                "kind": if row.link_target.is_some() { "link" } else if row.is_folder { "folder" } else { "file" },
                "files": row.files,
                "bytes": row.size_in_bytes,
                "target": row.link_target,
                "modified_utc": row.modified_utc.map(rfc3339),
                "held": row.held,
                "missing_bytes": row.missing_in_bytes,
                "kept_from_utc": row.kept_from_utc.map(rfc3339),
            })
        });
        document["entries"] = rows.collect();
    }
    document
}
